"""Runs over HTTP: the Ledger in pages, groups, what the table of settings promises, and models judged on demand."""

import csv
import io
import json
from itertools import pairwise
from typing import Any

import pytest
from fastapi.testclient import TestClient
from sqlalchemy import text

from tests.pictures import png
from tests.world import World, small_recipe


@pytest.fixture
def project(client: TestClient, world: World) -> int:
    made = world.project("Ridge")
    world.bring_in(made, {f"{c}/{n}.png": png(60 * k + n, level=90 + 60 * k) for k, c in enumerate(("plate", "rime"))
                          for n in range(12)})  # fmt: skip
    return made


def _start(client: TestClient, project: int, watch: Any = None, **settings: Any) -> dict[str, Any]:
    recipe: Any = {**small_recipe(), **({"watch": watch} if watch else {})}
    recipe["settings"].update(settings)
    answer = client.post(f"/api/projects/{project}/runs", json={"recipe": recipe})
    assert answer.status_code == 202, answer.text
    found: dict[str, Any] = answer.json()
    return found


def _pages(client: TestClient, project: int, **query: Any) -> list[dict[str, Any]]:
    found: list[dict[str, Any]] = []
    after = None
    for _ in range(50):
        page = client.get(
            f"/api/projects/{project}/runs", params={**query, "limit": 3, **({"after": after} if after else {})}
        )
        assert page.status_code == 200, page.text
        found += page.json()["runs"]
        after = page.json()["after"]
        if after is None:
            return found
    raise AssertionError("the pages never end")


# By run number: the figures that each run kept, two of them alike and two without any.
_FIGURES: dict[int, dict[str, float]] = {
    1: {"validation_accuracy": 0.5, "validation_loss": 0.31},
    2: {"validation_accuracy": 0.9, "validation_loss": 1e-05},
    3: {},
    4: {"validation_accuracy": 0.5, "validation_loss": 0.3},
    5: {"validation_accuracy": 0.875, "validation_loss": 2.5},
    6: {},
    7: {"validation_accuracy": 0.5, "validation_loss": 0.30000000000000004},
}


@pytest.fixture
def seven(client: TestClient, world: World, project: int) -> int:
    for _ in _FIGURES:
        _start(client, project)
    with world.context.database.session() as session:
        for number, figures in _FIGURES.items():
            session.execute(
                text("update run set figures = cast(:f as jsonb), train_s = :t where number = :n"),
                {"f": json.dumps(figures), "t": number if figures else None, "n": number},
            )
    return project


@pytest.mark.parametrize(
    ("query", "wanted"),
    [
        ({}, [7, 6, 5, 4, 3, 2, 1]),
        ({"falling": "false"}, [1, 2, 3, 4, 5, 6, 7]),
        # Of equal ones the newest first; what has no such figure last, either way.
        ({"order": "validation_accuracy"}, [2, 5, 7, 4, 1, 6, 3]),
        ({"order": "validation_accuracy", "falling": "false"}, [7, 4, 1, 5, 2, 6, 3]),
        ({"order": "validation_loss", "falling": "false"}, [2, 4, 7, 1, 5, 6, 3]),
        ({"order": "train_s"}, [7, 5, 4, 2, 1, 6, 3]),
    ],
)
def test_the_ledger_is_read_in_pages_in_any_order(
    client: TestClient, seven: int, query: dict[str, str], wanted: list[int]
) -> None:
    assert [run["number"] for run in _pages(client, seven, **query)] == wanted


def test_a_page_stays_where_it_is_when_runs_come_in_before_it(client: TestClient, seven: int) -> None:
    first = client.get(f"/api/projects/{seven}/runs", params={"limit": 3}).json()
    assert (first["total"], [run["number"] for run in first["runs"]]) == (7, [7, 6, 5])
    _start(client, seven)
    rest = client.get(f"/api/projects/{seven}/runs", params={"limit": 9, "after": first["after"]}).json()
    assert [run["number"] for run in rest["runs"]] == [4, 3, 2, 1]


@pytest.mark.parametrize(
    "after", ["x", "W10=", "WyJudW1iZXIiLCB0cnVlLCAiTmFOIiwgM10=", "WyJ0cmFpbl9zIiwgdHJ1ZSwgIjEiLCAzXQ=="]
)
def test_a_page_that_nobody_named_is_refused(client: TestClient, seven: int, after: str) -> None:
    answer = client.get(f"/api/projects/{seven}/runs", params={"after": after})
    assert answer.status_code == 422
    assert "names no page of this order" in answer.json()["detail"]
    assert client.get(f"/api/projects/{seven}/runs", params={"order": "beauty"}).status_code == 422


