"""The answers of all folds, reviewed and sifted as one model's; what would need its weights is refused."""

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
def plan(client: TestClient, world: World, project: int) -> dict[str, Any]:
    """Three folds in two rounds, trained to their end."""
    recipe: dict[str, Any] = small_recipe()
    body = {
        "kind": "folds", "question": "How sure", "folds": {"count": 3, "rounds": 2},
        "recipe": {**recipe, "settings": {**recipe["settings"], "keep": "last"}},
    }  # fmt: skip
    answer = client.post(f"/api/projects/{project}/plans", json=body)
    assert answer.status_code == 202, answer.text
    for _ in range(10):
        world.run_waiting()
    found: dict[str, Any] = client.get(f"/api/plans/{answer.json()['id']}").json()
    assert found["state"] == "ended"
    return found


def _answers(world: World, run_ids: list[int]) -> dict[int, tuple[int, int, float]]:
    """True and predicted class and probability of each validation picture of runs, read from the records."""
    query = (
        "select picture_id, true_class, predicted_class, p from prediction join model on model.id = model_id"
        " where run_id = any(:ids) and set_name = 'validation'"
    )
    with world.context.database.session() as session:
        rows = session.execute(text(query), {"ids": run_ids}).all()
    found = {row[0]: (row[1], row[2], row[3]) for row in rows}
    assert len(found) == len(rows), "a picture is answered once"
    return found


def test_each_picture_has_the_answer_of_the_first_fold_that_held_it_out(
    client: TestClient, world: World, project: int, plan: dict[str, Any]
) -> None:
    run = client.get(f"/api/runs/{plan['answers_run']}").json()
    assert (run["ended_by"], run["ending"]["folds"], run["model"]["has_weights"]) == ("pooled", 6, False)
    pooled = _answers(world, [run["id"]])
    assert pooled == _answers(world, [one["run_id"] for one in plan["trials"] if one["round"] == 1])
    assert {one["run_id"] for one in plan["trials"]}.isdisjoint({run["id"]})
    scores = client.get(f"/api/models/{run['model']['id']}/judgement").json()
    right = sum(true == said for true, said, _ in pooled.values())
    assert (scores["count"], scores["right"]) == (len(pooled), right)
    # Nothing stands in the plain Ledger that the person did not train.
    assert client.get(f"/api/projects/{project}/runs").json()["runs"] == []
    sure = client.get(f"/api/models/{run['model']['id']}/sureness").json()
    assert sure["temperature"] is None
    assert client.get(f"/api/models/{run['model']['id']}/report.html").status_code == 200


def test_they_are_sifted_like_those_of_any_run(
    client: TestClient, world: World, project: int, plan: dict[str, Any]
) -> None:
    pooled = _answers(world, [plan["answers_run"]])
    asked = {"run": plan["answers_run"], "first": 100}
    wrong = sum(true != said for true, said, _ in pooled.values())
    assert client.get(f"/api/projects/{project}/field", params={**asked, "sift": "wrong"}).json()["total"] == wrong
    judged = client.get(f"/api/projects/{project}/field", params={**asked, "sift": "judged"}).json()
    assert judged["total"] == len(pooled)


def test_where_the_fold_that_answered_looks_is_shown_and_a_test_picture_stays_shut(
    client: TestClient, world: World, project: int, plan: dict[str, Any]
) -> None:
    model = client.get(f"/api/runs/{plan['answers_run']}").json()["model"]["id"]
    held = next(iter(_answers(world, [plan["trials"][1]["run_id"]])))
    shown = client.get(f"/api/models/{model}/pictures/{held}/heatmap").json()
    by_fold = client.get(f"/api/models/{plan['trials'][1]['model_id']}/pictures/{held}/heatmap").json()
    assert shown == by_fold
    kept_back = next(n for n in world.picture_ids(project) if n not in _answers(world, [plan["answers_run"]]))
    refused = client.get(f"/api/models/{model}/pictures/{kept_back}/heatmap")
    assert (refused.status_code, "No fold" in refused.text) == (409, True)
    # In the bin the fold answers nobody; put back it does again.
    assert client.delete(f"/api/runs/{plan['trials'][1]['run_id']}").status_code == 204
    assert client.get(f"/api/models/{model}/pictures/{held}/heatmap").status_code == 200  # by the second round
    for one in plan["trials"]:
        client.delete(f"/api/runs/{one['run_id']}")
    assert client.get(f"/api/models/{model}/pictures/{held}/heatmap").status_code == 409


def test_what_needs_weights_is_refused_with_a_way_on(
    client: TestClient, world: World, project: int, plan: dict[str, Any]
) -> None:
    run = client.get(f"/api/runs/{plan['answers_run']}").json()
    model, number = run["model"]["id"], plan["trials"][0]["model_id"]
    png = next(iter(two_classes(each=1).values()))
    held = next(iter(_answers(world, [run["id"]])))
    asked = [
        client.post(f"/api/models/{model}/try", files={"files": ("a.png", png)}),
        client.post(f"/api/models/{model}/try/heatmap", files={"file": ("a.png", png)}),
        client.get(f"/api/models/{model}/pictures/{held}/nearest"),
        client.post(f"/api/models/{model}/exports", json={}),
        client.post(f"/api/models/{model}/offers", json={"name": "one"}),
        client.post(f"/api/models/{model}/agreement"),
        client.post(f"/api/models/{model}/judgements", json={"set": "outside"}),
        client.post(f"/api/models/{model}/looks", json={"place": "review"}),
        client.post(f"/api/projects/{project}/combinations", json={"model_ids": [model, number]}),
        client.post(f"/api/projects/{project}/runs",
                    json={"recipe": {**small_recipe(), "start": {"model_id": model}}}),
    ]  # fmt: skip
    for answer in asked:
        assert answer.status_code == 409, (answer.url, answer.text)
        assert "no one network" in answer.text, answer.url
    assert client.post(f"/api/runs/{run['id']}/final-training").status_code == 409
    offered = client.get(f"/api/projects/{project}/starting-models").json()
    assert number in [one["model_id"] for one in offered]
    assert model not in [one["model_id"] for one in offered]
    assert client.get(f"/api/models/{model}/outside").json() == {"outside": 0, "unlabelled": 0}


def test_they_come_back_with_an_archive_and_go_for_good_with_the_bin(
    client: TestClient, world: World, project: int, plan: dict[str, Any]
) -> None:
    back, ended = brought_back(world, taken_out(world, project, "project"))
    assert ended.state == "done", ended.error
    [came] = client.get(f"/api/projects/{back}/plans").json()
    there = client.get(f"/api/plans/{came['id']}").json()
    model = client.get(f"/api/runs/{there['answers_run']}").json()["model"]
    assert (model["has_weights"], model["digest"] is not None) == (False, True)
    own = client.get(f"/api/runs/{plan['answers_run']}").json()["model"]
    told = [client.get(f"/api/models/{one['id']}/judgement").json()["confusion"] for one in (own, model)]
    assert told[0] == told[1]
    assert client.delete(f"/api/runs/{plan['answers_run']}").status_code == 204
    assert client.get(f"/api/plans/{plan['id']}").json()["answers_run"] is None
    assert client.delete(f"/api/projects/{project}/bin").status_code == 202
    world.run_waiting()
    assert client.get(f"/api/runs/{plan['trials'][0]['run_id']}").status_code == 200
    with world.context.database.session() as session:
        assert session.scalar(text("select count(*) from run where ended_by = 'pooled'")) == 1
