"""Runs have a name and a note; in the bin they are nowhere else, and what hung on them comes back or goes for good."""

from typing import Any

import pytest
from starlette.testclient import TestClient

from tests.jobs.whole_project import trained_project
from tests.world import World, small_recipe
from vast_orchard.store.models import get_model
from vast_orchard.store.runs import get_run
from vast_orchard.store.splits import looks_on


@pytest.fixture
def project(world: World) -> int:
    return trained_project(world)


def _runs(client: TestClient, project: int) -> list[dict[str, Any]]:
    found: list[dict[str, Any]] = client.get(f"/api/projects/{project}/runs").json()["runs"]
    return found


def _second(world: World, project: int) -> int:
    run, job = world.run_job(project, small_recipe(epochs=1, seed=5))
    assert world.run(job).state == "done"
    return run


def test_a_name_and_a_note_before_and_after_the_start(client: TestClient, project: int) -> None:
    body = {"recipe": small_recipe(), "name": " wide  plates ", "note": "does a turn help?\n"}
    made = client.post(f"/api/projects/{project}/runs", json=body).json()
    assert (made["name"], made["note"]) == ("wide  plates", "does a turn help?")
    renamed = client.patch(f"/api/runs/{made['id']}", json={"name": "turned"}).json()
    assert (renamed["name"], renamed["note"]) == ("turned", "does a turn help?")
    assert client.patch(f"/api/runs/{made['id']}", json={"name": "", "note": ""}).json()["note"] == ""
    assert client.patch(f"/api/runs/{made['id']}", json={"name": "x" * 81}).status_code == 422
    assert client.patch(f"/api/runs/{made['id']}", json={"name": "a\u0007b"}).status_code == 422
    assert [run["name"] for run in _runs(client, project)] == ["", ""]


def test_in_the_bin_it_is_nowhere_else_and_comes_back(client: TestClient, world: World, project: int) -> None:
    first = _runs(client, project)[0]
    second = _second(world, project)
    third = _second(world, project)
    before = client.get(f"/api/runs/{third}").json()
    held = client.get(f"/api/runs/{first['id']}/holdings").json()
    assert (held["packs"], held["judged"], held["looks"]) == (1, ["validation"], 0)
    assert held["weights_bytes"] > 0 and held["packs_bytes"] > 0
    assert client.delete(f"/api/runs/{second}").status_code == 204
    assert [run["id"] for run in _runs(client, project)] == [third, first["id"]]
    for path in (f"/api/runs/{second}", f"/api/runs/{second}/epochs"):
        assert client.get(path).status_code == 404
    # What changed is told from the run that stands before it now.
    after = client.get(f"/api/runs/{third}").json()
    assert (before["previous"], {c["what"] for c in before["changed"]}) == (2, {"split"})
    assert after["previous"] == 1
    assert {c["what"] for c in after["changed"]} == {"split", "preprocessing.area", "settings.seed", "settings.epochs"}
    sift = {"sift": "wrong", "run": str(second)}
    assert client.get(f"/api/projects/{project}/pictures", params=sift).status_code == 404
    assert client.get(f"/api/projects/{project}").json()["runs"] == 2
    binned = client.get(f"/api/projects/{project}/bin").json()["runs"]
    assert [(run["id"], run["number"]) for run in binned] == [(second, 2)]
    assert client.delete(f"/api/runs/{second}").status_code == 404
    assert client.post(f"/api/runs/{second}/restore").json()["number"] == 2
    assert client.get(f"/api/runs/{third}").json() == before
    assert client.post(f"/api/runs/{second}/restore").status_code == 404


def test_one_under_way_is_stopped_first(client: TestClient, world: World, project: int) -> None:
    run, _ = world.run_job(project)
    answer = client.delete(f"/api/runs/{run}")
    assert (answer.status_code, "Stop it" in answer.json()["mend"]) == (409, True)


def test_gone_for_good_with_its_files_but_not_its_looks_or_its_number(
    client: TestClient, world: World, project: int
) -> None:
    run = _runs(client, project)[0]
    with world.context.database.session() as session:
        value = get_run(session, run["id"])
        model = get_model(session, run["model"]["id"])
    assert client.post(f"/api/models/{model.id}/looks", json={"place": "review"}).status_code < 300
    world.run_waiting()
    pack = client.get(f"/api/models/{model.id}/exports").json()[0]["id"]
    # A picture that only the run remembers goes with it.
    gone = world.picture_ids(project)[20]
    sha256 = client.get(f"/api/projects/{project}/pictures/{gone}").json()["picture"]["sha256"]
    client.post(f"/api/projects/{project}/bin", json={"picture_ids": [gone]})
    assert client.delete(f"/api/projects/{project}/bin").status_code == 202
    world.run_waiting()
    store = world.context.store
    assert store.exists(store.picture_path(sha256)) and store.exists(model.weights_path)
    assert client.delete(f"/api/runs/{run['id']}").status_code == 204
    assert client.delete(f"/api/projects/{project}/bin").status_code == 202
    world.run_waiting()
    assert not store.exists(store.picture_path(sha256)) and not store.exists(model.weights_path)
    assert value.state_path and not store.exists(value.state_path)
    assert not store.exists(f"exports/{pack}.zip")
    bin_ = client.get(f"/api/projects/{project}/bin").json()
    assert (bin_["count"], bin_["runs"]) == (0, [])
    with world.context.database.session() as session:
        assert looks_on(session, value.split_id or 0) == 1
    # The project goes on, its next run has a number of its own, and it can be taken out.
    second = _second(world, project)
    assert client.get(f"/api/runs/{second}").json()["number"] == 2
    taken = client.post(f"/api/projects/{project}/parcels", json={"kind": "project"})
    assert taken.status_code < 300, taken.text
    world.run_waiting()
    assert client.get(f"/api/projects/{project}/parcels").json()[0]["size_bytes"]
