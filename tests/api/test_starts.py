"""Runs that start from a learnt model, over HTTP and through a worker: of another project, from a file, again."""

import json
from collections.abc import Callable, Mapping
from typing import Any

import numpy as np
import pytest
from fastapi.testclient import TestClient
from safetensors.numpy import load, save

from tests.jobs.test_taking_out import brought_back, taken_out
from tests.pictures import png
from tests.world import World, small_recipe
from vast_orchard.errors import DatabaseGoneError
from vast_orchard.formats.checkpoint_file import safetensors_metadata
from vast_orchard.jobs.training import run_training
from vast_orchard.store.models import get_model
from vast_orchard.store.runs import set_last_state
from vast_orchard.store.schema import JobKind


def _project(world: World, name: str, classes: Mapping[str, int]) -> int:
    made = world.project(name)
    members = {f"{c}/{n}.png": png(97 * at + n, level=level) for at, (c, level) in enumerate(classes.items())
               for n in range(12)}  # fmt: skip
    world.bring_in(made, members)
    return made


@pytest.fixture
def taught(client: TestClient, world: World) -> dict[str, Any]:
    """A run that has ended, in a project of its own."""
    project = _project(world, "Valley", {"plate": 60, "rime": 140})
    made = client.post(f"/api/projects/{project}/runs", json={"recipe": small_recipe()}).json()
    world.run_waiting()
    found: dict[str, Any] = client.get(f"/api/runs/{made['id']}").json()
    assert found["state"] == "ended"
    return found


@pytest.fixture
def project(world: World) -> int:
    return _project(world, "Ridge", {"needle": 90, "plate": 200, "column": 20})


def _recipe(start: dict[str, Any], **settings: Any) -> dict[str, Any]:
    recipe: Any = small_recipe(epochs=3)
    recipe["settings"].update(settings)
    del recipe["network"]
    return {**recipe, "start": start}


def _plan(client: TestClient, project: int, recipe: dict[str, Any]) -> dict[str, Any]:
    answer = client.post(
        f"/api/projects/{project}/start-plan", json={"recipe": recipe, "training": 25, "validation": 6}
    )
    assert answer.status_code == 200, answer.text
    found: dict[str, Any] = answer.json()
    return found


def _start(client: TestClient, world: World, project: int, recipe: dict[str, Any]) -> dict[str, Any]:
    answer = client.post(f"/api/projects/{project}/runs", json={"recipe": recipe})
    assert answer.status_code == 202, answer.text
    world.run_waiting()
    found: dict[str, Any] = client.get(f"/api/runs/{answer.json()['id']}").json()
    assert found["ended_by"] == "epochs", found["ending"]
    return found


def _file_of(world: World, run: dict[str, Any]) -> bytes:
    with world.context.database.session() as session:
        return world.context.store.read(get_model(session, run["model"]["id"]).weights_path)


def _weights(world: World, run: dict[str, Any]) -> dict[str, Any]:
    return load(_file_of(world, run))


def test_before_the_start_it_is_told_what_is_taken_over_and_what_learns_when(
    client: TestClient, taught: dict[str, Any], project: int
) -> None:
    start = {"model_id": taught["model"]["id"], "learns": "new-then-all", "new_epochs": 1}
    found = _plan(client, project, _recipe(start))
    assert found["words"] == "run 1 of Valley"
    assert found["network"]["name"] == "plain 4"
    assert found["classes"] == ["plate", "rime"]
    numbered = [layer for layer in found["layers"] if layer["parameters"]]
    assert [layer["why"] for layer in numbered if not layer["taken"]] == [
        "1 of its 3 classes are there too, and those are taken over."
    ]
    assert not numbered[-1]["taken"]
    assert found["statistics_kept"]
    assert found["doubts"] == []
    assert found["failure"] is None
    first, second = found["phases"]
    assert (first["first"], first["epochs"], second["first"], second["epochs"]) == (1, 1, 2, 2)
    assert first["layers"] == [numbered[-1]["id"]]
    assert second["layers"] == [layer["id"] for layer in numbered]
    assert first["parameters"] == numbered[-1]["parameters"] < second["parameters"]
    assert first["frozen_to"]


