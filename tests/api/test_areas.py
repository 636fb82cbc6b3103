"""Working areas over HTTP: rules and a picture's own, taken back, asked for, trained on, kept, and shipped."""

import base64
import io
import json
import zipfile
from typing import Any

import numpy as np
import pytest
from PIL import Image
from starlette.testclient import TestClient

from tests.pictures import encoded, png
from tests.world import World, small_recipe
from vast_orchard.core.arrays import Array
from vast_orchard.core.pictures.area import Area, area_from_json
from vast_orchard.core.pictures.preprocessing import Preprocessing
from vast_orchard.core.training.recipe import recipe_from_json
from vast_orchard.formats.model_file import read_model
from vast_orchard.formats.picture_file import network_pixels
from vast_orchard.jobs.context import Progress
from vast_orchard.jobs.training.pixel_cache import run_pixels
from vast_orchard.store.bytes import ByteStore
from vast_orchard.store.runs import get_run
from vast_orchard.store.schema import JobKind
from vast_orchard.store.snapshots import snapshot_pictures

_WINDOW = {"X-Window": "one"}
_OTHER = {"X-Window": "two"}
_LEFT = {"keep": [0.0, 0.0, 0.5, 1.0]}
_TOP = {"keep": [0.0, 0.0, 1.0, 0.5]}
_CORNER = {"covered": [[[0.5, 0.5], [1.0, 0.5], [1.0, 1.0], [0.5, 1.0]]], "fill": [9, 8, 7]}


@pytest.fixture
def project(client: TestClient, world: World) -> int:
    """Twenty plates and twenty needles, of which half are wide."""
    made = int(client.post("/api/projects", json={"name": "Crystals"}).json()["id"])
    members = {
        f"{name}/{'wide' if n % 2 else 'even'}_{n}.png": png(n + 100 * k, (32 if n % 2 else 20, 20))
        for k, name in enumerate(("plate", "needle"))
        for n in range(20)
    }
    world.bring_in(made, members)
    return made


def _ids(client: TestClient, project: int, sift: str = "") -> list[int]:
    found = client.get(f"/api/projects/{project}/pictures", params={"sift": sift})
    assert found.status_code == 200, found.text
    return [entry["id"] for entry in found.json()["pictures"]]


def _set(
    client: TestClient, project: int, *rules: tuple[str, dict[str, Any]], was: int = 0, headers: Any = None, **more: Any
) -> Any:
    body = {"rules": [{"sift": sift, "area": area} for sift, area in rules], "was": was, **more}
    return client.put(f"/api/projects/{project}/area-rules", json=body, headers=headers or _WINDOW)


def _area(client: TestClient, project: int, picture: int) -> Any:
    return client.get(f"/api/projects/{project}/pictures/{picture}").json()["area"]


def _counts(client: TestClient, project: int) -> tuple[int, int, int]:
    found = client.get(f"/api/projects/{project}/area-counts").json()
    return found["own"], found["by_rule"], found["whole"]


def _undo(client: TestClient, project: int, headers: dict[str, str] | None = None, way: str = "undo") -> Any:
    answer = client.post(f"/api/projects/{project}/{way}", headers=headers or _WINDOW)
    assert answer.status_code == 200, answer.text
    return answer.json()


def test_the_first_rule_that_fits_gives_the_area_and_a_pictures_own_goes_before(
    client: TestClient, project: int
) -> None:
    assert _counts(client, project) == (0, 0, 40)
    assert _set(client, project, ("width>30", _TOP), ("", _LEFT)).status_code == 200
    assert _counts(client, project) == (0, 40, 0)
    wide, even = _ids(client, project, "name:wide"), _ids(client, project, "name:even")
    assert _area(client, project, wide[0])["keep"] == _TOP["keep"]
    assert _area(client, project, even[0])["keep"] == _LEFT["keep"]
    own = client.post(
        f"/api/projects/{project}/areas", json={"picture_ids": wide[:3], "area": _CORNER}, headers=_WINDOW
    )
    assert own.json()["pictures"] == 3
    assert own.json()["summary"] == "3 pictures given a working area"
    assert _area(client, project, wide[0])["fill"] == [9, 8, 7]
    assert _ids(client, project, "area:own") == wide[:3]
    assert _ids(client, project, "area:covered") == wide[:3]
    assert len(_ids(client, project, "area:rule")) == 37
    assert _ids(client, project, "area:whole,found") == []
    # A picture that counts whole in spite of the rule has that as its own.
    client.post(f"/api/projects/{project}/areas", json={"picture_ids": even[:1], "area": {}}, headers=_WINDOW)
    assert _ids(client, project, "area:whole") == even[:1]
    assert _counts(client, project) == (4, 36, 0)
    # Taken back one by one: the own ones, then the rules.
    _undo(client, project)
    assert _undo(client, project)["taken_back"] == 3
    assert _area(client, project, wide[0])["keep"] == _TOP["keep"]
    assert _undo(client, project) == {
        "summary": "Taken back: Working area for width>30, for all pictures", "taken_back": 1, "kept": 0,
    }  # fmt: skip
    assert _counts(client, project) == (0, 0, 40)
    _undo(client, project, way="redo")
    assert _counts(client, project) == (0, 40, 0)
    versions = client.get(f"/api/projects/{project}/area-rules/versions").json()
    assert [(entry["number"], len(entry["rules"])) for entry in versions] == [(3, 2), (2, 0), (1, 2)]


