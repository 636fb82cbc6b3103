"""What a model is asked besides its sets: what lies in none, by which labels, what stands out, what is nearest."""

import csv
import io
from typing import Any

import pytest
from fastapi.testclient import TestClient
from sqlalchemy import text

from tests.pictures import png
from tests.world import World, small_recipe

_WINDOW = {"X-Window": "w"}


class Judged:
    """A project of two classes with a run, and some pictures that came later."""

    def __init__(self, client: TestClient, world: World) -> None:
        self.client, self.world = client, world
        self.project = world.project("Judged")
        world.bring_in(self.project, {f"{c}/{n}.png": png(60 * k + n, level=80 + 80 * k)
                                      for k, c in enumerate(("plate", "rime")) for n in range(30)})  # fmt: skip
        made = client.post(f"/api/projects/{self.project}/runs", json={"recipe": small_recipe(epochs=4)}).json()
        world.run_waiting()
        self.run = client.get(f"/api/runs/{made['id']}").json()
        self.model = self.run["model"]["id"]
        self.classes = {entry["name"]: entry["id"] for entry in self.run["classes"]}

    def ask(self, path: str, **query: Any) -> Any:
        return self.client.get(f"/api/models/{self.model}/{path}", params=query)

    def judge(self, name: str) -> None:
        assert self.client.post(f"/api/models/{self.model}/judgements", json={"set": name}).status_code == 202
        self.world.run_waiting()

    def bring_more(self, members: dict[str, bytes]) -> list[int]:
        before = set(self.world.picture_ids(self.project))
        self.world.bring_in(self.project, members, "more")
        return sorted(set(self.world.picture_ids(self.project)) - before)

    def label(self, pictures: list[int], name: str | None) -> None:
        body = {"picture_ids": pictures, "class_id": self.classes[name] if name else None}
        assert self.client.post(f"/api/projects/{self.project}/labels", json=body, headers=_WINDOW).status_code == 200

    def sifted(self, sift: str) -> list[int]:
        query = {"sift": sift, "run": self.run["id"], "split": self.run["split_id"]}
        answer = self.client.get(f"/api/projects/{self.project}/pictures", params=query)
        assert answer.status_code == 200, answer.text
        return sorted(entry["id"] for entry in answer.json()["pictures"])

    def answers(self, name: str) -> list[dict[str, str]]:
        return list(csv.DictReader(io.StringIO(self.ask("answers.csv", set=name).text)))


@pytest.fixture
def judged(client: TestClient, world: World) -> Judged:
    return Judged(client, world)


def test_pictures_in_no_set_are_scored_and_unlabelled_ones_answered(judged: Judged) -> None:
    assert judged.ask("outside").json() == {"outside": 0, "unlabelled": 0}
    refused = judged.client.post(f"/api/models/{judged.model}/judgements", json={"set": "outside"})
    assert (refused.status_code, "No picture lies outside" in refused.text) == (409, True)
    more = judged.bring_more(
        {**{f"plate/{n}.png": png(500 + n, level=80) for n in range(6)},
         **{f"snow/{n}.png": png(600 + n, level=120) for n in range(2)},
         **{f"rime/{n}.png": png(700 + n, level=160) for n in range(5)}}
    )  # fmt: skip
    plates, rime, strange = more[:6], more[6:11], more[11:]  # in the order of their paths
    judged.label(rime[:3], None)
    # What a later division sets aside as its test set is nobody's to look at by the way.
    with judged.world.context.database.session() as session:
        session.execute(
            text("insert into split_member values (:s, :p, 'test')"), {"s": judged.run["split_id"], "p": rime[4]}
        )
    judged.client.post(
        f"/api/projects/{judged.project}/marks",
        json={"picture_ids": plates[:1], "flag": "excluded", "value": True}, headers=_WINDOW,
    )  # fmt: skip
    # Five plates and one rime; a class that it does not know, an excluded and a test picture stay out.
    assert judged.ask("outside").json() == {"outside": 6, "unlabelled": 3}
    judged.judge("outside")
    sets = {entry["set"]: entry["count"] for entry in judged.ask("judgements").json()}
    assert (sets["outside"], sets["unlabelled"]) == (6, 3)
    scores = judged.ask("judgement", set="outside").json()
    assert (scores["count"], sum(map(sum, scores["confusion"]))) == (6, 6)
    assert [sum(row) for row in scores["confusion"]] == [5, 1]
    assert judged.sifted("judged:outside") == sorted([*plates[1:], rime[3]])
    assert judged.sifted("judged:unlabelled") == rime[:3]
    assert judged.sifted("judged:unlabelled wrong") == judged.sifted("judged:unlabelled right") == []
    assert judged.sifted("judged:unlabelled not wrong") == rime[:3]
    assert strange[0] not in judged.sifted("judged")
    refused = judged.ask("judgement", set="unlabelled")
    assert (refused.status_code, "answers without scores" in refused.text) == (409, True)
    assert judged.ask("judgement", set="unlabelled", labels="today").json() is None
    assert judged.ask("matrix.csv", set="unlabelled", labels="today").status_code == 409
    rows = judged.answers("unlabelled")
    assert len(rows) == 3
    assert all(row["true"] == row["loss"] == "" and row["predicted"] in judged.classes for row in rows)
    # Labelled now, they are scored by the labels of today, and move over when it is asked again.
    judged.label(rime[:2], "rime")
    today = judged.ask("judgement", set="unlabelled", labels="today").json()
    assert (today["count"], today["relabelled"], today["left_out"]) == (2, 2, 1)
    judged.judge("outside")
    sets = {entry["set"]: entry["count"] for entry in judged.ask("judgements").json()}
    assert (sets["outside"], sets["unlabelled"]) == (8, 1)
    judged.label(rime[2:3], "rime")
    judged.judge("outside")
    sets = {entry["set"]: entry["count"] for entry in judged.ask("judgements").json()}
    assert (sets["outside"], "unlabelled" in sets) == (9, False)


