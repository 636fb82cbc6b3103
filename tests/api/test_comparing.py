"""Runs beside each other over HTTP, with answers that were put in by hand."""

from typing import Any

import pytest
from fastapi.testclient import TestClient
from sqlalchemy import text

from tests.pictures import png
from tests.world import World, small_recipe


@pytest.fixture
def runs(client: TestClient, world: World) -> list[dict[str, Any]]:
    """Two runs on one division, with eight validation pictures whose answers each test writes."""
    project = world.project("Two roads")
    world.bring_in(project, {f"{c}/{n}.png": png(60 * k + n, level=90 + 60 * k) for k, c in enumerate(("plate", "rime"))
                             for n in range(24)})  # fmt: skip
    made = []
    for seed, batch in ((1, 8), (1, 4)):
        recipe: Any = small_recipe(epochs=1, seed=seed)
        recipe["settings"]["batch_size"] = batch
        made.append(client.post(f"/api/projects/{project}/runs", json={"recipe": recipe}).json())
        world.run_waiting()
    return [client.get(f"/api/runs/{run['id']}").json() for run in made]


def _answers(world: World, model: int, right: str) -> list[int]:
    """Has a model answer its validation pictures, in the order of their ids: r is right, w is wrong."""
    with world.context.database.session() as session:
        rows = session.execute(
            text("select picture_id, true_class from prediction where model_id = :m order by picture_id"), {"m": model}
        ).all()
        assert len(rows) == len(right)
        classes = sorted({true for _, true in rows})
        for (picture, true), how in zip(rows, right, strict=True):
            said = true if how == "r" else next(c for c in classes if c != true)
            session.execute(
                text("update prediction set predicted_class = :c where model_id = :m and picture_id = :p"),
                {"c": said, "m": model, "p": picture},
            )
    return [picture for picture, _ in rows]


def _compare(client: TestClient, runs: list[dict[str, Any]]) -> Any:
    return client.get(f"/api/projects/{runs[0]['project_id']}/comparison", params={"run": [run["id"] for run in runs]})


def test_two_runs_picture_by_picture(client: TestClient, world: World, runs: list[dict[str, Any]]) -> None:
    first, second = (run["model"]["id"] for run in runs)
    count = runs[0]["counts"]["validation"]
    rest = "r" * (count - 5)
    pictures = _answers(world, first, "wwwrr" + rest)
    _answers(world, second, "rrrwr" + rest)
    found = _compare(client, runs).json()
    assert (found["pictures"], found["judged"]) == (count, [count, count])
    assert found["pair"] == {"gained": 3, "lost": 1, "p": pytest.approx(0.625)}
    one, two = found["runs"]
    assert (one["right"], two["right"]) == (count - 3, count - 1)
    assert sum(map(sum, two["confusion"])) == count
    assert sum(two["confusion"][n][n] for n in range(2)) == count - 1
    assert [entry["what"] for entry in found["differences"]] == ["settings.batch_size"]
    assert found["differences"][0]["values"] == [8, 4]
    assert one["multiply_adds"] == two["multiply_adds"] > one["parameters"]

    # The same pictures by the Sift.
    def sifted(sift: str) -> list[int]:
        query = {"sift": sift, "run": runs[1]["id"], "split": runs[1]["split_id"]}
        answer = client.get(f"/api/projects/{runs[0]['project_id']}/pictures", params=query)
        assert answer.status_code == 200, answer.text
        return sorted(entry["id"] for entry in answer.json()["pictures"])

    assert sifted(f"mended:{runs[0]['number']}") == pictures[:3]
    assert sifted(f"broken:{runs[0]['number']}") == pictures[3:4]
    assert sifted("mended:99") == []
    refused = client.get(
        f"/api/projects/{runs[0]['project_id']}/pictures", params={"sift": "mended:x", "run": runs[1]["id"]}
    )
    assert (refused.status_code, "not the number of a run" in refused.text) == (422, True)

    # Copies are one piece of evidence, and a label that was mended since is that of the newer run.
    with world.context.database.session() as session:
        session.execute(text("update picture set copy_group = 7 where id = any(:p)"), {"p": pictures[:3]})
        session.execute(
            text("update prediction set true_class = predicted_class where model_id = :m and picture_id = :p"),
            {"m": first, "p": pictures[0]},
        )
    found = _compare(client, runs).json()
    assert found["pair"] == {"gained": 1, "lost": 1, "p": 1.0}
    assert (found["labels_differ"], found["labels_of"]) == (1, runs[1]["number"])
    assert found["runs"][0]["right"] == count - 3