def test_a_rule_may_not_ask_for_what_tells_the_class(client: TestClient, project: int) -> None:
    for sift, said in (
        ("class:plate", "would tell the network the answer"),
        ("path:p/", "would tell the network the answer"),
        ("unlabelled", "no fact of the file"),
        ("not (set:test)", "A new picture has no such fact"),
        ("name:Plates-1", "holds the class plate"),
        ("width>3 plate", "looked for in the class too"),
        ("width>3 order:name", "has no order"),
        ("width>many", "many"),
        ("area:own", "A rule cannot go by area"),
    ):
        refused = _set(client, project, (sift, _LEFT))
        assert refused.status_code == 422, sift
        assert said in refused.json()["detail"], refused.json()
    assert client.get(f"/api/projects/{project}/area-rules").json()["number"] == 0
    assert _set(client, project, ("", _LEFT), ("width>3", _TOP)).status_code == 409
    refused = _set(client, project, ("", {"keep": [0, 0, 2, 1]}))
    assert refused.status_code == 422
    assert "fractions" in refused.json()["mend"]
    many = client.post(f"/api/projects/{project}/areas", json={"sift": "width>999", "area": _LEFT}, headers=_WINDOW)
    assert many.status_code == 404


def test_two_windows_do_not_lose_each_others_rules(client: TestClient, project: int) -> None:
    _set(client, project, ("", _LEFT))
    stale = _set(client, project, ("", _TOP), was=0, headers=_OTHER)
    assert stale.status_code == 409
    assert "another window" in stale.json()["detail"]
    assert _set(client, project, ("", _TOP), was=1, headers=_OTHER).status_code == 200
    # The first window takes back its own step, which another one stands on: it is left.
    assert _undo(client, project) | {"summary": ""} == {"summary": "", "taken_back": 0, "kept": 1}
    assert client.get(f"/api/projects/{project}/area-rules").json()["rules"][0]["area"]["keep"] == _TOP["keep"]


def test_what_a_picture_from_elsewhere_gets_is_chosen(client: TestClient, project: int) -> None:
    def fresh(was: int, **more: Any) -> Any:
        assert _set(client, project, ("width>30", _TOP), ("", _CORNER), was=was, **more).status_code == 200
        return client.get(f"/api/projects/{project}/area-rules").json()["fresh"]

    # A rule by a Sift cannot be asked of it.
    assert fresh(0)["fill"] == [9, 8, 7]
    found = fresh(1, fresh_by="found", margin=0.2)
    assert (found["margin"], found["fill"], len(found["covered"])) == (0.2, [9, 8, 7], 1)
    assert fresh(2, fresh_by="whole") is None


def _sample(client: TestClient, project: int) -> Any:
    return client.get(f"/api/projects/{project}/area-sample", params={"count": 600}).json()


def _sheet(answer: dict[str, Any]) -> Array:
    with Image.open(io.BytesIO(base64.b64decode(answer["image"]))) as image:
        pixels = np.asarray(image.convert("RGB"))
    tile, rows, columns = answer["tile"], answer["rows"], answer["columns"]
    return pixels.reshape(rows, tile, columns, tile, 3).swapaxes(1, 2)


def _blocks() -> bytes:
    """Forty by forty: dark, with a bright block at the right."""
    pixels = np.full((40, 40, 3), 40, np.uint8)
    pixels[10:26, 20:36] = (230, 230, 230)
    return encoded(Image.fromarray(pixels))


