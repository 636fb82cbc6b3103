"""Variations, preprocessings and splits over HTTP, on real records."""

import base64
import io
from typing import Any

import numpy as np
import pytest
from PIL import Image
from starlette.testclient import TestClient

from tests.pictures import png
from tests.world import World, small_recipe
from vast_orchard.core.arrays import Array
from vast_orchard.core.pictures.preprocessing import Preprocessing
from vast_orchard.core.pictures.variation import variation_from_json
from vast_orchard.core.pictures.vary import vary
from vast_orchard.formats.collection import identity_number
from vast_orchard.formats.picture_file import network_pixels
from vast_orchard.store.bytes import ByteStore

# A JPEG of quality 92 moves single values by more, but not their mean.
_JPEG_MEAN = 4.0

_PREPROCESSING = {"size": 96, "colour": "rgb"}
_TURN = {"kind": "turn", "probability": 1.0, "low": -40.0, "high": 40.0}


@pytest.fixture
def project(client: TestClient, world: World) -> int:
    """Twenty plates and twenty needles."""
    made = int(client.post("/api/projects", json={"name": "Crystals"}).json()["id"])
    world.bring_in(
        made, {f"{name}/s{n % 5}_{n}.png": png(n + 100 * k) for k, name in enumerate("pn") for n in range(20)}
    )
    return made


def _image(answer: dict[str, Any]) -> Array:
    with Image.open(io.BytesIO(base64.b64decode(answer["image"]))) as image:
        return np.asarray(image.convert("RGB"))


def test_shares_are_proposed_with_what_they_will_tell(client: TestClient, project: int) -> None:
    found = client.get(f"/api/projects/{project}/splits/proposal").json()
    assert found["shares"] == {"training": 0.7, "validation": 0.15, "test": 0.15}
    assert found["labelled"] == client.get(f"/api/projects/{project}").json()["pictures"]
    # Newcombe 1998, table I: 81 of 263 by Wilson's score method.
    answer = client.get("/api/intervals", params={"count": [263, 0], "accuracy": 81 / 263}).json()
    assert answer[0] == pytest.approx([0.2553, 0.3662], abs=0.0001)
    assert answer[1] == [0, 1]
    assert client.get("/api/intervals", params={"count": [10], "accuracy": 2}).status_code == 422


def test_sheets_show_what_training_does(client: TestClient, world: World, project: int) -> None:
    # One test for all sheets: the process that draws them takes seconds to start.
    _as_training_shows_it(client, world, project)
    _mixed_tiles_tell_whose_label_they_share(client, project)
    _operations_alone_and_ways_to_fit(client, project)


def _as_training_shows_it(client: TestClient, world: World, project: int) -> None:
    variation = {"operations": [_TURN, {"kind": "brightness", "probability": 1.0, "low": 0.5, "high": 1.5}]}
    body = {"preprocessing": _PREPROCESSING, "variation": variation, "pictures": 3, "variants": 4, "seed": 9}
    answer = client.post(f"/api/projects/{project}/variation-sheet", json=body).json()
    assert (answer["tile"], answer["rows"], answer["columns"]) == (96, 3, 5)
    sheet = _image(answer).reshape(3, 96, 5, 96, 3).swapaxes(1, 2).astype(float)
    store = world.context.store
    for row, picture in enumerate(answer["picture_ids"]):
        sha256 = client.get(f"/api/projects/{project}/pictures/{picture}").json()["picture"]["sha256"]
        pixels = network_pixels(store.read(ByteStore.picture_path(sha256)), Preprocessing(size=96))
        assert np.abs(sheet[row, 0] - pixels).mean() < _JPEG_MEAN
        identity = np.array([identity_number(sha256)], np.uint64)
        for epoch in (1, 4):
            shown = vary(pixels[None], identity, variation_from_json(variation), 9, epoch)[0]
            assert np.abs(sheet[row, epoch] - shown).mean() < _JPEG_MEAN
    # Chosen pictures come in the order asked for, and a seed of its own draws others.
    chosen = answer["picture_ids"][::-1]
    other = client.post(
        f"/api/projects/{project}/variation-sheet", json={**body, "picture_ids": chosen, "seed": 10}
    ).json()
    assert other["picture_ids"] == chosen
    again = _image(other).reshape(3, 96, 5, 96, 3).swapaxes(1, 2).astype(float)
    assert np.abs(again[2, 0] - sheet[0, 0]).mean() < 1
    assert np.abs(again[2, 1] - sheet[0, 1]).mean() > _JPEG_MEAN