def test_each_run_says_what_it_changed_from_the_one_before(client: TestClient, world: World, project: int) -> None:
    first = _start(client, project)
    assert first["changed"] == []
    same = _start(client, project)
    assert same["changed"] == []
    assert same["snapshot_id"] == first["snapshot_id"]
    recipe: Any = small_recipe(seed=2)
    recipe["network"] = "small"
    recipe["preprocessing"]["size"] = 32
    recipe["variation"]["operations"] = [{"kind": "flip", "probability": 0.5}]
    other = client.post(f"/api/projects/{project}/runs", json={"recipe": recipe}).json()
    assert {change["what"]: (change["before"], change["after"]) for change in other["changed"]} == {
        "network": ("plain 4", "plain 5"),
        "preprocessing.size": (16, 32),
        "settings.seed": (1, 2),
        "variation.turn": ({"probability": 1.0, "low": -15, "high": 15}, None),
        "variation.shift": ({"probability": 1.0, "low": -0.1, "high": 0.1}, None),
        "variation.zoom": ({"probability": 1.0, "low": 0.87, "high": 1.15}, None),
        "variation.brightness": ({"probability": 1.0, "low": 0.8, "high": 1.2}, None),
        "variation.contrast": ({"probability": 1.0, "low": 0.8, "high": 1.25}, None),
        "variation.flip": (None, {"probability": 0.5, "low": 0.0, "high": 0.0}),
    }
    # A label moves, and the next run stands on other pictures; taken back, it shares the first snapshot again.
    picture = client.get(f"/api/projects/{project}/pictures").json()["pictures"][0]
    other_class = next(c for c in first["classes"] if c["id"] != picture["class_id"])["id"]
    body = {"picture_ids": [picture["id"]], "class_id": other_class}
    client.post(f"/api/projects/{project}/labels", json=body)
    moved = client.post(f"/api/projects/{project}/runs", json={"recipe": recipe}).json()
    assert [change["what"] for change in moved["changed"]] == ["pictures"]
    assert moved["snapshot_id"] != first["snapshot_id"]
    client.post(f"/api/projects/{project}/undo")
    back = client.post(f"/api/projects/{project}/runs", json={"recipe": recipe}).json()
    assert back["snapshot_id"] == first["snapshot_id"]


def test_conditions_of_an_end_are_tried_on_earlier_runs(client: TestClient, world: World, project: int) -> None:
    # By hand: the first run stands still from its second epoch on, the second gets better all the time.
    courses = {1: [1.0, 0.5, 0.5, 0.5, 0.5, 0.5, 0.5, 0.5], 2: [1.0, 0.9, 0.8, 0.7, 0.6, 0.5, 0.4, 0.3], 3: []}
    for _ in courses:
        _start(client, project)
    with world.context.database.session() as session:
        for number, losses in courses.items():
            run = session.scalar(text("select id from run where number = :n"), {"n": number})
            for epoch, loss in enumerate(losses, start=1):
                session.execute(
                    text("insert into epoch (run_id, number, figures) values (:r, :e, cast(:f as jsonb))"),
                    {"r": run, "e": epoch, "f": json.dumps({"validation_loss": loss})},
                )
            if losses:
                session.execute(
                    text("update run set state = 'ended', ended_by = 'epochs', epochs_done = 8 where id = :r"),
                    {"r": run},
                )

    def tried(**settings: Any) -> Any:
        asked = {"end_when": "validation-loss", "end_change": 0.01, "end_within": 2, "end_not_before": 1, **settings}
        answer = client.post(f"/api/projects/{project}/ending-trial", json={"settings": asked})
        assert answer.status_code == 200, answer.text
        return answer.json()

    found = tried(epochs=40)
    assert [(run["number"], run["epochs"], run["epoch"]) for run in found["runs"]] == [(2, 8, None), (1, 8, 4)]
    assert "after 0.5 in epoch 2" in found["runs"][1]["words"]
    assert found["doubts"] == []
    # No loss falls by 10: every run would have ended as soon as it can.
    assert tried(end_change=10, epochs=40)["doubts"] == [
        "It would have ended each of the last 2 runs as soon as it can, after epoch 3."
    ]
    assert "it would change nothing" in tried(end_not_before=39, epochs=40)["doubts"][0]
    assert tried(end_when="none") == {"doubts": [], "runs": []}
    assert tried(reach="training-loss")["runs"] == []  # which none of them recorded
    wrong = client.post(f"/api/projects/{project}/ending-trial", json={"settings": {"end_within": -1}})
    assert wrong.status_code == 422
    assert "Patience cannot be -1" in wrong.json()["detail"]