def test_previews_training_judging_and_the_shipped_program_see_the_same(
    client: TestClient, world: World, project: int
) -> None:
    world.bring_in(project, {"plate/block.png": _blocks()})
    block = _ids(client, project, "name:block")[0]
    _set(client, project, ("name:wide", _TOP), ("", _LEFT))
    own: dict[str, Any] = {"picture_ids": _ids(client, project, "name:even_0"), "area": {"margin": 0.1}}
    client.post(f"/api/projects/{project}/areas", json=own, headers=_WINDOW)
    for picture in _sample(client, project):
        kept = picture["area"]["keep"]
        assert kept == (None if picture["own"] else _TOP["keep"] if "wide" in picture["name"] else _LEFT["keep"])

    # What stands out is told before it is taken.
    asked = {"picture_ids": [block], "area": {"margin": 0.0}}
    (found,) = client.post(f"/api/projects/{project}/found-areas", json=asked).json()
    assert found["box"] == pytest.approx([0.5, 0.25, 0.9, 0.65], abs=0.03)
    assert found["why"] == ""
    refused = client.post(f"/api/projects/{project}/found-areas", json={**asked, "area": _LEFT})
    assert "No margin" in refused.json()["detail"]

    # Preprocessing's steps: upright, then the left half of it, then the square.
    body = {"picture_ids": [block], "preprocessing": {"size": 16, "colour": "rgb"}}
    steps = client.post(f"/api/projects/{project}/preprocessing-sheet", json={**body, "steps": True}).json()
    assert steps["heads"] == ["upright", "working area", "fit and resize"]
    tiles = _sheet(steps).astype(int)
    assert tiles[0, 0].max() > 200
    assert tiles[0, 1, 4:-4, 40:100].max() < 80
    assert tiles[0, 2].max() < 80
    varied = client.post(
        f"/api/projects/{project}/variation-sheet", json={**body, "variants": 2, "variation": {"operations": []}}
    ).json()
    assert _sheet(varied).max() < 80

    # A run is trained and judged on each picture's own part, whatever is changed afterwards.
    run_id, job = world.run_job(project, small_recipe())
    assert world.run(job).state == "done"
    database, store = world.context.database, world.context.store
    with database.session() as session:
        run = get_run(session, run_id)
        members = snapshot_pictures(session, run.snapshot_id)
    wanted = {}
    for picture in _sample(client, project):
        before = Preprocessing(size=16, area=area_from_json(picture["area"]))
        wanted[picture["id"]] = network_pixels(store.read(ByteStore.picture_path(picture["sha256"])), before)
    recipe = recipe_from_json(run.recipe)
    assert recipe.preprocessing.area == Area(keep=(0.0, 0.0, 0.5, 1.0))
    # As they lie in the caches of the training and the judging.
    for name in ("training", "validation"):
        of_set = [member for member in members if member.set_name == name]
        progress = Progress(world.context.database, job, "none")
        cached = run_pixels(world.context, of_set, recipe.preprocessing, progress)
        for pixels, member in zip(cached, of_set, strict=True):
            assert (pixels == wanted[member.picture_id]).all()
    assert run.model is not None
    model = read_model(store.read(run.model.weights_path))
    picture = next(member for member in members if member.set_name == "validation")
    told = client.get(f"/api/projects/{project}/pictures/{picture.picture_id}", params={"run": run_id}).json()["said"]
    assert told["probabilities"] == pytest.approx(model.probabilities(wanted[picture.picture_id][None])[0], abs=1e-6)

    # Tried as a new picture, the block gets the rule for all, and says which part of it counted.
    files = {"files": ("block.png", _blocks(), "image/png")}
    (answer,) = client.post(f"/api/models/{run.model.id}/try", files=files).json()
    assert answer["kept"] == [0, 0, 0.5, 1]
    seen = network_pixels(_blocks(), Preprocessing(size=16, area=Area(keep=(0.0, 0.0, 0.5, 1.0))))
    assert answer["probabilities"] == pytest.approx(model.probabilities(seen[None])[0], abs=1e-6)
    heat = client.get(f"/api/models/{run.model.id}/pictures/{block}/heatmap").json()
    assert heat["area"] == [0, 0, 0.5, 1]
    tried = client.post(f"/api/models/{run.model.id}/try/heatmap", files={"file": ("block.png", _blocks())}).json()
    assert tried["area"] == [0, 0, 0.5, 1]

    footing = client.get(f"/api/runs/{run_id}/footing").json()
    assert (footing["areas_changed"], footing["fresh_changed"]) == (0, False)
    _set(client, project, ("", _TOP), was=1, fresh_by="found")
    footing = client.get(f"/api/runs/{run_id}/footing").json()
    # The wide ones had the upper half before, and the own ones have what is their own.
    as_before = {*_ids(client, project, "name:wide"), *own["picture_ids"]}
    others = [member for member in members if member.picture_id not in as_before]
    assert 0 < footing["areas_changed"] == len(others) < len(members)
    assert footing["fresh_changed"]
    again, job = world.run_job(project, small_recipe())
    with database.session() as session:
        later = get_run(session, again)
    assert later.snapshot_id != run.snapshot_id
    assert later.recipe["preprocessing"]["area"]["margin"] == 0.08

    # And its pixels are those of the parts as they are now: nothing of the former run's caches is taken for them.
    assert world.run(job).state == "done"
    with database.session() as session:
        members = snapshot_pictures(session, later.snapshot_id, "training")
    whole = recipe_from_json(later.recipe).preprocessing
    areas = {entry["id"]: entry["area"] for entry in _sample(client, project)}
    cached = run_pixels(world.context, members, whole, Progress(database, job, "none"))
    for pixels, member in zip(cached, members, strict=True):
        before = Preprocessing(size=16, area=area_from_json(areas[member.picture_id]))
        assert (pixels == network_pixels(store.read(ByteStore.picture_path(member.sha256)), before)).all()

    # The pack of the first run carries its part, and its program says it.
    export = client.post(f"/api/models/{run.model.id}/exports").json()
    assert world.run(world.job_of(JobKind.EXPORT, export["id"])).state == "done"
    pack = client.get(f"/api/exports/{export['id']}/file").content
    with zipfile.ZipFile(io.BytesIO(pack)) as archive:
        facts = json.loads(archive.read("model.json"))
    assert facts["working_area"] == "0% to 50% sideways, 0% to 100% down"
    assert facts["preprocessing"]["area"]["keep"] == _LEFT["keep"]


