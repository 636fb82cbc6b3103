"""Plans over HTTP: sketched, begun, read, paused, added to and finished; and everything that cannot be is refused."""

from typing import Any

import pytest
from fastapi.testclient import TestClient
from sqlalchemy import text

from tests.jobs.test_taking_out import brought_back, taken_out
from tests.pictures import two_classes
from tests.world import World, small_recipe
from vast_orchard.errors import ConflictError
from vast_orchard.store.transfer import check_at_rest

RATES = {"name": "learning_rate", "low": 0.0005, "high": 0.05, "by_ratio": True}
SIZES = {"name": "batch_size", "values": [8, 16]}


@pytest.fixture
def project(client: TestClient, world: World) -> int:
    made = world.project("Ridge")
    world.bring_in_apart(made, two_classes(each=30))
    return made


def _search(**more: Any) -> dict[str, Any]:
    return {
        "kind": "trials", "question": "Which rate", "recipe": small_recipe(epochs=3), "space": [RATES, SIZES],
        "trials": 3, **more,
    }  # fmt: skip


def _post(client: TestClient, address: str, body: Any = None, status: int = 200) -> Any:
    answer = client.post(address, json=body or {})
    assert answer.status_code == status, answer.text
    return answer.json()


def test_what_can_be_varied_is_offered_and_a_space_proposed_that_can_be_searched(
    client: TestClient, project: int
) -> None:
    told = _post(client, f"/api/projects/{project}/knobs", {"recipe": small_recipe()})
    names = [one["name"] for one in told["offers"]]
    assert names[:2] == ["network", "width"]
    assert "seed" not in names
    assert "epochs" not in names
    space = told["proposed"]
    assert space[0]["name"] == "learning_rate"
    assert space[0]["low"] < 0.01 < space[0]["high"]
    for knob in space:
        del knob["words"]
    sketch = _post(client, f"/api/projects/{project}/plan-sketch", _search(space=space, trials=8))
    assert sketch["cost"]["trials"] == 8
    assert len(sketch["first"]) == 4


def test_a_sketch_counts_trials_epochs_and_combinations_and_begins_nothing(client: TestClient, project: int) -> None:
    body = _search(space=[SIZES, {"name": "strength", "values": [0.5, 1, 1.5]}], way="all", trials=1)
    sketch = _post(client, f"/api/projects/{project}/plan-sketch", body)
    assert (sketch["possible"], sketch["cost"]["trials"], sketch["cost"]["epochs"]) == (6, 6, 18)
    dropped = {**body, "dropping": {"factor": 3, "least": 1}}
    cost = _post(client, f"/api/projects/{project}/plan-sketch", dropped)["cost"]
    assert (cost["rungs"], cost["at_rungs"], cost["epochs"]) == ([1, 3], [6, 2], 6 + 2 * 2)
    folds = {"kind": "folds", "question": "How sure", "recipe": _last(), "folds": {"count": 5, "rounds": 2}}
    assert _post(client, f"/api/projects/{project}/plan-sketch", folds)["cost"]["trials"] == 10
    assert client.get(f"/api/projects/{project}/plans").json() == []


def _last() -> dict[str, Any]:
    recipe: Any = small_recipe()
    recipe["settings"]["keep"] = "last"
    return recipe


@pytest.mark.parametrize(
    ("change", "said"),
    [
        ({"space": []}, "Nothing is varied"),
        ({"space": [{"name": "learning_rate", "low": 0.1, "high": 0.01}]}, "smaller end first"),
        ({"space": [{"name": "batch_size", "low": 1, "high": 2000}, {"name": "step_epochs", "low": 1, "high": 2000}],
          "way": "all"}, "combinations"),
        ({"space": [{"name": "network", "values": ["plain 4", "plain 99"]}]}, "no network 'plain 99'"),
        ({"space": [{"name": "variation", "values": ["none", "wild"]}]}, "no variation 'wild'"),
        ({"space": [{"name": "seed", "values": [1, 2]}]}, "by chance only"),
        ({"dropping": {"factor": 3, "least": 9}}, "first rung is at epoch 9 of 3"),
        ({"minutes": -1}, "no time"),
        ({"kind": "copies", "trials": 1}, "1 copies"),
        ({"kind": "folds", "recipe": {**small_recipe(),
          "settings": {"keep": "lowest-validation-loss"}}}, "every score too good"),
        ({"kind": "folds", "folds": {"count": 40}, "recipe": "last"}, "folds at most"),
    ],
)  # fmt: skip
def test_what_cannot_be_planned_is_refused_with_its_mend_and_leaves_nothing(
    client: TestClient, project: int, change: dict[str, Any], said: str
) -> None:
    if change.get("recipe") == "last":
        change = {**change, "recipe": _last()}
    answer = client.post(f"/api/projects/{project}/plans", json={**_search(), **change})
    assert answer.status_code in (409, 422), answer.text
    told = answer.json()
    assert said in f"{told['title']} {told.get('detail', '')} {told.get('mend', '')}"
    # Before it is begun it is said without being an error: it is on its way to something that can be.
    if not change.get("folds"):
        sketch = _post(client, f"/api/projects/{project}/plan-sketch", {**_search(), **change})
        assert said in f"{sketch['failure']['what']} {sketch['failure']['mend']}"
        assert sketch["cost"] is None
    assert client.get(f"/api/projects/{project}/plans").json() == []
    assert client.get(f"/api/projects/{project}/runs").json()["total"] == 0


