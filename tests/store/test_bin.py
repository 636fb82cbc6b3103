"""The bin: out of sight, back as it was, or gone for good with its bytes."""

from typing import Any

import pytest
from starlette.testclient import TestClient

from tests.pictures import png
from tests.world import World, list_pictures
from vast_orchard.store import actions, history
from vast_orchard.store.bytes import ByteStore
from vast_orchard.store.classes import list_classes


def _large(seed: int) -> bytes:
    """A picture that needs a thumbnail."""
    return png(seed, (220, 16))


def _held(world: World, sha256: str) -> bool:
    store = world.context.store
    return store.exists(ByteStore.picture_path(sha256)) and store.exists(ByteStore.thumbnail_path(sha256))


def _shas(world: World, project: int) -> dict[str, str]:
    with world.context.database.session() as session:
        return {row.name: row.sha256 for row in list_pictures(session, project)}


def _counts(world: World, project: int) -> dict[str, int]:
    with world.context.database.session() as session:
        return {entry.name: entry.count for entry in list_classes(session, project)}


@pytest.fixture
def project(world: World) -> int:
    made = world.project()
    world.bring_in(made, {"plate/1.png": _large(1), "plate/2.png": _large(2), "rime/3.png": _large(3)})
    return made


def _move(client: TestClient, project: int, ids: list[int], back: bool = False) -> Any:
    answer = client.post(f"/api/projects/{project}/bin", json={"picture_ids": ids, "back": back})
    assert answer.status_code == 200, answer.text
    return answer.json()


def _empty(client: TestClient, world: World, project: int) -> None:
    assert client.delete(f"/api/projects/{project}/bin").status_code == 202
    world.run_waiting()


def test_what_is_in_the_bin_is_nowhere_else(client: TestClient, world: World, project: int) -> None:
    ids = world.picture_ids(project)
    assert _move(client, project, ids[:1])["summary"] == "1 picture moved to the bin"
    assert _counts(world, project) == {"plate": 1, "rime": 1}
    listed = client.get(f"/api/projects/{project}").json()
    assert listed["pictures"] == 2
    found = client.get(f"/api/projects/{project}/bin").json()
    assert (found["count"], [picture["id"] for picture in found["pictures"]]) == (1, ids[:1])
    assert client.get(f"/api/projects/{project}/pictures/{ids[0]}").status_code == 404
    label = {"picture_ids": ids[:1], "class_id": None}
    assert client.post(f"/api/projects/{project}/labels", json=label).status_code == 404


def test_deleting_is_taken_back_like_everything_else(client: TestClient, world: World, project: int) -> None:
    _move(client, project, world.picture_ids(project))
    assert _counts(world, project) == {"plate": 0, "rime": 0}
    done = client.post(f"/api/projects/{project}/undo").json()
    assert (done["taken_back"], done["kept"]) == (3, 0)
    assert _counts(world, project) == {"plate": 2, "rime": 1}


def test_out_of_the_bin_by_hand(client: TestClient, world: World, project: int) -> None:
    ids = world.picture_ids(project)
    _move(client, project, ids)
    assert _move(client, project, ids[:2], back=True)["summary"] == "2 pictures taken out of the bin"
    assert _counts(world, project) == {"plate": 2, "rime": 0}
    assert _move(client, project, ids[:2], back=True)["summary"].startswith("0 pictures")


def test_emptying_removes_bytes_that_nobody_holds(client: TestClient, world: World, project: int) -> None:
    other = world.project("Other")
    world.bring_in(other, {"x/2.png": _large(2)})
    shas = _shas(world, project)
    _move(client, project, world.picture_ids(project)[:2])
    _empty(client, world, project)
    assert [_held(world, shas[name]) for name in ("1.png", "2.png", "3.png")] == [False, True, True]
    assert client.get(f"/api/projects/{project}/bin").json()["count"] == 0
    done = client.post(f"/api/projects/{project}/undo").json()
    assert done["taken_back"] == 0  # there is nothing left to take back
    report = world.bring_in(project, {"plate/1.png": _large(1)})
    assert report["added"] == 1
    assert _held(world, shas["1.png"])