def test_the_proposed_size_and_the_oddest_shapes_go_by_what_counts(client: TestClient, project: int) -> None:
    def middle() -> int:
        return int(client.get(f"/api/projects/{project}/input-size").json()["middle_side"])

    assert middle() == 20
    _set(client, project, ("", {"keep": [0.0, 0.0, 1.0, 0.2]}))
    assert middle() == 4
    odd = _ids(client, project, "name:even_6")[:1]
    client.post(
        f"/api/projects/{project}/areas", json={"picture_ids": odd, "area": {"keep": [0, 0, 0.05, 1]}}, headers=_WINDOW
    )
    body = {"preprocessing": {"size": 16, "colour": "rgb"}, "pictures": 2}
    assert client.post(f"/api/projects/{project}/preprocessing-sheet", json=body).json()["picture_ids"][0] == odd[0]


def test_runs_between_which_no_area_changed_share_a_snapshot(client: TestClient, world: World, project: int) -> None:
    with world.context.database.session() as session:
        split = client.post(f"/api/projects/{project}/splits", json={}).json()["id"]

        def snapshot() -> int:
            made = client.post(f"/api/projects/{project}/runs", json={"split_id": split, "recipe": small_recipe()})
            assert made.status_code in (200, 201, 202), made.text
            return get_run(session, made.json()["id"]).snapshot_id

        first = snapshot()
        _set(client, project, ("", _LEFT))
        second = snapshot()
        _set(client, project, ("name:wide", _LEFT), ("", _LEFT), was=1)
        assert snapshot() == second != first
        _undo(client, project)
        _undo(client, project)
        assert snapshot() == first


def test_a_replaced_picture_has_no_area_of_the_former_and_one_that_comes_back_has_its_own(
    client: TestClient, world: World, project: int
) -> None:
    _set(client, project, ("", _LEFT))
    former = _ids(client, project, "name:even_4.png")
    client.post(f"/api/projects/{project}/areas", json={"picture_ids": former, "area": _TOP}, headers=_WINDOW)
    client.post(f"/api/projects/{project}/bin", json={"picture_ids": former}, headers=_WINDOW)
    world.bring_in(project, {"plate/even_4.png": png(991), "needle/even_4.png": png(992)})
    assert _counts(client, project) == (0, 40, 0)
    assert {_area(client, project, picture)["keep"][3] for picture in _ids(client, project, "name:even_4.png")} == {1}
    # The very file comes in once more.
    world.bring_in(project, {"plate/even_4.png": png(4, (20, 20)), "needle/even_4.png": png(104, (20, 20))})
    assert _counts(client, project)[0] == 2