def _mixed_tiles_tell_whose_label_they_share(client: TestClient, project: int) -> None:
    client.post(f"/api/projects/{project}/splits", json={})
    mix = {"operations": [{"kind": "blend", "probability": 1.0, "low": 1.0, "high": 1.0}]}
    body = {"preprocessing": _PREPROCESSING, "variation": mix, "pictures": 2, "variants": 3}
    answer = client.post(f"/api/projects/{project}/variation-sheet", json=body).json()
    classes = {entry["id"] for entry in client.get(f"/api/projects/{project}/classes").json()}
    assert len(answer["mixes"]) == 6
    assert all(0 < mix["share"] < 1 and mix["class_id"] in classes for mix in answer["mixes"])
    assert {(mix["row"], mix["column"]) for mix in answer["mixes"]} == {(r, c) for r in (0, 1) for c in (1, 2, 3)}


def _operations_alone_and_ways_to_fit(client: TestClient, project: int) -> None:
    body = {"preprocessing": {"size": 48, "colour": "rgb"}, "variation": {"operations": [_TURN]}}
    alone = client.post(f"/api/projects/{project}/operation-extremes", json=body).json()
    assert (alone["heads"], alone["rows"], alone["columns"], alone["tile"]) == (["turn"], 1, 3, 96)
    fits = client.post(f"/api/projects/{project}/preprocessing-sheet", json={"preprocessing": _PREPROCESSING}).json()
    assert (fits["heads"], fits["columns"]) == (["distort", "border", "middle"], 4)
    proposal = client.get(f"/api/projects/{project}/input-size").json()
    assert proposal["size"] % 16 == 0


def test_without_pictures_sheets_and_proposals_say_so(client: TestClient) -> None:
    empty = client.post("/api/projects", json={"name": "Empty"}).json()["id"]
    body = {"preprocessing": _PREPROCESSING, "variation": {"operations": []}}
    for path, sent in (
        ("variation-sheet", body),
        ("operation-extremes", body),
        ("preprocessing-sheet", {"preprocessing": _PREPROCESSING}),
    ):
        answer = client.post(f"/api/projects/{empty}/{path}", json=sent)
        assert (answer.status_code, answer.json()["mend"]) == (409, "Bring in pictures first.")
    assert client.get(f"/api/projects/{empty}/input-size").status_code == 409


@pytest.mark.parametrize(
    ("kind", "value", "words"),
    [
        ("variation", {"operations": [{**_TURN, "low": 50.0}]}, "wrong way round"),
        ("variation", {"operations": [{"kind": "noise", "probability": 1, "low": 0.45, "high": 0.5}]}, "recognise"),
        ("variation", {"operations": [{"kind": "melt", "probability": 1}]}, "no operation named"),
        ("variation", {"turn": 3}, "not a variation"),
        ("variation", {"operations": [_TURN], "strength": 9}, "strength is 9"),
        ("preprocessing", {"size": 4}, "input size is 4"),
        ("preprocessing", {"size": 48, "fit": "stretch"}, "fit is 'stretch'"),
        ("preprocessing", {"sides": 48}, "not a preprocessing"),
    ],
)
def test_what_cannot_be_is_not_kept(
    client: TestClient, project: int, kind: str, value: dict[str, Any], words: str
) -> None:
    answer = client.post(f"/api/projects/{project}/ingredients/{kind}", json={"name": "bad", "value": value})
    assert answer.status_code == 422
    assert words in answer.json()["detail"]
    assert client.get(f"/api/projects/{project}/ingredients/{kind}").json() == []


def test_hue_of_grey_pictures_is_refused_before_it_is_trained(client: TestClient, project: int) -> None:
    recipe: Any = small_recipe()
    recipe["preprocessing"] = {**recipe["preprocessing"], "colour": "grey"}
    recipe["variation"] = {"operations": [{"kind": "hue", "probability": 1, "low": -5, "high": 5}]}
    answer = client.post(f"/api/projects/{project}/runs", json={"recipe": recipe})
    assert answer.status_code == 422
    assert "hue would change colours" in answer.json()["detail"]
    assert client.get(f"/api/projects/{project}/runs").json()["runs"] == []


def test_a_version_that_a_run_has_used_never_changes(client: TestClient, project: int) -> None:
    path = f"/api/projects/{project}/ingredients/variation"

    def keep(high: float, name: str = "Gentle") -> dict[str, Any]:
        value = {"operations": [{**_TURN, "low": 0.0, "high": high}]}
        return client.post(path, json={"name": name, "value": value}).json()

    first = keep(10)
    changed = keep(20, "gentle")  # the same name in other letters, and no run has used it: changed itself
    assert (changed["id"], changed["version"], changed["name"]) == (first["id"], 1, "Gentle")
    # The server finds by its value which version was used, and of equal ones the newest.
    recipe = {**small_recipe(), "variation": {"operations": [{**_TURN, "low": 0.0, "high": 20}]}}
    run = client.post(f"/api/projects/{project}/runs", json={"recipe": recipe}).json()
    assert run["recipe"]["variation"]["operations"][0]["high"] == 20
    client.post(f"/api/projects/{project}/runs", json={"recipe": small_recipe()})  # uses none of them
    assert keep(20)["version"] == 1
    second = keep(30)
    assert (second["version"], second["runs"]) == (2, [])
    listed = client.get(path).json()
    assert [(entry["version"], entry["value"]["operations"][0]["high"], entry["runs"]) for entry in listed] == [
        (2, 30, []),
        (1, 20, [1]),
    ]
    assert client.delete(f"{path}/{second['id']}").status_code == 204
    assert client.get(path).json() == []
    assert client.get(f"/api/runs/{run['id']}").json()["recipe"]["variation"]["operations"][0]["high"] == 20
    # Names go on where they were.
    assert keep(40)["version"] == 2