def test_a_search_from_its_beginning_to_final_training(client: TestClient, world: World, project: int) -> None:
    plan = _post(client, f"/api/projects/{project}/plans", _search(), 202)
    assert (plan["state"], plan["total"], plan["runs"]) == ("running", 3, 2)
    assert plan["trials"][0]["values"].keys() == {"learning_rate", "batch_size"}
    [place] = client.get("/api/trainers").json()
    assert (place["job_id"], place["threads"] >= 1) == (None, True)
    for _ in range(6):
        world.run_waiting()
    plan = client.get(f"/api/plans/{plan['id']}").json()
    assert (plan["state"], plan["ended_by"], plan["ended"]) == ("ended", "done", 3)
    values = [one["value"] for one in plan["trials"]]
    assert (plan["by"], plan["rising"]) == ("validation_loss", False)
    assert plan["trials"][plan["best"] - 1]["value"] == min(values)
    course = [point["value"] for point in plan["course"]]
    assert course == sorted(set(course), reverse=True)
    assert course[-1] == min(values)
    assert plan["carried"] == {"trials": 3, "epochs": 3, "fewest": 8, "settings": []}
    assert plan["found"]["optimism"]["trials"] == 3
    low, high = plan["trials"][0]["interval"]
    assert low <= plan["trials"][0]["figures"]["validation_accuracy"] <= high
    curves = client.get(f"/api/plans/{plan['id']}/curves").json()
    assert [len(curves[str(n)]) for n in (1, 2, 3)] == [3, 3, 3]
    # Its runs stand outside the Ledger until one is let in.
    assert client.get(f"/api/projects/{project}/runs").json()["total"] == 0
    best = plan["trials"][plan["best"] - 1]
    assert _post(client, f"/api/runs/{best['run_id']}/list")["listed"]
    assert [run["id"] for run in client.get(f"/api/projects/{project}/runs").json()["runs"]] == [best["run_id"]]
    assert client.post(f"/api/runs/{best['run_id']}/list").status_code == 409
    final = _post(client, f"/api/plans/{plan['id']}/final-training", {}, 202)
    assert (final["repeats"]["run"], final["repeats"]["until"]) == (best["number"], 3)
    world.run_waiting()
    final = client.get(f"/api/runs/{final['id']}").json()
    assert (final["ended_by"], final["validation"]) == ("epochs", None)
    assert client.post(f"/api/runs/{final['id']}/final-training").status_code == 409
    [listed] = client.get(f"/api/projects/{project}/plans").json()
    assert (listed["question"], listed["best"]) == ("Which rate", plan["best"])


def test_a_plan_is_paused_goes_on_is_added_to_and_stopped(client: TestClient, world: World, project: int) -> None:
    plan_id = _post(client, f"/api/projects/{project}/plans", _search(), 202)["id"]
    assert _post(client, f"/api/plans/{plan_id}/pause")["state"] == "paused"
    assert client.post(f"/api/plans/{plan_id}/pause").status_code == 409
    assert _post(client, f"/api/plans/{plan_id}/go-on")["state"] == "running"
    assert client.post(f"/api/plans/{plan_id}/go-on").status_code == 409
    first = [one["values"] for one in client.get(f"/api/plans/{plan_id}").json()["trials"]]
    added = _post(client, f"/api/plans/{plan_id}/add", {"trials": 2}, 202)
    assert added["total"] == 5
    assert [one["values"] for one in added["trials"]][: len(first)] == first
    assert client.post(f"/api/plans/{plan_id}/add", json={}).status_code == 409
    stopped = _post(client, f"/api/plans/{plan_id}/stop")
    assert (stopped["state"], stopped["ended_by"]) == ("ended", "stopped")
    assert {one["ended_by"] for one in stopped["trials"]} == {"stopped"}
    assert client.post(f"/api/plans/{plan_id}/stop").status_code == 409
    assert client.post(f"/api/plans/{plan_id}/final-training", json={}).status_code == 409
    assert client.get("/api/plans/99").status_code == 404