def test_the_queue_tells_its_order_with_times_and_is_moved(
    client: TestClient, world: World, project: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("vast_orchard.api.queue.pace_here", lambda _: 2.0)
    one, two, three = (_start(client, project)["id"] for _ in range(3))

    def queue() -> list[dict[str, Any]]:
        answer = client.get("/api/queue")
        assert answer.status_code == 200, answer.text
        found: list[dict[str, Any]] = answer.json()
        return found

    def move(run: int, how: str) -> int:
        return client.post(f"/api/runs/{run}/queue", json={"move": how}).status_code

    found = queue()
    assert [(entry["run_id"], entry["number"], entry["project_name"]) for entry in found] == [
        (one, 1, "Ridge"), (two, 2, "Ridge"), (three, 3, "Ridge"),
    ]  # fmt: skip
    # Each begins when the one before it ends; all three take as long.
    assert found[0]["begins_s"] == 0
    assert found[0]["ends_s"] > 0
    for before, after in pairwise(found):
        assert after["begins_s"] == pytest.approx(before["ends_s"])
    assert found[2]["ends_s"] == pytest.approx(3 * found[0]["ends_s"])

    assert move(two, "hold") == 200
    assert move(three, "first") == 200
    found = queue()
    assert [(entry["run_id"], entry["held"]) for entry in found] == [(three, False), (one, False), (two, True)]
    assert found[2]["begins_s"] is None
    assert move(two, "next") == 200  # which lets it go as well
    assert [entry["run_id"] for entry in queue()] == [two, three, one]

    client.post(f"/api/jobs/{queue()[0]['job_id']}/stop")
    assert [entry["run_id"] for entry in queue()] == [three, one]
    assert move(two, "first") == 409
    assert move(three, "sideways") == 422
    assert move(999, "first") == 404
    monkeypatch.setattr("vast_orchard.api.queue.pace_here", lambda _: None)
    assert [entry["ends_s"] for entry in queue()] == [None, None]


def test_the_figures_of_every_epoch_are_a_table(client: TestClient, world: World, project: int) -> None:
    run = _start(client, project)["id"]
    world.run_waiting()
    epochs = client.get(f"/api/runs/{run}/epochs").json()
    assert all(len(entry["recalls"]) == 2 for entry in epochs)
    answer = client.get(f"/api/runs/{run}/epochs.csv")
    assert answer.headers["content-type"] == "text/csv; charset=utf-8"
    assert 'filename="run-1-epochs.csv"' in answer.headers["content-disposition"]
    rows = list(csv.DictReader(io.StringIO(answer.text)))
    assert [row["epoch"] for row in rows] == ["1", "2"]
    for row, entry in zip(rows, epochs, strict=True):
        assert float(row["validation_loss"]) == entry["figures"]["validation_loss"]
        assert [float(row[f"recall of {name}"]) for name in ("plate", "rime")] == entry["recalls"]


def test_lookouts_and_layers_of_a_run_are_told(client: TestClient, world: World, project: int) -> None:
    kinds = client.get("/api/lookouts").json()
    assert {entry["question"] for entry in kinds} == {"moves", "parts", "right"}
    mine = {"name": "mine", "figure": "zeros", "sign": "above", "value": -1, "epochs": 2, "act": "word"}
    watch = {"every": 1, "figures": ["values"], "acts": {"heart": "end"}, "own": [mine]}
    run = _start(client, project, watch=watch)["id"]
    waiting = client.get(f"/api/runs/{run}/lookouts").json()
    assert [entry["id"] for entry in waiting["lookouts"]] == [*(entry["id"] for entry in kinds), "mine"]
    assert {entry["standing"] for entry in waiting["lookouts"] if entry["id"] not in ("few", "unequal")} == {"early"}
    world.run_waiting()
    kept = client.get(f"/api/runs/{run}").json()["recipe"]["watch"]
    assert kept == {**watch, "layers": [], "own": [mine | {"layer": ""}]}
    said = {entry["id"]: entry for entry in client.get(f"/api/runs/{run}/lookouts").json()["lookouts"]}
    assert said["mine"]["standing"] == "found" and said["mine"]["since"] == 1
    assert said["mine"]["measures"] == "zeros of any layer above -1 for 2 epochs"
    assert said["heart"]["act"] == "end"
    # Of twelve pictures nobody knows how well it does.
    assert said["few"]["standing"] == "found" and said["few"]["leads_to"] == "divide"
    layers = client.get(f"/api/runs/{run}/layers").json()
    assert [entry["number"] for entry in layers["epochs"]] == [1, 2]
    one = layers["epochs"][0]["layers"][0]
    assert one["layer"] == layers["layers"][0] and 0 <= one["zeros"] <= 1 and "weight" not in one
    rows = list(csv.DictReader(io.StringIO(client.get(f"/api/runs/{run}/layers.csv").text)))
    assert [(row["epoch"], row["layer"]) for row in rows] == [(n, name) for n in "12" for name in layers["layers"]]
    assert float(rows[0]["zeros"]) == one["zeros"] and float(rows[0]["bands 0.5"]) == one["bands"][2]
    assert rows[0]["weight"] == ""
    assert len(client.get(f"/api/runs/{run}/epochs").json()[0]["losses"]) == 2


def test_the_layers_of_a_long_run_are_read_of_some_epochs_and_all_of_the_last(
    client: TestClient, world: World, project: int
) -> None:
    run = _start(client, project)["id"]
    names = client.get(f"/api/runs/{run}/layers").json()["layers"]
    with world.context.database.session() as session:
        for number in range(1, 901):
            watched = {"losses": [1.0], "layers": [{"layer": names[0], "update": number / 1e4}]}
            session.execute(
                text("insert into epoch (run_id, number, figures, watched) values (:r, :n, '{}', cast(:w as jsonb))"),
                {"r": run, "n": number, "w": json.dumps(watched)},
            )
    epochs = client.get(f"/api/runs/{run}/layers").json()["epochs"]
    assert 100 <= len(epochs) <= 200
    assert epochs[-1]["number"] == 900 and epochs[-1]["layers"][0]["update"] == 0.09
    assert len(list(csv.DictReader(io.StringIO(client.get(f"/api/runs/{run}/layers.csv").text)))) == 900
    said = {entry["id"]: entry for entry in client.get(f"/api/runs/{run}/lookouts").json()["lookouts"]}
    assert said["rate"]["value"] == 0.09  # of the last epoch
    assert all(entry["losses"] == [1.0] for entry in client.get(f"/api/runs/{run}/epochs").json())


def test_a_lookout_of_ones_own_is_tried_on_earlier_runs(client: TestClient, world: World, project: int) -> None:
    run = _start(client, project)
    world.run_waiting()
    first = client.get(f"/api/runs/{run['id']}/epochs").json()[0]["figures"]["training_loss"]

    def tried(**own: Any) -> Any:
        asked = {"name": "mine", "figure": "training_loss", "value": 0, **own}
        return client.post(f"/api/projects/{project}/lookout-trial", json=asked)

    assert [(entry["number"], entry["epoch"]) for entry in tried().json()] == [(1, 1)]
    assert tried(value=first + 1).json()[0]["epoch"] is None
    assert tried(value=first + 1, sign="below", epochs=2).json()[0]["epoch"] == 2
    refused = tried(figure="colour")
    assert refused.status_code == 422 and "No run has a figure 'colour'" in refused.json()["detail"]


@pytest.mark.parametrize(
    ("watch", "words"),
    [
        ({"acts": {"weather": "end"}}, "There is no lookout weather"),
        ({"acts": {"heart": "shout"}}, "cannot be 'shout'"),
        ({"layers": ["nowhere"]}, "The network has no layer nowhere"),
        ({"every": -3}, "every -3 steps"),
    ],
)
def test_what_cannot_be_watched_starts_no_run(
    client: TestClient, project: int, watch: dict[str, Any], words: str
) -> None:
    recipe = {**small_recipe(), "watch": watch}
    answer = client.post(f"/api/projects/{project}/runs", json={"recipe": recipe})
    assert answer.status_code == 422
    assert words in answer.json()["detail"]
    assert client.get(f"/api/projects/{project}/runs").json()["runs"] == []


def test_runs_of_a_group_stand_outside_the_plain_ledger(client: TestClient, world: World, project: int) -> None:
    plain = _start(client, project)
    body = {"kind": "copies", "question": "How much is luck?", "budget": {"runs": 2}}
    group = client.post(f"/api/projects/{project}/run-groups", json=body).json()
    assert (group["kind"], group["question"], group["runs"], group["ended"]) == ("copies", "How much is luck?", 0, 0)
    inside = [
        client.post(
            f"/api/projects/{project}/runs", json={"recipe": small_recipe(seed=seed), "group_id": group["id"]}
        ).json()
        for seed in (1, 2)
    ]
    world.run_waiting()
    listed = client.get(f"/api/projects/{project}/runs").json()
    assert (listed["total"], [run["id"] for run in listed["runs"]]) == (1, [plain["id"]])
    of_group = client.get(f"/api/projects/{project}/runs", params={"group": group["id"]}).json()["runs"]
    assert [run["id"] for run in of_group] == [inside[1]["id"], inside[0]["id"]]
    # Each is held against its fellow, and the plain ones against plain ones.
    assert [change["what"] for change in of_group[0]["changed"]] == ["settings.seed"]
    assert of_group[1]["changed"] == []
    assert _start(client, project)["changed"] == []
    (counted,) = client.get(f"/api/projects/{project}/run-groups").json()
    # It was filled by hand: it is no plan, which would have pictures and an order.
    assert client.get(f"/api/plans/{group['id']}").status_code == 404
    assert client.get(f"/api/projects/{project}/plans").json() == []
    assert (counted["runs"], counted["ended"]) == (2, 2)
    by_number = client.get(f"/api/projects/{project}/runs", params={"number": inside[0]["number"]}).json()["runs"]
    assert [run["id"] for run in by_number] == [inside[0]["id"]]
    refused = client.post(f"/api/projects/{project}/runs", json={"recipe": small_recipe(), "group_id": 99})
    assert refused.status_code == 404
    assert client.post(f"/api/projects/{project}/run-groups", json={**body, "kind": "whims"}).status_code == 422


def test_epochs_and_the_network_are_read_by_run(client: TestClient, world: World, project: int) -> None:
    run = _start(client, project, epochs=3)
    assert client.get(f"/api/runs/{run['id']}/epochs").json() == []
    world.run_waiting()
    epochs = client.get(f"/api/runs/{run['id']}/epochs").json()
    assert [epoch["number"] for epoch in epochs] == [1, 2, 3]
    assert set(epochs[0]["figures"]) == {
        "training_loss", "training_accuracy", "validation_loss", "validation_accuracy", "validation_macro_f1",
        "learning_rate",
    }  # fmt: skip
    after = client.get(f"/api/runs/{run['id']}").json()
    assert after["figures"] == epochs[after["model"]["epoch"] - 1]["figures"]
    network = client.get(f"/api/runs/{run['id']}/network").json()
    # 16 pixels, three blocks, two classes: by hand.
    assert [layer["shape"] for layer in network["layers"] if layer["kind"] == "max_pool"] == [
        [8, 8, 8], [4, 4, 16], [2, 2, 32],
    ]  # fmt: skip
    assert network["layers"][-1]["shape"] == [2]
    assert network["layers"][0]["id"] == "conv_block_1_conv_1"
    assert network["parameters"] == run["parameters"]


def test_a_set_is_judged_when_it_is_asked_for(client: TestClient, world: World, project: int) -> None:
    run = _start(client, project)
    world.run_waiting()
    model = client.get(f"/api/runs/{run['id']}").json()["model"]
    url = f"/api/models/{model['id']}"
    missing = client.get(f"{url}/judgement?set=training")
    assert (missing.status_code, "POST …/judgements" in missing.json()["mend"]) == (404, True)
    # The mend helps.
    asked = client.post(f"{url}/judgements", json={"set": "training"})
    assert (asked.status_code, asked.json()["kind"]) == (202, "judge")
    assert client.post(f"{url}/judgements", json={"set": "training"}).json()["id"] == asked.json()["id"]
    world.run_waiting()
    judged = client.get(f"{url}/judgement?set=training").json()
    assert judged["count"] == run["counts"]["training"]
    assert client.post(f"{url}/judgements", json={"set": "test"}).status_code == 422
    assert [entry["id"] for entry in client.get(f"/api/projects/{project}/models").json()] == [model["id"]]


def test_how_sure_a_model_is_and_when_it_says_so(client: TestClient, world: World, project: int) -> None:
    run = _start(client, project)
    world.run_waiting()
    model = client.get(f"/api/runs/{run['id']}").json()["model"]
    url = f"/api/models/{model['id']}"
    judged = client.get(f"{url}/judgement").json()
    sure = client.get(f"{url}/sureness").json()
    figures = {entry["name"]: entry for entry in sure["scores"]}
    assert figures["accuracy"]["value"] == judged["accuracy"]
    assert figures["accuracy"]["interval"] == judged["accuracy_interval"]
    assert figures["macro F1"]["value"] == pytest.approx(judged["macro_f1"])
    assert sum(entry["count"] for entry in sure["plain"]["bins"]) == judged["count"]
    assert sure["answering"]["posts"][0]["answered"] == judged["count"]
    assert sure["temperature"] == model["temperature"]
    rows = list(csv.DictReader(io.StringIO(client.get(f"{url}/scores.csv").text)))
    assert [row["figure"] for row in rows[-3:]] == ["precision", "recall", "f1"]
    assert rows[-1]["class"] == "rime"
    assert float(next(row for row in rows if row["figure"] == "accuracy")["value"]) == judged["accuracy"]
    matrix = list(csv.reader(io.StringIO(client.get(f"{url}/matrix.csv").text)))
    assert matrix[0][1:] == ["plate", "rime"]
    assert [[int(n) for n in row[1:]] for row in matrix[1:]] == judged["confusion"]
    answers = list(csv.DictReader(io.StringIO(client.get(f"{url}/answers.csv").text)))
    assert len(answers) == judged["count"]
    assert sum(row["true"] == row["predicted"] for row in answers) == judged["right"]
    # Not of the test set without a counted look, and of training when it was judged.
    assert client.get(f"{url}/answers.csv?set=test").status_code == 409
    assert (
        client.get(f"{url}/sureness?set=test").status_code
        == client.get(f"{url}/scores.csv?set=test").status_code
        == 409
    )
    assert client.get(f"{url}/sureness?set=training").status_code == 404

    assert model["unsure_below"] is None
    assert client.put(f"{url}/unsure", json={"below": 0.75}).json()["unsure_below"] == [0.75, 0.75]
    assert client.get(f"/api/runs/{run['id']}").json()["model"]["unsure_below"] == [0.75, 0.75]
    for body, words in (
        ({"below": 0.7, "wanted": 0.9}, "not both"),
        ({"below": 1.5}, "below"),
        ({"wanted": 0.77}, "Take one of 0.9, 0.95"),
    ):
        refused = client.put(f"{url}/unsure", json=body)
        assert (refused.status_code, words in refused.text) == (422, True), refused.text
    assert client.put(f"{url}/unsure", json={}).json()["unsure_below"] is None

    # What was fitted goes with the state: judged by an earlier version, it says how to have it again.
    with world.context.database.session() as session:
        session.execute(text("update judgement set sureness = null"))
    missing = client.get(f"{url}/sureness")
    assert (missing.status_code, "POST …/judgements" in missing.json()["mend"]) == (404, True)
    assert client.put(f"{url}/unsure", json={"wanted": 0.9}).status_code == 409


def test_where_a_model_looks(client: TestClient, world: World, project: int) -> None:
    run = _start(client, project)
    world.run_waiting()
    model = client.get(f"/api/runs/{run['id']}").json()["model"]
    by_set: dict[str, int] = {}
    for picture in client.get(f"/api/projects/{project}/pictures", params={"split": run["split_id"]}).json()[
        "pictures"
    ]:
        by_set.setdefault(picture["set_name"], picture["id"])
    url = f"/api/models/{model['id']}/pictures/{by_set['validation']}/heatmap"
    found = client.get(url).json()
    assert (found["rows"], found["columns"], len(found["heat"])) == (16, 16, 256)
    assert found["layer"] in found["layers"]
    assert found["area"] == [0, 0, 1, 1]
    assert max(found["heat"]) in (0, 255)
    said = next(
        entry
        for entry in client.get(f"/api/models/{model['id']}/outcomes", params={"wrong": False}).json()
        if entry["picture_id"] == by_set["validation"]
    )
    assert found["class_id"] == said["predicted_class"]
    assert found["p"] == pytest.approx(said["p"], abs=1e-5)
    other = next(entry["id"] for entry in model["classes"] if entry["id"] != found["class_id"])
    asked = client.get(url, params={"class_id": other, "way": "covering"}).json()
    assert (asked["class_id"], asked["way"], asked["layer"]) == (other, "covering", None)
    assert asked["p"] == pytest.approx(1 - found["p"], abs=1e-5)
    # The same file, tried as one that is not stored, is looked at alike.
    sha256 = client.get(f"/api/projects/{project}/pictures/{by_set['validation']}").json()["picture"]["sha256"]
    same = client.get(f"/api/originals/{sha256}").content
    tried = f"/api/models/{model['id']}/try/heatmap"
    for query, stored in (({}, found), ({"class_id": other, "way": "covering"}, asked)):
        assert client.post(tried, params=query, files={"file": ("new.png", same)}).json() == stored
    for content, query, words in ((same[:60], {}, "is damaged"), (same, {"class_id": 99999}, "no class 99999")):
        refused = client.post(tried, params=query, files={"file": ("new.png", content)})
        assert (refused.status_code, words in refused.text) == (422, True), refused.text
    # Training pictures too; of the test set only with a counted look.
    assert client.get(url.replace(f"/{by_set['validation']}/", f"/{by_set['training']}/")).status_code == 200
    test = url.replace(f"/{by_set['validation']}/", f"/{by_set['test']}/")
    assert client.get(test).status_code == 409
    look = client.post(f"/api/models/{model['id']}/looks", json={"place": "review"}).json()["id"]
    assert client.get(test, params={"look": look}).status_code == 200
    for query, status, words in (
        ({"class_id": 99999}, 422, "has no class 99999"),
        ({"layer": "dense_1"}, 422, "gives no feature maps"),
        ({"way": "guessing"}, 422, "way"),
    ):
        refused = client.get(url, params=query)
        assert (refused.status_code, words in refused.text) == (status, True), refused.text
    assert client.get(url.replace(f"/{by_set['validation']}/", "/999999/")).status_code == 404


def test_aims_are_turned_into_thresholds_of_classes(client: TestClient, world: World, project: int) -> None:
    run = _start(client, project)
    world.run_waiting()
    model = client.get(f"/api/runs/{run['id']}").json()["model"]
    url = f"/api/models/{model['id']}"
    nothing = {"answered": 0, "right": 0, "interval": [0, 1]}
    aims = [
        {"wanted": 0.9, "below": 0.6, "counted": nothing, "by_class": {"1": None}, "counted_by_class": nothing},
        {"wanted": 0.95, "below": None, "counted": nothing, "by_class": {"0": 0.8}, "counted_by_class": nothing},
        {"wanted": 0.98, "below": None, "counted": nothing, "by_class": {}, "counted_by_class": nothing},
    ]
    with world.context.database.session() as session:
        session.execute(
            text("update judgement set sureness = jsonb_set(sureness, '{answering,aims}', cast(:a as jsonb))"),
            {"a": json.dumps(aims)},
        )
    wanted = {(0.9, False): [0.6, 0.6], (0.9, True): [0.6, None], (0.95, True): [0.8, None]}
    for (share, by_class), below in wanted.items():
        set_to = client.put(f"{url}/unsure", json={"wanted": share, "by_class": by_class})
        assert set_to.json()["unsure_below"] == below
    for share, by_class in ((0.95, False), (0.98, True)):
        refused = client.put(f"{url}/unsure", json={"wanted": share, "by_class": by_class})
        assert (refused.status_code, "No threshold" in refused.json()["detail"]) == (409, True)


def test_a_run_of_the_defaults_is_as_long_as_its_pictures_need(client: TestClient, world: World, project: int) -> None:
    run = client.post(f"/api/projects/{project}/runs", json={}).json()
    # One or two steps to the epoch with so few; at most 200 of them.
    assert run["counts"]["training"] <= 32 and run["recipe"]["settings"]["epochs"] == 200
    # Nothing that may make a label untrue.
    assert not {"mirror", "flip", "quarter-turn"} & {
        entry["kind"] for entry in run["recipe"]["variation"]["operations"]
    }
    assert run["recipe"]["variation"]["strength"] == 1.5
    assert client.get("/api/recipe?pictures=3000").json()["settings"]["epochs"] == 24
    assert client.get("/api/recipe?pictures=3000").json()["variation"]["strength"] == 1
    assert client.get("/api/recipe").json()["settings"]["epochs"] == 25


def test_test_outcomes_are_not_asked_of_a_run_that_trains(client: TestClient, world: World, project: int) -> None:
    run = _start(client, project)
    with world.context.database.session() as session:
        session.execute(
            text(
                "insert into model (project_id, kind, run_id, epoch, path, classes, preprocessing, digest)"
                " select project_id, 'run', id, 1, 'x', '[]', '{}', 'd' from run"
            )
        )
    model = client.get(f"/api/runs/{run['id']}").json()["model"]
    assert model["frozen"] is False
    for path, body in (("looks", {"place": "review"}), ("judgements", {"set": "validation"})):
        answer = client.post(f"/api/models/{model['id']}/{path}", json=body)
        assert answer.status_code == 409
        assert "has not ended" in answer.json()["detail"]
    assert client.get(f"/api/models/{model['id']}").json()["looks"] == 0
    sift = client.get(f"/api/projects/{project}/field", params={"sift": "wrong", "run": run["id"]})
    assert (sift.status_code, "not judged yet" in sift.json()["detail"]) == (422, True)


def test_settings_that_are_left_out_follow_the_others(client: TestClient, project: int) -> None:
    table = {entry["name"]: entry for entry in client.get("/api/training-settings").json()}
    assert table["learning_rate"]["follows"]["defaults"]["sgd"] == 0.03
    recipe: Any = small_recipe()
    recipe["settings"] = {"optimizer": "sgd", "epochs": 2}
    run = client.post(f"/api/projects/{project}/runs", json={"recipe": recipe}).json()
    settings = run["recipe"]["settings"]
    assert set(settings) == set(table)
    assert (settings["learning_rate"], settings["momentum"], settings["keep"]) == (0.03, 0.9, "last")
    for name, value, words in (
        ("optimizer", "momentum", "Optimizer cannot be 'momentum'. Choose one of adam"),
        ("keep", "best", "Keep cannot be 'best'. Choose one of lowest-validation-loss"),
        ("warm_up", 2, "Warm-up cannot be 2"),
    ):
        bad = client.post(f"/api/projects/{project}/runs", json={"recipe": {**recipe, "settings": {name: value}}})
        assert bad.status_code == 422
        assert words.split(". ")[0] in bad.json()["detail"]


@pytest.mark.parametrize(
    "former",
    [
        # 0.1: three numbers for the variation, and another name for gradient descent.
        {"network": "small", "preprocessing": {"size": 32, "colour": "grey"},
         "variation": {"mirror": False, "turn_degrees": 0.0, "brightness": 0.3},
         "settings": {"epochs": 30, "batch_size": 32, "learning_rate": 0.003, "seed": 1, "optimizer": "momentum"}},
        # 0.4: schedules and smoothing.
        {"network": "medium", "preprocessing": {"size": 48, "colour": "rgb", "ground": [0, 0, 0]},
         "variation": {"mirror": True, "turn_degrees": 15.0, "brightness": 0.2},
         "settings": {"epochs": 25, "batch_size": 32, "learning_rate": 0.003, "seed": 1, "optimizer": "adamw",
                      "schedule": "one-cycle", "warm_up": 0.05, "weight_decay": 0.01, "clip_norm": 0.0,
                      "label_smoothing": 0.1, "class_weights": "balanced"}},
        # 0.6 and 0.7: operations, and everything that there is.
        {"network": "very small",
         "preprocessing": {"size": 48, "fit": "border", "colour": "rgb", "ground": [0, 0, 0], "border": [9, 9, 9],
                           "scale": "unit", "views": "turned"},
         "variation": {"operations": [{"kind": "turn", "probability": 1.0, "low": -5, "high": 5}], "strength": 0.5,
                       "drawn": 1},
         "settings": {"epochs": 25, "batch_size": 32, "learning_rate": 0.003, "seed": 1, "optimizer": "sgd",
                      "momentum": 0.8, "nesterov": True, "weight_decay": 0.01, "schedule": "step", "warm_up": 0.0,
                      "step_epochs": 3, "step_factor": 0.5, "clip_norm": 1.0, "label_smoothing": 0.0,
                      "class_weights": "none", "class_draws": "balanced"}},
        # 0.8: with a version, and a network that is resolved.
        {"version": 2, "preprocessing": {"size": 48, "fit": "border", "colour": "rgb", "ground": [0, 0, 0],
                                         "border": [9, 9, 9], "scale": "unit", "views": "one"},
         "variation": {"operations": [{"kind": "turn", "probability": 1.0, "low": -5, "high": 5}], "strength": 0.5,
                       "drawn": 1}},
    ],
)  # fmt: skip
def test_a_stored_recipe_of_any_version_is_listed_and_trained_again(
    client: TestClient, world: World, project: int, former: dict[str, Any]
) -> None:
    from vast_orchard.upgrades.recipe import upgrade_recipe

    started = _start(client, project)
    with world.context.database.session() as session:
        if "version" in former:
            stored = session.scalar(text("select recipe from run"))
            former = {**stored, **former}
        session.execute(text("update run set recipe = cast(:r as jsonb)"), {"r": json.dumps(upgrade_recipe(former, 2))})
    (run,) = client.get(f"/api/projects/{project}/runs").json()["runs"]
    today = {"very small": "plain 4", "small": "plain 5", "medium": "plain 8"}
    stood = started["recipe"]["network"] if "version" in former else today[former["network"]]
    assert run["recipe"]["network"] == stood
    assert run["recipe"]["preprocessing"]["size"] == former["preprocessing"]["size"]
    again = client.post(f"/api/projects/{project}/runs", json={"recipe": run["recipe"]})
    assert again.status_code == 202, again.text
    # The network that was made of the name by then is the one that is made of it now.
    assert again.json()["changed"] == []


def test_what_is_stored_is_never_refused_when_it_is_read(client: TestClient, world: World, project: int) -> None:
    """A stricter rule of tomorrow must not take the list of runs with it."""
    _start(client, project)
    with world.context.database.session() as session:
        session.execute(
            text(
                "update run set recipe = jsonb_set(jsonb_set(recipe, '{settings,optimizer}', '\"retired\"'),"
                " '{settings,learning_rate}', '99')"
            )
        )
    (run,) = client.get(f"/api/projects/{project}/runs").json()["runs"]
    assert (run["recipe"]["settings"]["optimizer"], run["recipe"]["settings"]["learning_rate"]) == ("retired", 99)
    assert _start(client, project)["number"] == 2
    numbers = [entry["number"] for entry in client.get(f"/api/projects/{project}/runs").json()["runs"]]
    assert all(a > b for a, b in pairwise(numbers))
