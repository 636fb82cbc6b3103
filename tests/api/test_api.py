"""The API on real records: the way from a project to an export, and what it answers to bad requests."""

import base64
import io
import json
from dataclasses import replace
from pathlib import Path
from typing import Any

import pytest
from PIL import Image
from sqlalchemy import text
from starlette.testclient import TestClient

from tests.pictures import encoded, png, zipped
from tests.world import World, small_recipe
from vast_orchard.store.database import Database


def _bring_in(client: TestClient, world: World, project: int, members: dict[str, bytes], name: str = "in.zip") -> None:
    upload = client.post("/api/uploads").json()["id"]
    sent = client.put(f"/api/uploads/{upload}/files", data={"path": name}, files={"file": ("file", zipped(members))})
    assert sent.status_code == 204, sent.text
    job = client.post(f"/api/projects/{project}/uploads/{upload}/import", json={"source_name": name})
    assert job.status_code == 202, job.text
    world.run_waiting()


@pytest.fixture
def project(client: TestClient, world: World, crystals: Path) -> int:
    made: int = client.post("/api/projects", json={"name": "Crystals"}).json()["id"]
    folder = crystals / "ridge-station"
    members = {str(p.relative_to(folder)): p.read_bytes() for p in folder.rglob("*") if p.is_file()}
    _bring_in(client, world, made, members)
    return made


@pytest.fixture
def run(client: TestClient, world: World, project: int) -> dict[str, Any]:
    started = client.post(f"/api/projects/{project}/runs", json={"recipe": small_recipe()})
    assert started.status_code == 202, started.text
    world.run_waiting()
    found: dict[str, Any] = client.get(f"/api/runs/{started.json()['id']}").json()
    return found


def test_projects_from_new_to_bin_and_back(client: TestClient) -> None:
    made = client.post("/api/projects", json={"name": " Ridge "}).json()
    assert (made["name"], made["pictures"]) == ("Ridge", 0)
    taken = client.post("/api/projects", json={"name": "RIDGE"})
    assert taken.status_code == 409
    assert taken.headers["content-type"] == "application/problem+json"
    assert taken.json()["detail"] == "There is a project named RIDGE already."
    assert client.patch(f"/api/projects/{made['id']}", json={"name": "North ridge"}).json()["name"] == "North ridge"
    assert client.delete(f"/api/projects/{made['id']}").status_code == 204
    assert client.get(f"/api/projects/{made['id']}").status_code == 404
    assert client.get("/api/projects").json() == []
    assert [entry["name"] for entry in client.get("/api/projects?deleted=true").json()] == ["North ridge"]
    assert client.post(f"/api/projects/{made['id']}/restore").json()["deleted_at"] is None


def test_pictures_come_in_pages_that_meet(client: TestClient, project: int) -> None:
    whole = client.get(f"/api/projects/{project}/pictures").json()
    assert whole["next"] is None
    ids: list[int] = []
    after = 0
    while after is not None:
        page = client.get(f"/api/projects/{project}/pictures", params={"after": after, "limit": 40}).json()
        ids += [entry["id"] for entry in page["pictures"]]
        after = page["next"]
    assert ids == [entry["id"] for entry in whole["pictures"]]