def test_a_run_goes_on_from_one_of_another_project_in_two_phases(
    client: TestClient, world: World, taught: dict[str, Any], project: int
) -> None:
    start = {"model_id": taught["model"]["id"], "learns": "new-then-all", "new_epochs": 1, "rate_factor": 0.5}
    run = _start(client, world, project, _recipe(start))
    told = run["recipe"]["start"]
    assert told == {
        "words": "run 1 of Valley", "digest": taught["model"]["digest"], "learns": "new-then-all", "new_epochs": 1,
        "frozen_to": "", "rate_factor": 0.5, "moving_statistics": False, "new_statistics": False,
    }  # fmt: skip
    before, after = _weights(world, taught), _weights(world, run)
    for name, value in before.items():
        if name.endswith((".mean", ".variance")):
            np.testing.assert_array_equal(after[name], value, err_msg=name)
    statistics = client.get("/api/starting-point", params={"model_id": run["model"]["id"]}).json()["statistics"]
    assert (
        statistics == client.get("/api/starting-point", params={"model_id": taught["model"]["id"]}).json()["statistics"]
    )
    # The same once more, from what that run started from, though the model itself is gone.
    assert client.delete(f"/api/runs/{taught['id']}").status_code == 204
    assert client.delete(f"/api/projects/{taught['project_id']}/bin").status_code == 202
    world.run_waiting()
    again = _start(client, world, project, _recipe({**start, "model_id": None, "run_id": run["id"]}))
    assert again["model"]["digest"] == run["model"]["digest"]
    assert again["recipe"]["start"] == told
    assert again["changed"] == []


def test_a_frozen_trunk_keeps_its_bits_through_the_records(
    client: TestClient, world: World, taught: dict[str, Any], project: int
) -> None:
    run = _start(client, world, project, _recipe({"model_id": taught["model"]["id"], "learns": "new"}))
    before, after = _weights(world, taught), _weights(world, run)
    last = next(name for name in reversed(after) if name.endswith(".weights") and after[name].ndim == 2)
    for name, value in before.items():
        if name.partition(".")[0] != last.partition(".")[0]:
            np.testing.assert_array_equal(after[name], value, err_msg=name)
    export = client.post(f"/api/models/{run['model']['id']}/exports")
    assert export.status_code == 202
    world.run_waiting()
    proof = client.get(f"/api/models/{run['model']['id']}/exports").json()[0]["proof"]
    assert proof["max_abs_difference"] < 1e-4


def _send(client: TestClient, data: bytes, name: str = "model.safetensors") -> str:
    upload = client.post("/api/uploads").json()["id"]
    sent = client.put(f"/api/uploads/{upload}/files", data={"path": name}, files={"file": ("file", data)})
    assert sent.status_code == 204, sent.text
    return str(upload)


def _with_facts(data: bytes, change: Any) -> bytes:
    facts = json.loads(safetensors_metadata(data)["model"])
    change(facts)
    return bytes(save(load(data), {"model": json.dumps(facts)}))


def test_a_model_file_can_be_started_from_and_is_kept_with_the_run(
    client: TestClient, world: World, taught: dict[str, Any], project: int
) -> None:
    upload = _send(client, _file_of(world, taught), "from-the-valley.safetensors")
    run = _start(client, world, project, _recipe({"upload": upload, "learns": "all"}))
    assert run["recipe"]["start"]["words"] == "from-the-valley.safetensors"
    assert run["recipe"]["start"]["digest"] == taught["model"]["digest"]
    copy = client.post(f"/api/projects/{project}/duplicate", json={"name": "Ridge, later"}).json()["id"]
    world.run_waiting()
    there = client.get(f"/api/projects/{copy}/runs").json()["runs"][0]
    again = _start(client, world, copy, _recipe({"run_id": there["id"], "learns": "all"}))
    assert again["model"]["digest"] == run["model"]["digest"]