def test_runs_keep_the_pictures_that_they_were_made_of(client: TestClient, world: World) -> None:
    project = world.project("Runs")
    members = {f"{c}/{n}.png": _large(60 * k + n) for k, c in enumerate(("plate", "rime")) for n in range(12)}
    world.bring_in(project, members)
    shas = _shas(world, project)
    world.run_job(project)
    _move(client, project, world.picture_ids(project))
    _empty(client, world, project)
    assert all(_held(world, sha256) for sha256 in shas.values())


def test_an_empty_bin_cannot_be_emptied(client: TestClient, project: int) -> None:
    answer = client.delete(f"/api/projects/{project}/bin")
    assert (answer.status_code, "bin is empty" in answer.json()["detail"]) == (409, True)


def test_a_project_is_removed_with_everything(client: TestClient, world: World, project: int) -> None:
    shas = _shas(world, project)
    run, job = 0, 0
    members = {f"{c}/{n}.png": _large(60 * k + n + 20) for k, c in enumerate(("plate", "rime")) for n in range(12)}
    world.bring_in(project, members)
    run, job = world.run_job(project)
    world.run(job)
    with world.context.database.session() as session:
        actions.label_pictures(session, project, "one", world.picture_ids(project)[:3], None)
        history.undo(session, project, "one")
    assert client.delete(f"/api/projects/{project}/for-good").status_code == 409  # it is not in the bin
    assert client.delete(f"/api/projects/{project}").status_code == 204
    assert client.delete(f"/api/projects/{project}/for-good").status_code == 202
    assert client.get("/api/projects?deleted=true").json() == []
    assert client.post(f"/api/projects/{project}/restore").status_code == 404
    world.run_waiting()
    ended = client.get("/api/jobs").json()[-1]
    assert (ended["kind"], ended["state"], ended["project_id"]) == ("empty", "done", None)
    assert not any(_held(world, sha256) for sha256 in shas.values())
    data = world.context.settings.data_dir
    assert [path for path in (data / "bytes").rglob("*") if path.is_file()] == []
    assert list((data / "readings").iterdir()) == []
    assert run


def test_disk_use_says_what_is_shared(client: TestClient, world: World, project: int) -> None:
    other = world.project("Other")
    world.bring_in(other, {"x/2.png": _large(2)})
    used = client.get(f"/api/projects/{project}/disk").json()
    assert used["pictures"] == sum(len(_large(n)) for n in (1, 2, 3))
    assert used["shared"] == len(_large(2))
    assert used["thumbnails"] > 0
    _move(client, project, world.picture_ids(project)[:1])
    used = client.get(f"/api/projects/{project}/disk").json()
    assert (used["pictures"], used["bin"]) == (len(_large(2)) + len(_large(3)), len(_large(1)))


def test_notes_are_kept_and_taken_back(client: TestClient, world: World, project: int) -> None:
    first, second, *_ = world.picture_ids(project)
    notes, path = f"/api/projects/{project}/notes", f"/api/projects/{project}/pictures"

    def written() -> list[str]:
        return [client.get(f"{path}/{picture}").json()["picture"]["note"] for picture in (first, second)]

    assert client.post(notes, json={"picture_ids": [first], "note": "blurred?"}).status_code == 200
    both = client.post(notes, json={"picture_ids": [first, second], "note": " blurred indeed\n"}).json()
    assert (both["summary"], both["pictures"]) == ("Note on 2 pictures", 2)
    assert written() == ["blurred indeed"] * 2
    client.post(f"/api/projects/{project}/undo")
    assert written() == ["blurred?", ""]
    assert client.post(notes, json={"picture_ids": [first], "note": "x" * 6000}).status_code == 422
    assert client.post(notes, json={"picture_ids": [first, 99999], "note": "x"}).status_code == 404
    assert written() == ["blurred?", ""]