def test_answers_become_a_variation(client: TestClient) -> None:
    free = client.get("/api/variation-by-answers", params={"mirrored": "both", "turned": "any"}).json()
    kinds = {entry["kind"]: entry for entry in free["operations"]}
    assert {"mirror", "flip"} <= kinds.keys()
    assert (kinds["turn"]["low"], kinds["turn"]["high"]) == (-180, 180)
    assert client.get("/api/variation-by-answers", params={"turned": "over"}).status_code == 422
    assert len(client.get("/api/operations").json()) == 23


def _sets(client: TestClient, project: int, split: int) -> dict[int, str | None]:
    page = client.get(f"/api/projects/{project}/pictures", params={"split": split}).json()
    return {entry["id"]: entry["set_name"] for entry in page["pictures"]}


def test_a_pattern_of_the_name_keeps_series_together(client: TestClient, project: int) -> None:
    body = {"together": "pattern", "pattern": "{group}_{number}", "name": "By series"}
    split = client.post(f"/api/projects/{project}/splits", json=body).json()
    assert (split["name"], split["version"], split["rule"]["groups"]) == ("By series", 1, 5)
    page = client.get(f"/api/projects/{project}/pictures", params={"split": split["id"]}).json()["pictures"]
    by_series: dict[str, set[str]] = {}
    for entry in page:
        by_series.setdefault(entry["name"].split("_")[0], set()).add(entry["set_name"])
    assert all(len(sets) == 1 for sets in by_series.values())
    # Five series of eight cannot give 28 / 6 / 6, and the split says why.
    assert any(met["because"] == "a group of 4 is never cut" for met in split["fit"])
    again = client.post(f"/api/projects/{project}/splits", json={**body, "seed": 2}).json()
    assert (again["name"], again["version"], again["number"]) == ("By series", 2, 2)
    for bad, words in (
        ({"together": "pattern", "pattern": "{any}_{number}"}, "names no {group}"),
        ({"together": "pattern", "pattern": "{group}-x-{number}"}, "fits none of 40 names"),
        ({"together": "group"}, "No picture came with a grouping key"),
        ({"shares": {"training": 0.9, "validation": 0.3, "test": 0.1}}, "together at most 1"),
        ({"numbers": {"training": 30, "validation": 20, "test": 0}}, "50 pictures are asked for, and there are 40"),
    ):
        answer = client.post(f"/api/projects/{project}/splits", json=bad)
        assert answer.status_code == 422
        assert words in answer.json()["detail"] + answer.json()["mend"]


def test_moves_by_hand_are_steps_of_the_history_and_spare_what_runs_used(client: TestClient, project: int) -> None:
    split = client.post(f"/api/projects/{project}/splits", json={}).json()
    path, window = f"/api/projects/{project}", {"X-Window": "one"}
    before = _sets(client, project, split["id"])
    tests = [picture for picture, name in before.items() if name == "test"]
    moved = client.post(
        f"{path}/splits/{split['id']}/moves", json={"picture_ids": tests[:2], "set_name": "training"}, headers=window
    ).json()
    assert moved["split"]["id"] == split["id"]
    assert "2 pictures moved to training" in moved["action"]["summary"]
    assert _sets(client, project, split["id"])[tests[0]] == "training"
    rows = client.get(f"{path}/field", params={"group": "set", "split": split["id"]}).json()["rows"]
    assert {row["key"]: row["count"] for row in rows} == {"training": 30, "validation": 6, "test": 4}
    client.post(f"{path}/undo", headers=window)
    assert _sets(client, project, split["id"]) == before
    client.post(f"{path}/redo", headers=window)
    assert _sets(client, project, split["id"])[tests[1]] == "training"
    client.post(f"{path}/undo", headers=window)

    client.post(f"{path}/runs", json={"recipe": small_recipe(), "split_id": split["id"]})
    taken = client.post(
        f"{path}/splits/{split['id']}/moves", json={"sift": "class:p", "set_name": None}, headers=window
    ).json()
    assert taken["split"]["id"] != split["id"]
    assert (taken["split"]["version"], taken["split"]["in_no_set"]) == (2, 20)
    assert _sets(client, project, split["id"]) == before
    client.post(f"{path}/undo", headers=window)
    assert _sets(client, project, taken["split"]["id"]) == before
    pairs = client.get(f"{path}/splits/{split['id']}/beside/{taken['split']['id']}").json()["pairs"]
    assert all(pair["first"] == pair["second"] for pair in pairs)
    same = client.post(
        f"{path}/splits/{split['id']}/moves", json={"picture_ids": tests, "set_name": "test"}, headers=window
    )
    assert same.status_code == 409
    client.post(f"{path}/bin", json={"picture_ids": tests[:1], "back": False}, headers={"X-Window": "two"})
    gone = client.post(
        f"{path}/splits/{split['id']}/moves", json={"picture_ids": tests, "set_name": "training"}, headers=window
    )
    assert gone.status_code == 404
    assert "nothing was changed" in gone.json()["mend"]
    other = client.post("/api/projects", json={"name": "Other"}).json()["id"]
    stranger = client.post(
        f"/api/projects/{other}/splits/{split['id']}/moves", json={"picture_ids": tests, "set_name": None}
    )
    assert stranger.status_code == 404
    foreign = client.post(f"{path}/splits/999/moves", json={"picture_ids": tests, "set_name": "test"}, headers=window)
    assert foreign.status_code == 404


