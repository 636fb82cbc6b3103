"""A search over what trials start from: each with its own network, kept with the plan whatever becomes of the model."""

from typing import Any

import pytest
from fastapi.testclient import TestClient
from sqlalchemy import text

from tests.jobs.test_taking_out import brought_back, taken_out
from tests.pictures import two_classes
from tests.world import World, small_recipe


@pytest.fixture
def project(client: TestClient, world: World) -> int:
    made = world.project()
    world.bring_in_apart(made, two_classes(each=30))
    return made


@pytest.fixture
def taught(client: TestClient, world: World, project: int) -> dict[str, Any]:
    """A run of the same split that has ended, of another network than the recipe of the searches."""
    recipe: dict[str, Any] = {**small_recipe(), "network": "plain 5"}
    made = client.post(f"/api/projects/{project}/runs", json={"recipe": recipe}).json()
    world.run_waiting()
    found: dict[str, Any] = client.get(f"/api/runs/{made['id']}").json()
    return found


def _body(*values: str, **more: Any) -> dict[str, Any]:
    return {
        "kind": "trials", "question": "From where", "recipe": small_recipe(), "way": "all", "trials": 1,
        "space": [{"name": "start", "values": list(values)}], **more,
    }  # fmt: skip


def _begin(client: TestClient, project: int, body: dict[str, Any]) -> int:
    answer = client.post(f"/api/projects/{project}/plans", json=body)
    assert answer.status_code == 202, answer.text
    found: int = answer.json()["id"]
    return found


def _to_end(client: TestClient, world: World, plan_id: int) -> dict[str, Any]:
    for _ in range(10):
        world.run_waiting()
    found: dict[str, Any] = client.get(f"/api/plans/{plan_id}").json()
    assert found["state"] == "ended"
    assert [one["ended_by"] for one in found["trials"]] == ["epochs"] * len(found["trials"]), found["trials"]
    return found


def _start(client: TestClient, run_id: int) -> str | None:
    start = client.get(f"/api/runs/{run_id}").json()["recipe"].get("start")
    return start["words"] if start else None


def test_starts_are_offered_with_nothing_first(client: TestClient, project: int, taught: dict[str, Any]) -> None:
    offers = client.post(f"/api/projects/{project}/knobs", json={"recipe": small_recipe()}).json()["offers"]
    [own] = [one for one in offers if one["name"] == "start"]
    assert own["values"][0] == "nothing"
    assert "the starter drawings, plain 8" in own["values"]
    assert own["values"][-1] == f"run {taught['number']} of Crystals"
    assert own["ranged"] is False


def test_each_trial_has_the_network_of_what_it_starts_from_and_others_are_varied_only_from_nothing(
    client: TestClient, world: World, project: int, taught: dict[str, Any]
) -> None:
    name = f"run {taught['number']} of Crystals"
    body = _body("nothing", name)
    body["space"].append({"name": "width", "values": [0.5, 1.0]})
    plan = _to_end(client, world, _begin(client, project, body))
    told = [
        (_start(client, one["run_id"]), one["values"].get("width"),
         client.get(f"/api/runs/{one['run_id']}").json()["recipe"]["network"])
        for one in plan["trials"]
    ]  # fmt: skip
    own = small_recipe()["network"]
    assert [(start, width) for start, width, _ in told] == [(None, 0.5), (None, 1.0), (name, None)]
    assert (told[1][2], told[2][2]) == (own, "plain 5")
    # It has what it starts from as a file of its own, to be trained finally by, or again.
    with world.context.database.session() as session:
        path = session.scalar(text("select start_path from run where id = :id"), {"id": plan["trials"][2]["run_id"]})
    assert world.context.store.exists(path)
    final = client.post(f"/api/plans/{plan['id']}/final-training", json={"run_id": plan["trials"][2]["run_id"]})
    assert final.status_code == 202
    world.run_waiting()
    assert client.get(f"/api/runs/{final.json()['id']}").json()["ended_by"] == "epochs"


def test_more_trials_start_from_a_model_that_is_gone_here_and_where_an_archive_brought_the_plan(
    client: TestClient, world: World, project: int, taught: dict[str, Any]
) -> None:
    name = f"run {taught['number']} of Crystals"
    body = _body("nothing", name, way="spread", trials=2)
    body["space"].append({"name": "learning_rate", "low": 0.001, "high": 0.01})
    plan = _to_end(client, world, _begin(client, project, body))
    back, ended = brought_back(world, taken_out(world, project, "project"))
    assert ended.state == "done", ended.error
    assert client.delete(f"/api/runs/{taught['id']}").status_code == 204
    assert client.delete(f"/api/projects/{project}/bin").status_code == 202
    world.run_waiting()
    [came] = client.get(f"/api/projects/{back}/plans").json()
    for plan_id in (plan["id"], came["id"]):
        added = client.post(f"/api/plans/{plan_id}/add", json={"trials": 2})
        assert added.status_code == 202, added.text
        more = _to_end(client, world, plan_id)["trials"][2:]
        assert {_start(client, one["run_id"]) for one in more} == {None, name}
    # With the project go the files that its plan kept.
    kept = [f"plans/{plan['id']}", f"plans/{came['id']}"]
    folder = world.context.settings.data_dir / "bytes"
    assert all(list((folder / one).glob("start-*.safetensors")) for one in kept)
    client.delete(f"/api/projects/{project}")
    assert client.delete(f"/api/projects/{project}/for-good").status_code == 202
    world.run_waiting()
    assert [bool(list((folder / one).glob("start-*.safetensors"))) for one in kept] == [False, True]


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"values": ["nothing", "run 99 of Crystals"]}, "nothing called"),
        ({"values": ["the starter drawings, plain 8"], "width": True}, "Let some start from nothing"),
        ({"values": ["nothing"]}, "Nothing is varied"),
    ],
)
def test_what_cannot_be_started_from_is_refused_with_its_mend(
    client: TestClient, world: World, project: int, change: dict[str, Any], words: str
) -> None:
    body = _body(*change["values"])
    if change.get("width"):
        body["space"].append({"name": "width", "values": [0.5, 1.0]})
    answer = client.post(f"/api/projects/{project}/plans", json=body)
    assert (answer.status_code, words in answer.text) == (422, True), answer.text
    assert client.get(f"/api/projects/{project}/plans").json() == []


def test_a_model_that_learnt_from_what_trials_are_compared_by_is_refused(
    client: TestClient, world: World, project: int, taught: dict[str, Any]
) -> None:
    split = client.post(f"/api/projects/{project}/splits", json={"seed": 77})
    assert split.status_code == 201, split.text
    name = f"run {taught['number']} of Crystals"
    body = _body("nothing", name, split_id=split.json()["id"])
    learnt = (
        "select count(*) from snapshot_picture s join run r on r.snapshot_id = s.snapshot_id"
        " join split_member m on m.picture_id = s.picture_id and m.set_name = 'validation' and m.split_id = :split"
        " where r.id = :run and s.set_name = 'training'"
    )
    with world.context.database.session() as session:
        known = session.scalar(text(learnt), {"split": split.json()["id"], "run": taught["id"]})
    assert known
    answer = client.post(f"/api/projects/{project}/plans", json=body)
    assert answer.status_code == 422
    assert f"learnt from {known} of the pictures" in answer.text
    sketch = client.post(f"/api/projects/{project}/plan-sketch", json=body).json()
    assert "learnt from" in sketch["failure"]["what"]
    # By its own split it may be held against the others.
    assert (
        client.post(f"/api/projects/{project}/plans", json={**body, "split_id": taught["split_id"]}).status_code == 202
    )