def test_what_the_mending_did(client: TestClient, world: World, runs: list[dict[str, Any]]) -> None:
    first = runs[0]
    project, count = first["project_id"], first["counts"]["validation"]
    pictures = _answers(world, first["model"]["id"], "wwwr" + "r" * (count - 4))
    listed = client.get(f"/api/projects/{project}/pictures", params={"split": first["split_id"]}).json()["pictures"]
    label = {entry["id"]: entry["class_id"] for entry in listed}
    training = next(entry["id"] for entry in listed if entry["set_name"] == "training")
    # Of the three that were read wrongly two were labelled wrongly, as was one to train on.
    for picture in (*pictures[:2], training):
        other = next(entry["id"] for entry in first["classes"] if entry["id"] != label[picture])
        body = {"picture_ids": [picture], "class_id": other}
        client.post(f"/api/projects/{project}/labels", json=body, headers={"X-Window": "w"})
    recipe: Any = small_recipe(epochs=1)
    made = client.post(f"/api/projects/{project}/runs", json={"recipe": recipe, "split_id": first["split_id"]}).json()
    world.run_waiting()
    again = client.get(f"/api/runs/{made['id']}").json()
    # By the new labels it has one mended picture wrong, and of the others one that was right, and the wrong one right.
    _answers(world, again["model"]["id"], "rwrw" + "r" * (count - 4))
    found = _compare(client, [first, again]).json()
    mending = found["mending"]
    assert mending["relabelled"] == {"training": 1, "validation": 2}
    assert (mending["before"], mending["after"]) == (first["number"], again["number"])
    assert (mending["right_then"], mending["right_by_new_labels"], mending["right_now"]) == (
        count - 3, count - 1, count - 2,
    )  # fmt: skip
    assert mending["others"] == {
        "count": count - 2, "right_then": count - 3, "right_now": count - 3, "gained": 1, "lost": 1, "p": 1.0,
    }  # fmt: skip
    assert [entry["picture_id"] for entry in mending["pictures"]] == pictures[:2]
    assert all(entry["said_then"] == entry["label_now"] != entry["label_then"] for entry in mending["pictures"])
    # In whichever order they are named, time goes the same way.
    assert _compare(client, [again, first]).json()["mending"] == mending
    assert _compare(client, runs).json()["mending"] is None


def test_what_cannot_be_compared_says_why(client: TestClient, world: World, runs: list[dict[str, Any]]) -> None:
    for named, status, words in (
        (runs[:1], 422, "Name two to 4"),
        ([runs[0], runs[0]], 422, "different"),
        ([runs[0], {**runs[1], "id": 9999}], 404, "run"),
    ):
        refused = _compare(client, named)
        assert (refused.status_code, words in refused.text) == (status, True), refused.text
    with world.context.database.session() as session:
        session.execute(text("delete from judgement where model_id = :m"), {"m": runs[1]["model"]["id"]})
    refused = _compare(client, runs)
    assert (refused.status_code, "Judge it in Review" in refused.text) == (409, True)


def test_runs_that_share_no_picture_have_nothing_to_say(
    client: TestClient, world: World, runs: list[dict[str, Any]]
) -> None:
    with world.context.database.session() as session:
        session.execute(text("delete from prediction where model_id = :m"), {"m": runs[1]["model"]["id"]})
    found = _compare(client, runs).json()
    assert (found["pictures"], found["runs"][0]["accuracy"], found["pair"]["p"]) == (0, None, 1.0)