def test_new_pictures_are_topped_up_and_folds_divide_the_rest(client: TestClient, world: World, project: int) -> None:
    ahead = client.get(f"/api/projects/{project}/splits/ahead").json()
    assert ahead["method"] == "random"
    split = client.post(f"/api/projects/{project}/splits", json={}).json()
    assert ahead["counts"] == split["counts"]
    path, window = f"/api/projects/{project}/splits/{split['id']}", {"X-Window": "one"}
    before = _sets(client, project, split["id"])
    assert client.post(f"{path}/top-up", headers=window).status_code == 409
    world.bring_in(project, {f"p/new{n}.png": png(500 + n) for n in range(20)}, "more")
    assert client.get(f"{path}/checks").json()["left_out"]["none"] == 20
    done = client.post(f"{path}/top-up", headers=window).json()
    after = _sets(client, project, split["id"])
    assert done["split"]["in_no_set"] == 0
    assert {picture: after[picture] for picture in before} == before
    assert sorted(done["split"]["counts"].values(), key=lambda x: -x["training"])[0] == {
        "training": 28, "validation": 6, "test": 6,
    }  # fmt: skip
    folds = client.get(f"{path}/folds", params={"count": 4}).json()["folds"]
    # 34 plates and 17 needles of training and validation in four folds, no class unequal by more than one.
    by_class = [sorted(fold.values(), reverse=True) for fold in folds]
    assert sorted(plates for plates, _ in by_class) == [8, 8, 9, 9]
    assert sorted(needles for _, needles in by_class) == [4, 4, 4, 5]
    assert client.get(f"{path}/folds", params={"count": 51}).status_code == 422


def test_copies_across_sets_are_found_and_gathered(client: TestClient, world: World) -> None:
    project = int(client.post("/api/projects", json={"name": "Leak"}).json()["id"])
    members = {f"{name}/{n}.png": png(n + 100 * k) for k, name in enumerate("pn") for n in range(20)}
    # Eight pictures come once more, in another format: the same pixels, other bytes.
    for n in range(8):
        with Image.open(io.BytesIO(png(n))) as image:
            buffer = io.BytesIO()
            image.convert("RGB").save(buffer, "BMP")
        members[f"p/again{n}.bmp"] = buffer.getvalue()
    world.bring_in(project, members)
    world.run_waiting()
    path, window = f"/api/projects/{project}", {"X-Window": "one"}
    leaky = client.post(f"{path}/splits", json={"keep_copies": False}).json()
    checks = client.get(f"{path}/splits/{leaky['id']}/checks").json()
    assert checks["copy_groups"] > 0
    assert checks["copy_pictures"] == 2 * checks["copy_groups"]
    sifted = client.get(f"{path}/field", params={"sift": "parted-copies", "split": leaky["id"]}).json()
    assert sifted["total"] == checks["copy_pictures"]
    assert "6 validation pictures" in checks["small"][0] or "7 validation pictures" in checks["small"][0]
    done = client.post(f"{path}/splits/{leaky['id']}/gather", headers=window).json()
    assert "gathered into one set each" in done["action"]["summary"]
    assert client.get(f"{path}/splits/{leaky['id']}/checks").json()["copy_groups"] == 0
    assert client.post(f"{path}/splits/{leaky['id']}/gather", headers=window).status_code == 409
    honest = client.post(f"{path}/splits", json={}).json()
    assert client.get(f"{path}/splits/{honest['id']}/checks").json()["copy_groups"] == 0
