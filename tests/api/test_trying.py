"""What is tried from elsewhere: buckets with a key of the page, pictures by a Sift, tables; and what lies nearest."""

import io
import zipfile
from dataclasses import replace
from pathlib import Path
from typing import Any

import pytest
from starlette.testclient import TestClient

from tests.buckets import served
from tests.pictures import png
from tests.world import World, small_recipe
from vast_orchard.api.app import create_app
from vast_orchard.demo.bucket import StandIn

_CLASSES = ("plate", "rime")


@pytest.fixture
def model(client: TestClient, world: World) -> dict[str, Any]:
    project = int(client.post("/api/projects", json={"name": "Crystals"}).json()["id"])
    world.bring_in(
        project,
        {f"{name}/{n}.png": png(60 * k + n, level=60 + 120 * k) for k, name in enumerate(_CLASSES) for n in range(30)},
    )
    run, job = world.run_job(project, small_recipe(epochs=1))
    assert world.run(job).state == "done"
    found: dict[str, Any] = client.get(f"/api/runs/{run}").json()
    return found


def _table(client: TestClient, data: bytes, paths: list[str], name: str = "labels.csv") -> Any:
    return client.post("/api/label-table", data={"paths": "\n".join(paths)}, files={"file": (name, data)})


def test_a_table_says_the_classes_of_files(client: TestClient) -> None:
    paths = ["new/a/1.png", "new/a/2.png", "new/b/1.png", "new/3.png"]
    found = _table(client, b"path,class\na/1.png,rime\n2.png,Plate\nb/1.png,plate\nelse.png,rime\n", paths).json()
    assert found["classes"] == {"new/a/1.png": "rime", "new/a/2.png": "Plate", "new/b/1.png": "Plate"}
    assert any("else.png" in note for note in found["notes"])
    for data, words in (
        (b"", "empty"), (b"\0\1\2\3", "zero bytes"), (b"file,class\nother.png,rime\n", "none of these files"),
        (b"file\n3.png\n", "no class"),
    ):  # fmt: skip
        refused = _table(client, data, paths)
        assert (refused.status_code, words in refused.text) == (422, True), refused.text


def test_a_bucket_is_asked_with_the_key_of_the_page(
    world: World, quick_processes: None, tmp_path: Path, caplog: pytest.LogCaptureFixture
) -> None:
    place = tmp_path / "buckets" / "ridge" / "new" / "rime"
    place.mkdir(parents=True)
    for n in range(3):
        (place / f"{n}.png").write_bytes(png(n))
    with served(StandIn(folder=tmp_path / "buckets", key="warden")) as url:
        # The settings have another key, which is not let in.
        settings = replace(world.context.settings, bucket_url=url, bucket_key="other", bucket_secret="x")
        with TestClient(create_app(settings), base_url="http://127.0.0.1:8420", headers={"X-Window": "one"}) as client:
            asked = {"location": "ridge/new/", "key": "warden", "secret": "of the ridge"}
            answer = client.post("/api/bucket-pictures", json=asked)
            assert answer.status_code == 200, answer.text
            with zipfile.ZipFile(io.BytesIO(answer.content)) as archive:
                assert sorted(archive.namelist()) == ["rime/0.png", "rime/1.png", "rime/2.png"]
                assert archive.read("rime/1.png") == png(1)
            refused = client.post("/api/bucket-pictures", json={"location": "ridge/new/"})
            assert (refused.status_code, "does not know the key" in refused.text) == (503, True), refused.text
            none = client.post("/api/bucket-pictures", json={**asked, "location": "valley/"})
            assert "no such bucket" in none.text
    assert "of the ridge" not in caplog.text


def test_pictures_by_a_sift_leave_the_test_set_out(client: TestClient, model: dict[str, Any]) -> None:
    project, number = model["project_id"], model["model"]["id"]
    address = f"/api/models/{number}/sifted-to-try"
    sets = {
        picture["sha256"]: picture["set_name"]
        for picture in client.get(f"/api/projects/{project}/pictures?split={model['split_id']}").json()["pictures"]
    }
    found = client.post(address, json={"sift": "class:rime"}).json()
    assert {picture["class_name"] for picture in found["pictures"]} == {"rime"}
    assert found["left_out"] > 0
    assert len(found["pictures"]) + found["left_out"] == 30
    assert all(sets[picture["sha256"]] != "test" for picture in found["pictures"])
    assert client.post(address, json={"sift": "set:test"}).json()["pictures"] == []
    some = client.post(address, json={"limit": 5}).json()
    assert (some["more"], len(some["pictures"]) <= 5) == (True, True)
    assert client.post(address, json={"sift": "class:"}).status_code == 422


def test_the_nearest_of_a_file_are_those_of_the_picture_that_it_is(
    client: TestClient, world: World, model: dict[str, Any]
) -> None:
    number, project = model["model"]["id"], model["project_id"]
    address, own = f"/api/models/{number}/try/nearest", png(7, level=60)
    assert client.post(address, files={"file": ("a.png", own)}).status_code == 404
    client.post(f"/api/models/{number}/judgements", json={"set": "training"})
    jobs = [job for job in client.get("/api/jobs").json() if job["kind"] == "judge" and job["state"] == "waiting"]
    assert all(world.run(job["id"]).state == "done" for job in jobs)
    found = client.post(address, files={"file": ("a.png", own)}).json()
    assert len(found) == 6
    pictures = client.get(f"/api/projects/{project}/pictures?split={model['split_id']}").json()["pictures"]
    learnt = {picture["id"] for picture in pictures if picture["set_name"] == "training"}
    assert {near["picture_id"] for near in found} <= learnt
    # A file that was learnt from lies nearest to itself.
    first = next(picture for picture in pictures if picture["set_name"] == "training")
    data = client.get(f"/api/originals/{first['sha256']}").content
    near = client.post(address, files={"file": ("b.png", data)}).json()[0]
    assert (near["picture_id"], near["likeness"]) == (first["id"], pytest.approx(1, abs=2e-3))
    assert client.post(address, files={"file": ("c.png", b"none")}).status_code == 422