def test_thumbnails_sheets_and_whole_pictures(client: TestClient, world: World, project: int) -> None:
    _bring_in(client, world, project, {"plate/small.png": png(1), "plate/large.png": png(2, (220, 20))})
    pictures = client.get(f"/api/projects/{project}/pictures").json()["pictures"]
    by_name = {entry["name"]: entry["sha256"] for entry in pictures}
    # A small file is its own thumbnail, whichever of the two it is.
    for name, kind in ((pictures[0]["name"], "jpeg"), ("small.png", "png"), ("large.png", "jpeg")):
        small = client.get(f"/api/thumbnails/{by_name[name]}")
        assert small.headers["content-type"] == f"image/{kind}"
        assert Image.open(io.BytesIO(small.content)).format == kind.upper()
        assert "immutable" in small.headers["cache-control"]
    ids = [entry["id"] for entry in pictures[:20]] + [999_999]
    for side, kind in ((12, "image/png"), (24, "image/png"), (56, "image/jpeg")):
        sheet = client.post(f"/api/projects/{project}/sheets", json={"picture_ids": ids, "side": side, "columns": 8})
        assert sheet.headers["content-type"] == kind
        with Image.open(io.BytesIO(sheet.content)) as image:
            assert image.size == (8 * side, 3 * side)
            assert image.getpixel((4 * side + side // 2, 2 * side + side // 2)) == (128, 128, 128)  # the one not there
    _bring_in(client, world, project, {"plate/tiff.tif": encoded(Image.new("RGB", (30, 20), "red"), "TIFF")})
    tiff = client.get(f"/api/projects/{project}/pictures").json()["pictures"][-1]
    shown = client.get(f"/api/originals/{tiff['sha256']}")
    assert shown.headers["content-type"] == "image/png"
    with Image.open(io.BytesIO(shown.content)) as image:
        assert image.getpixel((3, 3)) == (255, 0, 0)


def test_splits_count_and_warn(client: TestClient, world: World, project: int) -> None:
    _bring_in(client, world, project, {"lonely/1.png": png(1)})
    split = client.post(f"/api/projects/{project}/splits", json={"seed": 4}).json()
    classes = {entry["name"]: entry for entry in client.get(f"/api/projects/{project}/classes").json()}
    for entry in classes.values():
        assert sum(split["counts"][str(entry["id"])].values()) == entry["count"]
    assert "lonely (1 picture) is missing from validation and test." in split["warnings"]
    assert split["in_no_set"] == 0
    _bring_in(client, world, project, {"plate/new.png": png(2)})
    assert client.get(f"/api/projects/{project}/splits").json()[0]["in_no_set"] == 1


def test_sets_of_folders_are_used_by_train_without_asking(client: TestClient, world: World) -> None:
    project = client.post("/api/projects", json={"name": "Given"}).json()["id"]
    members = {
        f"{place}/{name}/{n}.png": png(100 * n + 10 * len(place) + len(name), level=60 if name == "plate" else 190)
        for place, count in (("train", 8), ("test", 3))
        for name in ("plate", "needle")
        for n in range(count)
    }
    _bring_in(client, world, project, members | {"unlabelled/1.png": png(900), "plate/outside.png": png(901)})
    ahead = client.get(f"/api/projects/{project}/splits/ahead").json()
    assert (ahead["method"], client.get(f"/api/projects/{project}/splits").json()) == ("folders", [])
    assert [sets["test"] for sets in ahead["counts"].values()] == [3, 3]
    assert ahead["left_out"] == {"unlabelled": 1, "excluded": 0, "unsure": 0, "none": 1}
    run = client.post(f"/api/projects/{project}/runs", json={"recipe": small_recipe()}).json()
    made = client.get(f"/api/projects/{project}/splits").json()[0]
    assert ahead["counts"] == made["counts"]
    assert run["counts"]["test"] == 6
    assert run["counts"]["training"] + run["counts"]["validation"] == 16
    assert client.get(f"/api/projects/{project}/splits").json()[0]["method"] == "folders"


def test_a_project_at_a_glimpse_and_put_away(client: TestClient, run: dict[str, Any]) -> None:
    project = run["project_id"]
    path = f"/api/projects/{project}"
    before = client.get(path).json()
    classes = {entry["id"] for entry in client.get(f"{path}/classes").json()}
    glimpse = client.get(f"{path}/glimpse", params={"pictures": len(classes)}).json()
    assert {sample["class_id"] for sample in glimpse["samples"]} == classes
    assert glimpse["result"] == {
        "run_id": run["id"], "run": run["number"], "split": run["split_number"],
        "accuracy": client.get(f"/api/runs/{run['id']}").json()["validation"]["accuracy"],
        "count": run["counts"]["validation"],
    }  # fmt: skip
    assert before["worked_at"] >= run["created_at"]
    assert before["archived_at"] is None
    assert client.put(f"{path}/put-away", json={"away": True}).json()["archived_at"] is not None
    # It stands apart, and everything in it goes on.
    assert client.get(f"{path}/classes").status_code == 200
    assert client.put(f"{path}/put-away", json={"away": False}).json() == before
    empty = client.post("/api/projects", json={"name": "Empty"}).json()
    assert client.get(f"/api/projects/{empty['id']}/glimpse").json() == {"samples": [], "result": None}
    assert empty["worked_at"] == empty["created_at"]


def test_judgement_opens_on_validation_and_test_needs_a_look(
    client: TestClient, world: World, run: dict[str, Any]
) -> None:
    url = f"/api/models/{run['model']['id']}"
    assert (run["state"], run["ended_by"]) == ("ended", "epochs")
    judged = client.get(f"{url}/judgement").json()
    assert judged["count"] == run["counts"]["validation"]
    for path in ("judgement", "outcomes"):
        shut = client.get(f"{url}/{path}?set=test")
        assert shut.status_code == 409
        assert "look is counted" in shut.json()["detail"]
    look = client.post(f"{url}/looks", json={"place": "review"}).json()
    assert look["looks"] == 1
    assert client.get(f"{url}/judgement?set=test&look={look['id']}").status_code == 404
    world.run_waiting()
    opened = client.get(f"{url}/judgement?set=test&look={look['id']}").json()
    assert opened["count"] == run["counts"]["test"]
    again = client.post(f"{url}/looks", json={"place": "review"}).json()
    assert (again["looks"], again["job_id"]) == (2, None)
    assert client.get(url).json()["looks"] == 2
    assert client.get(f"/api/runs/{run['id']}").json()["model"]["looks"] == 2


def test_cells_show_exactly_their_pictures(client: TestClient, run: dict[str, Any]) -> None:
    judged = client.get(f"/api/models/{run['model']['id']}/judgement").json()
    seen = 0
    for truth, row in enumerate(judged["confusion"]):
        for predicted, count in enumerate(row):
            cell = f"{run['classes'][truth]['id']}.{run['classes'][predicted]['id']}"
            shown = client.get(f"/api/models/{run['model']['id']}/outcomes", params={"cells": cell}).json()
            assert len(shown) == count
            seen += count
            if truth != predicted and count:
                both = f"{cell},{cell}"
                assert (
                    len(client.get(f"/api/models/{run['model']['id']}/outcomes", params={"cells": both}).json())
                    == count
                )
    assert seen == judged["count"]
    wrong = client.get(f"/api/models/{run['model']['id']}/outcomes").json()
    assert len(wrong) == judged["count"] - judged["right"]
    assert [entry["loss"] for entry in wrong] == sorted((entry["loss"] for entry in wrong), reverse=True)


def test_mending_a_label_shows_in_the_footing(client: TestClient, project: int, run: dict[str, Any]) -> None:
    wrong = client.get(f"/api/models/{run['model']['id']}/outcomes").json()[0]
    body = {"picture_ids": [wrong["picture_id"]], "class_id": wrong["predicted_class"]}
    assert client.post(f"/api/projects/{project}/labels", json=body).json()["summary"].startswith("1 picture labelled")
    assert client.get(f"/api/runs/{run['id']}/footing").json()["labels_changed"] == 1
    again = client.get(f"/api/models/{run['model']['id']}/outcomes").json()[0]
    assert (again["true_class"], again["class_now"]) == (wrong["true_class"], wrong["predicted_class"])
    assert client.post(f"/api/projects/{project}/undo").json()["taken_back"] == 1
    assert client.get(f"/api/runs/{run['id']}/footing").json()["labels_changed"] == 0


def test_trying_answers_for_good_files_and_explains_bad_ones(client: TestClient, run: dict[str, Any]) -> None:
    files = [("files", ("good.png", png(1))), ("files", ("bad.png", png(2)[:99])), ("files", ("empty.png", b""))]
    good, bad, empty = client.post(f"/api/models/{run['model']['id']}/try", files=files).json()
    assert good["name"] == "good.png"
    assert sum(good["probabilities"]) == pytest.approx(1, abs=1e-5)
    assert len(good["probabilities"]) == len(run["classes"])
    assert "damaged" in bad["error"]
    assert "0 bytes" in empty["error"]


def test_an_export_is_offered_only_when_proven(client: TestClient, world: World, run: dict[str, Any]) -> None:
    made = client.post(f"/api/models/{run['model']['id']}/exports").json()
    early = client.get(f"/api/exports/{made['id']}/file")
    assert early.status_code == 409
    assert "not proven yet" in early.json()["detail"]
    world.run_waiting()
    pack = client.get(f"/api/models/{run['model']['id']}/exports").json()[0]
    assert (pack["state"], pack["proof"]["pictures"]) == ("done", 32)
    done = client.get(f"/api/exports/{made['id']}/file")
    assert done.headers["content-disposition"] == 'attachment; filename="crystals-run-1.zip"'
    assert done.content[:2] == b"PK"


def test_training_with_one_class_says_what_is_missing(client: TestClient, world: World) -> None:
    project = client.post("/api/projects", json={"name": "One"}).json()["id"]
    answer = client.post(f"/api/projects/{project}/runs", json={})
    assert answer.status_code == 409
    _bring_in(client, world, project, {f"plate/{n}.png": png(n) for n in range(6)})
    answer = client.post(f"/api/projects/{project}/runs", json={})
    assert answer.status_code == 409
    assert "pictures of 1 class only" in answer.json()["detail"]
    assert "at least two classes" in answer.json()["mend"]


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"network": "gigantic"}, "no network 'gigantic'"),
        ({"settings": {"epochs": 0}}, "Epochs cannot be 0"),
        ({"settings": {"learning_rate": -1}}, "Learning rate cannot be -1"),
        ({"preprocessing": {"size": 8}}, "pools 1×1 to nothing"),
        (
            {"variation": {"operations": [{"kind": "turn", "probability": 1, "low": -400, "high": 400}]}},
            "range of turn is -400 to 400",
        ),
    ],
)
def test_recipes_that_cannot_be_are_refused_with_words(
    client: TestClient, project: int, change: dict[str, Any], words: str
) -> None:
    recipe: Any = small_recipe()
    for key, value in change.items():
        recipe[key] = {**recipe[key], **value} if isinstance(value, dict) else value
    if "preprocessing" in change:
        recipe["network"] = "small"
    answer = client.post(f"/api/projects/{project}/runs", json={"recipe": recipe})
    assert answer.status_code == 422
    assert words in answer.json()["detail"]
    assert client.get(f"/api/projects/{project}/runs").json()["runs"] == []