def test_what_goes_with_errors_is_told_and_sifted(client: TestClient, world: World) -> None:
    project = world.project("Two mornings")
    for source, first in (("clear", 0), ("misty", 500)):
        members = {
            f"{c}/{n}.png": png(first + 60 * k + n, level=90 + 60 * k)
            for k, c in enumerate(("plate", "rime"))
            for n in range(60)
        }
        world.bring_in(project, members, source)
    run = client.post(f"/api/projects/{project}/runs", json={"recipe": small_recipe(epochs=1)}).json()
    world.run_waiting()
    model = client.get(f"/api/runs/{run['id']}").json()["model"]["id"]
    client.post(f"/api/models/{model}/judgements", json={"set": "training"})
    world.run_waiting()
    with world.context.database.session() as session:
        # Right everywhere but in half of what came by mist, and in few others.
        session.execute(text("update prediction set predicted_class = true_class where model_id = :m"), {"m": model})
        misty = (
            "select a.picture_id from appearance a join import i on i.id = a.import_id where i.source_name = 'misty'"
        )
        for which, part in (("in", 2), ("not in", 15)):
            session.execute(
                text(
                    "update prediction set predicted_class = (select min(id) from class where id <> true_class)"
                    f" where model_id = :m and picture_id {which} ({misty}) and picture_id % {part} = 0"
                ),
                {"m": model},
            )
    url = f"/api/models/{model}/slices"
    found = client.get(url, params={"set": "training"}).json()
    assert [entry["words"] for entry in found] == ["among those from misty"]
    assert found[0]["p"] < 0.001 and found[0]["times"] > 3
    assert found[0]["sift"] == 'judged:training source:"misty"'
    query = {"sift": f"{found[0]['sift']} wrong", "run": run["id"]}
    wrong = client.get(f"/api/projects/{project}/pictures", params=query).json()["pictures"]
    assert len(wrong) == found[0]["wrong"]
    assert client.get(url, params={"set": "test"}).status_code == 409

    # The same by a number: half of the dark ones are wrong, and none of the others.
    with world.context.database.session() as session:
        ids = session.scalars(
            text("select picture_id from prediction where model_id = :m and set_name = 'training' order by picture_id"),
            {"m": model},
        ).all()
        dark = set(ids[: len(ids) // 4])
        for place, picture in enumerate(ids):
            session.execute(
                text("update picture set brightness = :b where id = :p"),
                {"b": (0.1 if picture in dark else 0.6) + place / 1000, "p": picture},
            )
            said = (
                "(select min(id) from class where id <> true_class)" if picture in dark and place % 2 else "true_class"
            )
            session.execute(
                text(f"update prediction set predicted_class = {said} where model_id = :m and picture_id = :p"),
                {"m": model, "p": picture},
            )
    by_number = client.get(url, params={"set": "training"}).json()
    fifth = next(entry for entry in by_number if entry["words"] == "among the darkest fifth")
    for sift, told in ((fifth["sift"], fifth["count"]), (f"{fifth['sift']} wrong", fifth["wrong"])):
        listed = client.get(f"/api/projects/{project}/pictures", params={"sift": sift, "run": run["id"]}).json()
        assert len(listed["pictures"]) == told
    assert abs(fifth["count"] - len(ids) / 5) <= 1

    # Every judged picture was measured, and the Sift knows the measures.
    def count(sift: str) -> int:
        listed = client.get(f"/api/projects/{project}/pictures", params={"sift": sift, "run": run["id"]}).json()
        return len(listed["pictures"])

    assert count("sharpness>=0 contrast>0") == count("judged") > 100
    assert count("judged contrast>0.6") == 0
    order = client.get(f"/api/projects/{project}/field", params={"sift": "judged order:-sharpness", "run": run["id"]})
    assert order.status_code == 200


def test_a_report_is_one_file_that_asks_nothing_of_anybody(
    client: TestClient, world: World, runs: list[dict[str, Any]]
) -> None:
    run = runs[1]
    _answers(world, run["model"]["id"], "ww" + "r" * (run["counts"]["validation"] - 2))
    client.patch(f"/api/runs/{run['id']}", json={"name": "<script>alert(1)</script>", "note": 'Wind & "snow"'})
    url = f"/api/models/{run['model']['id']}"
    facts = client.get(f"{url}/report.json").json()
    assert facts["format"] == "vast-orchard-report/1"
    assert facts["run"]["number"] == run["number"]
    assert facts["model"]["weights_sha256"] == run["model"]["digest"]
    assert list(facts["sets"]) == ["validation"]
    assert sum(map(sum, facts["pictures"]["by_class"].values())) == sum(run["counts"].values())
    assert len(facts["epochs"]) == run["epochs_done"]
    assert [entry["true"] != entry["predicted"] for entry in facts["worst"]] == [True, True]
    assert facts["recipe"]["settings"] == run["recipe"]["settings"]

    answer = client.get(f"{url}/report.html")
    assert answer.headers["content-disposition"] == f'attachment; filename="run-{run["number"]}-report.html"'
    page = answer.text
    assert "<script" not in page and "&lt;script&gt;" in page and "Wind &amp; &#34;snow&#34;" in page
    # No address but those of pictures that lie in it.
    assert "http" not in page
    assert page.count("src=") == page.count('src="data:image/') == 2
    assert "No test figures stand here" in page and "so far: 0." in page

    # The test set only by a counted look, which the report tells of.
    assert client.get(f"{url}/report.html", params={"look": 99}).status_code == 409
    look = client.post(f"{url}/looks", json={"place": "review"}).json()["id"]
    world.run_waiting()
    tested = client.get(f"{url}/report.json", params={"look": look}).json()
    assert list(tested["sets"]) == ["validation", "test"]
    assert "this one included: 1." in client.get(f"{url}/report.html", params={"look": look}).text

    # Pictures that are gone stand there by their names.
    with world.context.database.session() as session:
        session.execute(text("update snapshot_picture set sha256 = repeat('0', 64) where snapshot_id > 0"))
    bare = client.get(f"{url}/report.html").text
    assert "src=" not in bare and facts["worst"][0]["name"] in bare