_SPOILT: list[tuple[Callable[[bytes], bytes], str]] = [
    (lambda data: data[: len(data) // 2], "no model that can be read"),
    (lambda data: b"\x89PNG and no model", "no model that can be started from"),
    (lambda data: bytes(save({"a": np.zeros(3)})), "no model that can be started from"),
    (lambda data: bytes(save({"a": np.zeros(3)}, {"of": "others"})), "not of which model"),
    (lambda data: _with_facts(data, lambda facts: facts.pop("statistics")), "by which statistics"),
    (lambda data: _with_facts(data, lambda facts: facts.pop("classes")), "no model that can be read"),
    (lambda data: _with_facts(data, lambda facts: facts["preprocessing"].update(colour="grey")), "grey pictures"),
    (lambda data: bytes(save({"no.weights": np.zeros(3)}, safetensors_metadata(data))), "No layer"),
]


# In one test each, because a model has to be taught first.
def test_a_file_that_is_no_model_is_refused_with_what_to_do(
    client: TestClient, world: World, taught: dict[str, Any], project: int
) -> None:
    whole = _file_of(world, taught)
    for spoil, words in _SPOILT:
        recipe = {**_recipe({"upload": _send(client, spoil(whole))}), "network": "plain 4"}
        for path in ("start-plan", "runs"):
            answer = client.post(f"/api/projects/{project}/{path}", json={"recipe": recipe})
            assert answer.status_code == 422, (words, answer.text)
            problem = answer.json()
            assert words in problem["title"] + problem["detail"], (words, problem)
    assert client.get(f"/api/projects/{project}/runs").json()["total"] == 0


def test_a_start_that_cannot_be_makes_no_run(client: TestClient, taught: dict[str, Any], project: int) -> None:
    wrong: list[tuple[dict[str, Any], str]] = [
        ({"learns": "new-then-all", "new_epochs": 0}, "has 0 epochs"),
        ({"learns": "new-then-all", "new_epochs": 3}, "leaves none"),
        ({"learns": "after", "frozen_to": "nowhere"}, "no layer 'nowhere'"),
        ({"learns": "some"}, "What learns cannot be"),
        ({"rate_factor": 0}, "cannot be 0 times"),
    ]
    for start, words in wrong:
        recipe = _recipe({"model_id": taught["model"]["id"], **start})
        answer = client.post(f"/api/projects/{project}/runs", json={"recipe": recipe})
        assert answer.status_code == 422, (words, answer.text)
        assert words in answer.text
    assert client.get(f"/api/projects/{project}/runs").json()["total"] == 0


def test_the_sheet_is_told_layers_even_where_nothing_is_left_to_learn(
    client: TestClient, taught: dict[str, Any]
) -> None:
    found = _plan(client, taught["project_id"], _recipe({"model_id": taught["model"]["id"], "learns": "new"}))
    assert all(layer["taken"] for layer in found["layers"] if layer["parameters"])
    assert found["phases"] == []
    assert "nothing new is left to learn" in found["failure"]["what"]


def test_a_model_in_the_bin_or_still_in_training_is_not_started_from(
    client: TestClient, world: World, taught: dict[str, Any], project: int
) -> None:
    recipe = _recipe({"model_id": taught["model"]["id"]})
    listed = client.get(f"/api/projects/{project}/starting-models").json()
    assert [(entry["project"], entry["run_number"], entry["classes"]) for entry in listed] == [
        ("Valley", 1, ["plate", "rime"])
    ]
    client.delete(f"/api/runs/{taught['id']}")
    assert client.get(f"/api/projects/{project}/starting-models").json() == []
    answer = client.post(f"/api/projects/{project}/start-plan", json={"recipe": recipe})
    assert answer.status_code == 404
    assert "bin" in answer.text
    from_nothing = client.post(f"/api/projects/{project}/runs", json={"recipe": {**small_recipe()}}).json()
    answer = client.post(
        f"/api/projects/{project}/start-plan", json={"recipe": _recipe({"run_id": from_nothing["id"]})}
    )
    assert answer.status_code == 409
    assert "started from nothing" in answer.text


def test_other_sizes_and_scales_are_allowed_and_questioned(
    client: TestClient, taught: dict[str, Any], project: int
) -> None:
    recipe = _recipe({"model_id": taught["model"]["id"]})
    recipe["preprocessing"] = {**recipe["preprocessing"], "size": 24, "scale": "unit", "fit": "middle"}
    found = _plan(client, project, recipe)
    assert len(found["doubts"]) == 3
    assert not found["statistics_kept"]
    recipe = _recipe({"model_id": taught["model"]["id"], "new_statistics": True})
    assert len(_plan(client, project, recipe)["doubts"]) == 1


@pytest.mark.parametrize("dead_in", [1, 2])
def test_a_worker_that_dies_at_the_end_of_a_phase_or_in_it_goes_on_to_the_same_weights(
    client: TestClient,
    world: World,
    taught: dict[str, Any],
    project: int,
    monkeypatch: pytest.MonkeyPatch,
    dead_in: int,
) -> None:
    recipe = _recipe({"model_id": taught["model"]["id"], "learns": "new-then-all", "new_epochs": 1})
    whole = _start(client, world, project, recipe)

    def dies(session: Any, run_id: int, epoch: int, path: str) -> Any:
        if epoch > dead_in:
            raise DatabaseGoneError("The database does not answer.", "")
        return set_last_state(session, run_id, epoch, path)

    broken = client.post(f"/api/projects/{project}/runs", json={"recipe": recipe}).json()
    monkeypatch.setattr(run_training, "set_last_state", dies)
    with pytest.raises(DatabaseGoneError):
        world.run(world.job_of(JobKind.TRAIN, broken["id"]))
    monkeypatch.undo()
    assert world.run(world.job_of(JobKind.TRAIN, broken["id"])).state == "done"
    again = client.get(f"/api/runs/{broken['id']}").json()
    assert again["model"]["digest"] == whole["model"]["digest"]
    assert again["figures"] == whole["figures"]


def test_a_run_whose_start_is_gone_says_so_and_ends(
    client: TestClient, world: World, taught: dict[str, Any], project: int
) -> None:
    made = client.post(
        f"/api/projects/{project}/runs", json={"recipe": _recipe({"model_id": taught["model"]["id"]})}
    ).json()
    world.context.store.remove(f"runs/{made['id']}/start.safetensors")
    world.run_waiting()
    run = client.get(f"/api/runs/{made['id']}").json()
    assert (run["state"], run["ended_by"]) == ("ended", "failed")
    assert "start.safetensors" in run["ending"]["what"]


def test_an_archive_brings_along_what_its_runs_started_from(
    client: TestClient, world: World, taught: dict[str, Any], project: int
) -> None:
    run = _start(client, world, project, _recipe({"model_id": taught["model"]["id"], "learns": "all"}))
    back, job = brought_back(world, taken_out(world, project, "project"))
    assert job.state == "done", job.error
    there = client.get(f"/api/projects/{back}/runs").json()["runs"][0]
    assert there["recipe"]["start"] == run["recipe"]["start"]
    again = _start(client, world, back, _recipe({"run_id": there["id"], "learns": "all"}))
    assert again["model"]["digest"] == run["model"]["digest"]
    held = client.get(f"/api/runs/{run['id']}/holdings").json()["weights_bytes"]
    assert held > len(_file_of(world, run)) + len(_file_of(world, taught))