@pytest.mark.parametrize(
    ("headers", "status"),
    [
        ({"host": "127.0.0.1:8420"}, 200),
        ({"host": "localhost:8420", "origin": "http://localhost:8420"}, 200),
        ({"host": "evil.example"}, 403),
        ({"host": "127.0.0.1.evil.example"}, 403),
        ({"host": "127.0.0.1:8420", "origin": "http://evil.example"}, 403),
        ({"host": "127.0.0.1:8420", "origin": "null"}, 403),
        ({"host": "127.0.0.1:8420", "origin": "http://127.0.0.1:9999"}, 403),
    ],
)
def test_only_own_pages_are_served(client: TestClient, headers: dict[str, str], status: int) -> None:
    assert client.get("/api/projects", headers=headers).status_code == status


@pytest.mark.parametrize("path", ["../x.png", "/etc/x.png", "a/../../x.png", "", "a\0.png"])
def test_uploads_stay_in_their_folder(client: TestClient, world: World, path: str) -> None:
    upload = client.post("/api/uploads").json()["id"]
    answer = client.put(f"/api/uploads/{upload}/files", data={"path": path}, files={"file": ("file", b"x")})
    assert answer.status_code == 422
    assert [p for p in world.context.settings.data_dir.rglob("*") if p.is_file()] == []