def test_labels_of_today_beside_those_of_then(judged: Judged) -> None:
    then = judged.ask("judgement").json()
    rows = judged.answers("validation")
    with judged.world.context.database.session() as session:
        query = (
            "select picture_id, true_class, predicted_class from prediction"
            " where model_id = :m and set_name = 'validation'"
        )
        found = session.execute(text(query), {"m": judged.model})
        said = {picture: (true, predicted) for picture, true, predicted in found}
    assert len(rows) == len(said) == then["count"]
    same = judged.ask("judgement", labels="today").json()
    assert same.pop("loss") == pytest.approx(then["loss"], rel=1e-5)
    assert same == {key: value for key, value in then.items() if key != "loss"}
    # Two are mended, one is excluded, one thrown away, one loses its label.
    mended, excluded, binned, bare = (sorted(said)[n] for n in (0, 1, 2, 3))
    name_of = {class_id: name for name, class_id in judged.classes.items()}
    other = next(name for name in judged.classes if name != name_of[said[mended][0]])
    judged.label([mended], other)
    judged.label([bare], None)
    for path, body in (
        ("marks", {"picture_ids": [excluded], "flag": "excluded", "value": True}),
        ("bin", {"picture_ids": [binned], "back": False}),
    ):
        judged.client.post(f"/api/projects/{judged.project}/{path}", json=body, headers=_WINDOW)
    today = judged.ask("judgement", labels="today").json()
    left = {picture: pair for picture, pair in said.items() if picture not in (excluded, binned, bare)}
    left[mended] = (judged.classes[other], said[mended][1])
    assert (today["relabelled"], today["left_out"], today["count"]) == (1, 3, len(said) - 3)
    assert today["right"] == sum(true == predicted for true, predicted in left.values())
    ids = [entry["id"] for entry in judged.run["classes"]]
    for truth, row in zip(ids, today["confusion"], strict=True):
        assert row == [sum(pair == (truth, predicted) for pair in left.values()) for predicted in ids]
    assert judged.ask("judgement").json() == then
    wrong = sorted(picture for picture, (true, predicted) in left.items() if true != predicted)
    assert judged.sifted("judged:validation wrong-today not excluded") == wrong
    assert judged.sifted("judged:validation right-today not excluded") == sorted(set(left) - set(wrong))
    table = list(csv.reader(io.StringIO(judged.ask("matrix.csv", labels="today").text)))
    assert [[int(cell) for cell in row[1:]] for row in table[1:]] == today["confusion"]


def test_answers_under_the_threshold_are_told_apart(judged: Judged) -> None:
    refused = judged.client.get(
        f"/api/projects/{judged.project}/pictures", params={"sift": "undecided", "run": judged.run["id"]}
    )
    assert (refused.status_code, "never says" in refused.text) == (422, True)
    assert judged.client.put(f"/api/models/{judged.model}/unsure", json={"below": 0.9}).status_code == 200
    with judged.world.context.database.session() as session:
        query = text(
            "select picture_id, coalesce(calibrated, p), runner_up, predicted_class from prediction where model_id = :m"
        )
        rows = session.execute(query, {"m": judged.model}).all()
    low = sorted(picture for picture, p, _, _ in rows if p < 0.9)
    assert judged.sifted("undecided") == low
    # Of two classes the next one is the other one, and the field carries both facts behind its usual record.
    assert all({runner, predicted} == set(judged.classes.values()) for _, _, runner, predicted in rows)
    query_of = {"sift": "judged", "group": "nothing", "run": judged.run["id"], "answers": "true"}
    data = judged.client.get(f"/api/projects/{judged.project}/field/records", params=query_of).content
    assert len(data) == 20 * len(rows)
    told = {}
    for at in range(0, len(data), 20):
        picture = int.from_bytes(data[at : at + 7])
        answer = int.from_bytes(data[at + 16 : at + 20])
        told[picture] = (answer % 2**31, answer >= 2**31)
    assert told == {picture: (runner, picture in low) for picture, _, runner, _ in rows}
    plain = judged.client.get(
        f"/api/projects/{judged.project}/field/records", params={**query_of, "answers": "false"}
    ).content
    assert len(plain) == 16 * len(rows)


