"""A project's duplicate is the same to a person, shares the pictures' bytes, and lives on its own."""

from pathlib import Path
from typing import Any

import pytest
from starlette.testclient import TestClient

from tests.jobs.whole_project import state_of, trained_project
from tests.pictures import png
from tests.world import World
from vast_orchard.errors import ServiceError
from vast_orchard.jobs.queue import start_job
from vast_orchard.store import actions
from vast_orchard.store.bin import project_contents
from vast_orchard.store.bytes import ByteStore
from vast_orchard.store.projects import describe_project, list_projects
from vast_orchard.store.schema import JobKind
from vast_orchard.store.splits import list_splits, looks_on


def _duplicate(client: TestClient, world: World, project: int, **body: Any) -> int:
    answer = client.post(f"/api/projects/{project}/duplicate", json={"name": "Ridge, later", **body})
    assert answer.status_code == 202, answer.text
    world.run_waiting()
    made = int(answer.json()["id"])
    assert world.job(world.job_of(JobKind.DUPLICATE, project)).state == "done"
    return made


def test_it_is_the_same_and_then_goes_its_own_way(client: TestClient, world: World) -> None:
    project = trained_project(world)
    with world.context.database.session() as session:
        describe_project(session, project, description="From the ridge")
    before = state_of(world, project)
    made = _duplicate(client, world, project)
    assert state_of(world, made) == before
    listed = client.get(f"/api/projects/{made}").json()
    assert (listed["name"], listed["description"]) == ("Ridge, later", "From the ridge")
    # Its model answers from files of its own: the other may go for good.
    with world.context.database.session() as session:
        actions.bin_pictures(session, made, "w", [world.picture_ids(made)[9]])
    assert state_of(world, project) == before
    assert client.delete(f"/api/projects/{project}").status_code == 204
    assert client.delete(f"/api/projects/{project}/for-good").status_code == 202
    world.run_waiting()
    model = client.get(f"/api/projects/{made}/models").json()[0]["id"]
    pack = client.get(f"/api/models/{model}/exports").json()[0]["id"]
    assert client.get(f"/api/exports/{pack}/file").content[:2] == b"PK"
    with world.context.database.session() as session:
        contents = project_contents(session, made)
    store = world.context.store
    assert contents and all(store.exists(store.picture_path(sha256)) for sha256 in contents)
    _, job = world.run_job(made)
    assert world.run(job).state == "done"
    assert [run["number"] for run in client.get(f"/api/projects/{made}/runs").json()["runs"]] == [2, 1]


def test_without_runs_looks_at_the_test_set_stay_counted(client: TestClient, world: World) -> None:
    project = trained_project(world)
    model = client.get(f"/api/projects/{project}/models").json()[0]["id"]
    assert client.post(f"/api/models/{model}/looks", json={"place": "review"}).status_code < 300
    world.run_waiting()
    made = _duplicate(client, world, project, with_runs=False)
    assert client.get(f"/api/projects/{made}/runs").json()["total"] == 0
    assert client.get(f"/api/projects/{made}/models").json() == []
    with world.context.database.session() as session:
        counted = [[looks_on(session, split.id) for split in list_splits(session, one)] for one in (project, made)]
    assert counted[0] == counted[1] and sum(counted[1]) == 1
    _, job = world.run_job(made)
    assert world.run(job).state == "done"


def test_while_something_is_under_way_there_is_none(client: TestClient, world: World) -> None:
    project = world.project()
    world.bring_in(project, {"plate/1.png": png(1), "rime/2.png": png(2)})
    with world.context.database.session() as session:
        start_job(session, project, JobKind.EMPTY, "Empty", project)
    answer = client.post(f"/api/projects/{project}/duplicate", json={"name": "Second"})
    assert answer.status_code == 409
    with world.context.database.session() as session:
        assert [entry.name for entry in list_projects(session)] == ["Crystals"]


def test_one_that_fails_leaves_no_file_and_no_project(
    client: TestClient, world: World, monkeypatch: pytest.MonkeyPatch
) -> None:
    """The last file cannot be written: the first ones go, under whatever ids they were drawn."""
    project = trained_project(world)
    place = Path(world.context.settings.data_dir) / "bytes"

    def files() -> set[Path]:
        return {path for path in place.rglob("*") if path.is_file()}

    before, write = files(), ByteStore.write

    def failing(store: ByteStore, path: str, data: Any) -> None:
        if path.startswith("exports/"):
            raise ServiceError("The disk is gone.", "Bring it back.")
        write(store, path, data)

    monkeypatch.setattr(ByteStore, "write", failing)
    made = client.post(f"/api/projects/{project}/duplicate", json={"name": "Never"}).json()["id"]
    world.run_waiting()
    ended = world.job(world.job_of(JobKind.DUPLICATE, project))
    assert (ended.state, "The disk is gone." in str(ended.error)) == ("failed", True)
    assert files() == before
    assert client.get(f"/api/projects/{made}").status_code == 404


def test_while_it_is_filled_it_can_be_neither_taken_out_nor_duplicated(client: TestClient, world: World) -> None:
    project = world.project()
    world.bring_in(project, {"plate/1.png": png(1), "rime/2.png": png(2)})
    made = client.post(f"/api/projects/{project}/duplicate", json={"name": "Second"}).json()["id"]
    for path, body in (("duplicate", {"name": "Third"}), ("parcels", {"kind": "project"})):
        assert client.post(f"/api/projects/{made}/{path}", json=body).status_code == 409


def test_delivered_a_second_time_it_adds_nothing(client: TestClient, world: World) -> None:
    project = world.project()
    world.bring_in(project, {"plate/1.png": png(1), "rime/2.png": png(2)})
    made = _duplicate(client, world, project)
    with world.context.database.session() as session:
        again = start_job(session, made, JobKind.DUPLICATE, "Duplicate", project, options={"with_runs": True})
    assert world.run(again).state == "done"
    assert client.get(f"/api/projects/{made}").json()["pictures"] == 2


@pytest.mark.parametrize("name", ["", "Crystals", "x" * 300])
def test_a_name_that_cannot_be_is_said(client: TestClient, world: World, name: str) -> None:
    project = world.project()
    answer = client.post(f"/api/projects/{project}/duplicate", json={"name": name})
    assert answer.status_code in (409, 422) and answer.json()["mend"]