def test_bad_requests_have_the_one_body(client: TestClient) -> None:
    for method, path, body in (
        ("GET", "/api/projects/0", None),
        ("GET", "/api/nothing", None),
        ("POST", "/api/projects", {"title": "x"}),
        ("GET", "/api/runs/99999999999999999999", None),
        ("POST", "/api/projects/12345/undo", None),
    ):
        answer = client.request(method, path, json=body)
        assert 400 <= answer.status_code < 500
        assert {"type", "title", "status", "detail"} <= answer.json().keys()


def test_every_window_needs_a_name_to_change_things(world: World, client: TestClient) -> None:
    del client.headers["X-Window"]
    project = client.post("/api/projects", json={"name": "W"}).json()["id"]
    assert client.post(f"/api/projects/{project}/undo").status_code == 422


def test_the_description_of_the_api_is_whole(client: TestClient) -> None:
    described = client.get("/api/openapi.json").json()
    assert "/api/projects/{project_id}/runs" in described["paths"]
    for path in described["paths"].values():
        for operation in path.values():
            assert operation.get("description"), operation
    json.dumps(described)


def test_what_a_sift_names_is_marked_and_stays_out_of_dividing_and_training(
    client: TestClient, world: World, project: int
) -> None:
    path = f"/api/projects/{project}"
    split = client.post(f"{path}/splits", json={"seed": 4}).json()
    plates = client.get(f"{path}/field", params={"sift": "class:plate"}).json()["total"]
    needles = client.get(f"{path}/field", params={"sift": "class:needle"}).json()["total"]
    done = client.post(f"{path}/marks", json={"sift": "class:plate", "flag": "excluded"}).json()
    assert (done["summary"], done["pictures"]) == (f"{plates} pictures excluded", plates)
    assert client.post(f"{path}/marks", json={"sift": "class:needle", "flag": "unsure"}).status_code == 200
    names = {entry["id"]: entry["name"] for entry in client.get(f"{path}/classes").json()}
    made = client.post(f"{path}/splits", json={"seed": 4}).json()
    counted = {names[int(key)]: sum(sets.values()) for key, sets in made["counts"].items()}
    assert counted.get("plate", 0) == counted.get("needle", 0) == 0
    held = client.get(f"{path}/field", params={"sift": "not set:none", "split": split["id"]}).json()["total"]
    run = client.post(f"{path}/runs", json={"recipe": small_recipe(), "split_id": split["id"]}).json()
    assert sum(run["counts"].values()) == held - plates - needles