def test_a_time_below_that_of_one_trial_is_refused_where_the_pace_is_known(
    client: TestClient, project: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("vast_orchard.api.plans.pace_here", lambda _: 1000.0)
    answer = client.post(f"/api/projects/{project}/plans", json=_search(minutes=0.01))
    assert answer.status_code == 422
    assert "One trial takes about" in answer.text
    monkeypatch.setattr("vast_orchard.api.plans.pace_here", lambda _: 1.0)
    sketch = _post(client, f"/api/projects/{project}/plan-sketch", _search())
    assert sketch["cost"]["seconds"] == pytest.approx(3 * sketch["cost"]["one_s"])


def test_a_project_is_not_archived_while_a_plan_goes_on_and_its_plan_comes_back_with_what_was_found(
    client: TestClient, world: World, project: int
) -> None:
    plan_id = _post(client, f"/api/projects/{project}/plans", _search(dropping={"factor": 3, "least": 1}), 202)["id"]
    while client.get(f"/api/plans/{plan_id}").json()["state"] == "running":
        with world.context.database.session() as session:
            if session.execute(text("select 1 from run where state = 'resting'")).scalar():
                with pytest.raises(ConflictError):
                    check_at_rest(session, project)
        world.run_waiting()
    world.run_waiting()
    before = client.get(f"/api/plans/{plan_id}").json()
    back, ended = brought_back(world, taken_out(world, project, "project"))
    assert ended.state == "done", ended.error
    [came] = client.get(f"/api/projects/{back}/plans").json()
    after = client.get(f"/api/plans/{came['id']}").json()
    assert (after["found"], after["best"], after["ending"]) == (before["found"], before["best"], before["ending"])
    told = [
        [(one["values"], one["value"], one["rungs"], one["ending"]) for one in plan["trials"]]
        for plan in (before, after)
    ]
    assert told[0] == told[1]


def test_runs_answer_together_as_a_run_of_the_ledger(client: TestClient, world: World, project: int) -> None:
    runs = [_post(client, f"/api/projects/{project}/runs", {"recipe": small_recipe(seed=seed)}, 202) for seed in (1, 2)]
    for _ in range(2):
        world.run_waiting()
    ids = [client.get(f"/api/runs/{run['id']}").json()["model"]["id"] for run in runs]
    job = _post(client, f"/api/projects/{project}/combinations", {"model_ids": ids, "name": "Both"}, 202)
    assert (job["kind"], job["title"]) == ("combine", "Both")
    for _ in range(2):
        world.run_waiting()
    both = client.get(f"/api/projects/{project}/runs").json()["runs"][0]
    assert (both["name"], both["ended_by"]) == ("Both", "combined")
    together = both["ending"]["together"]
    assert [member["number"] for member in together["members"]] == [run["number"] for run in runs]
    assert together["accuracy"] == pytest.approx(both["validation"]["accuracy"])
    address = f"/api/projects/{project}/combinations"
    assert client.post(address, json={"model_ids": ids[:1]}).status_code == 422
    assert client.post(address, json={"model_ids": [ids[0], ids[0]]}).status_code == 409
    assert client.post(address, json={"model_ids": [ids[0], 999]}).status_code == 404
    assert client.post(f"/api/runs/{both['id']}/final-training").status_code == 409


def test_two_set_ups_over_the_same_folds_are_compared_and_others_are_not(
    client: TestClient, world: World, project: int
) -> None:
    ids = []
    for count, smoothing in ((3, 0.0), (3, 0.2), (4, 0.0)):
        recipe = _last()
        recipe["settings"]["label_smoothing"] = smoothing
        body = {"kind": "folds", "question": "How sure", "recipe": recipe, "folds": {"count": count}}
        ids.append(_post(client, f"/api/projects/{project}/plans", body, 202)["id"])
    for _ in range(12):
        world.run_waiting()
    first, second, other = ids
    told = client.get(f"/api/plans/{second}/beside/{first}").json()
    accuracies = [
        [one["figures"]["validation_accuracy"] for one in client.get(f"/api/plans/{n}").json()["trials"]]
        for n in (first, second)
    ]
    apart = [b - a for a, b in zip(*accuracies, strict=True)]
    assert told["difference"]["mean"] == pytest.approx(sum(apart) / 3)
    assert told["failure"] == ""
    assert "other folds" in client.get(f"/api/plans/{other}/beside/{first}").json()["failure"]
    assert client.get(f"/api/plans/{first}/beside/999").status_code == 404