def test_the_nearest_that_it_learnt_from(judged: Judged) -> None:
    training = judged.sifted("set:training")
    refused = judged.ask(f"pictures/{training[0]}/nearest")
    assert (refused.status_code, "Judge it on its training set" in refused.text) == (404, True)
    judged.judge("training")
    listed = judged.client.get(f"/api/projects/{judged.project}/pictures").json()["pictures"]
    label = {entry["id"]: entry["class_id"] for entry in listed}
    found = judged.ask(f"pictures/{training[0]}/nearest", count=50).json()
    assert {entry["picture_id"] for entry in found} == set(training) - {training[0]}
    likeness = [entry["likeness"] for entry in found]
    assert likeness == sorted(likeness, reverse=True)
    assert all(entry["class_then"] == entry["class_now"] == label[entry["picture_id"]] for entry in found)
    first = found[0]["picture_id"]
    judged.label([first], None)
    assert judged.ask(f"pictures/{training[0]}/nearest").json()[0]["class_now"] is None
    tested = judged.sifted("set:test")[0]
    assert judged.ask(f"pictures/{tested}/nearest").status_code == 409
    look = judged.client.post(f"/api/models/{judged.model}/looks", json={"place": "test"}).json()["id"]
    assert len(judged.ask(f"pictures/{tested}/nearest", look=look).json()) == 6


def test_runs_are_compared_on_test_by_a_look_at_each(judged: Judged, world: World) -> None:
    made = judged.client.post(
        f"/api/projects/{judged.project}/runs", json={"recipe": small_recipe(epochs=1, seed=2)}
    ).json()
    world.run_waiting()
    other = judged.client.get(f"/api/runs/{made['id']}").json()
    runs = [judged.run["id"], other["id"]]

    def compare(**query: Any) -> Any:
        return judged.client.get(f"/api/projects/{judged.project}/comparison", params={"run": runs, **query})

    looks = [
        judged.client.post(f"/api/models/{model}/looks", json={"place": "test"}).json()["id"]
        for model in (judged.model, other["model"]["id"])
    ]
    early = compare(look=looks)
    assert (early.status_code, "was not judged on test yet" in early.text) == (409, True)
    world.run_waiting()
    found = compare(look=looks).json()
    assert (found["set"], found["pictures"]) == ("test", judged.run["counts"]["test"])
    assert compare().json()["set"] == "validation"
    for wrong, status in ((looks[:1], 422), (looks[::-1], 409), ([9999, 9998], 409)):
        assert compare(look=wrong).status_code == status


def test_in_short(judged: Judged) -> None:
    assert judged.ask("in-short", set="training").status_code == 404
    told = judged.ask("in-short").json()
    assert [entry["about"] for entry in told][:1] == ["confuses"]
    # Of twelve validation pictures all of one class are read wrongly, by hand, and surely.
    with judged.world.context.database.session() as session:
        plate, rime = (judged.classes[name] for name in ("plate", "rime"))
        scores = judged.ask("judgement").json()
        count = scores["count"]
        half = count // 2
        session.execute(
            text(
                "update judgement set scores = scores || cast(:new as jsonb)"
                " where model_id = :m and set_name = 'validation'"
            ),
            {"m": judged.model, "new": f'{{"confusion": [[{half}, 0], [{count - half}, 0]], "right": {half}}}'},
        )
        session.execute(
            text("update prediction set predicted_class = :p, true_class = :r, calibrated = 0.99 where model_id = :m"),
            {"p": plate, "r": rime, "m": judged.model},
        )
        session.execute(
            text("update prediction set true_class = :r where model_id = :m"), {"r": rime, "m": judged.model}
        )
    told = judged.ask("in-short").json()
    by_about: dict[str, list[dict[str, Any]]] = {}
    for entry in told:
        by_about.setdefault(entry["about"], []).append(entry)
    assert by_about["confuses"][0]["words"] == f"plate is read as rime 0 times, the other way {count - half} times."
    labels, weak = by_about["next"]
    assert labels["words"].startswith(f"Look at labels first: {count} of {count} answers above 0.95 are wrong")
    assert weak["words"].startswith(f"More pictures of rime: 0 of {count - half} right, of the others {half} of {half}")
    assert weak["p"] < 0.05
    assert len(judged.sifted(weak["sift"].removesuffix(" order:-loss"))) == count
    page = judged.client.get(f"/api/models/{judged.model}/report.html").text
    assert weak["words"] in page