def test_with_everything_excluded_nothing_is_divided_or_trained_and_all_comes_back(
    client: TestClient, project: int
) -> None:
    path = f"/api/projects/{project}"
    split = client.post(f"{path}/splits", json={"seed": 4}).json()
    page = client.get(f"{path}/field", params={"first": 2, "sift": "order:name"}).json()
    records = client.get(f"{path}/field/records", params={"sift": "order:name"}).content
    assert base64.b64decode(page["first"]) == records[:32]
    every = client.get(f"{path}/field").json()["total"]
    client.post(f"{path}/marks", json={"sift": "", "flag": "excluded"})
    divided = client.post(f"{path}/splits", json={"seed": 4})
    assert (divided.status_code, divided.json()["detail"]) == (422, "There are no labelled pictures to divide.")
    trained = client.post(f"{path}/runs", json={"recipe": small_recipe(), "split_id": split["id"]})
    assert (trained.status_code, trained.json()["detail"]) == (409, "The split has no training pictures.")
    rows = client.get(f"{path}/field").json()["rows"]
    assert sum(row["excluded"] for row in rows) == every
    assert client.post(f"{path}/undo").json()["taken_back"] == every
    assert client.get(f"{path}/field", params={"sift": "excluded"}).json()["total"] == 0


def test_pictures_are_named_by_ids_or_by_a_sift_and_a_mistake_has_its_place(client: TestClient, project: int) -> None:
    path = f"/api/projects/{project}"
    for body in ({}, {"picture_ids": [1], "sift": ""}):
        refused = client.post(f"{path}/labels", json={**body, "class_id": None})
        assert refused.status_code == 422
        assert "not by both" in refused.json()["detail"]
    wrong = client.post(f"{path}/labels", json={"sift": "clas:plate", "class_id": None})
    assert (wrong.status_code, wrong.json()["place"]) == (422, [0, 4])
    none = client.post(f"{path}/labels", json={"sift": "name:nowhere", "class_id": None})
    assert (none.status_code, none.json()["detail"]) == (404, "The Sift lets no picture through.")
    page = client.get(f"{path}/pictures", params={"sift": "unlabelled"}).json()
    assert page["pictures"]
    assert all(entry["class_id"] is None for entry in page["pictures"])
    ordered = client.get(f"{path}/pictures", params={"sift": "order:name"})
    assert (ordered.status_code, ordered.json()["place"]) == (422, [6, 10])
    foreign = client.get(f"{path}/field", params={"split": 999})
    assert (foreign.status_code, foreign.json()["detail"]) == (404, "There is no split 999 in this project.")


def test_a_service_that_is_away_is_said_to_be(client: TestClient, world: World) -> None:
    state = client.app.state  # type: ignore[attr-defined]
    parts = state.parts
    state.parts = replace(parts, database=Database("postgresql://nobody@127.0.0.1:1/none"))
    try:
        answer = client.get("/api/projects")
    finally:
        state.parts = parts
    assert (answer.status_code, answer.json()["title"]) == (503, "Service Unavailable")
    assert "does not answer" in answer.json()["detail"]
    assert "restarted by itself" in answer.json()["mend"]


def test_a_sheet_has_an_end(client: TestClient, project: int) -> None:
    def sheet(count: int) -> int:
        body = {"picture_ids": [1] * count, "side": 12, "columns": 32}
        return client.post(f"/api/projects/{project}/sheets", json=body).status_code

    assert [sheet(count) for count in (0, 1, 1024, 1025)] == [422, 200, 200, 422]


def test_what_belongs_to_a_binned_project_is_not_shown(client: TestClient, project: int, run: dict[str, Any]) -> None:
    made = client.post(f"/api/models/{run['model']['id']}/exports").json()
    paths = (
        f"/api/runs/{run['id']}",
        f"/api/models/{run['model']['id']}/judgement",
        f"/api/models/{run['model']['id']}/exports",
        f"/api/exports/{made['id']}/file",
        "/api/imports/1",
        f"/api/projects/{project}/field",
    )
    client.delete(f"/api/projects/{project}")
    assert [client.get(path).status_code for path in paths] == [404] * len(paths)
    client.post(f"/api/projects/{project}/restore")
    assert client.get(paths[0]).status_code == 200


def test_copies_and_groups_that_hang_together_are_divided_together(client: TestClient, world: World) -> None:
    """A copy in another group joins both groups: a chain of two is one."""
    project = client.post("/api/projects", json={"name": "Chains"}).json()["id"]
    members = {
        f"{name}/s{n % 10}_{n}.png": png(40 * k + n) for k, name in enumerate(("plate", "rime")) for n in range(40)
    }
    _bring_in(client, world, project, members)
    pictures = client.get(f"/api/projects/{project}/pictures").json()["pictures"]
    by_series: dict[str, list[int]] = {}
    for entry in pictures:
        by_series.setdefault(entry["name"].split("_")[0], []).append(entry["id"])
    with world.context.database.session() as session:
        session.execute(
            text("update picture set copy_group = 1 where id = any(:ids)"),
            {"ids": [by_series["s1"][0], by_series["s2"][0]]},
        )
    for seed in range(1, 9):
        body = {"seed": seed, "together": "pattern", "pattern": "{group}_{number}", "keep_copies": True}
        split = client.post(f"/api/projects/{project}/splits", json=body)
        assert split.status_code == 201, split.text
        query = {"split": split.json()["id"]}
        shown = client.get(f"/api/projects/{project}/pictures", params=query).json()["pictures"]
        sets = {entry["id"]: entry["set_name"] for entry in shown}
        assert len({sets[picture] for name in ("s1", "s2") for picture in by_series[name]}) == 1
        assert {len({sets[picture] for picture in members}) for members in by_series.values()} == {1}
