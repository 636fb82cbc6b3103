"""Findings through a worker: found, settled, dismissed for good, taken back, and looked for again."""

import json
from pathlib import Path
from typing import Any

import pytest
from fastapi.testclient import TestClient
from sqlalchemy import text

from tests.pictures import png, two_classes
from tests.world import World, small_recipe
from vast_orchard.demo.plan import Faults
from vast_orchard.demo.write import PICTURES_FOLDER, PLANTED_FILE, write_collection
from vast_orchard.jobs.queue import look_for_findings
from vast_orchard.store.findings import store_findings
from vast_orchard.store.schema import JobKind

_BLURRED = "finding:blurred"


@pytest.fixture(scope="module")
def drawn(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """Crystals of which some are blurred and some dark."""
    folder = tmp_path_factory.mktemp("faulty")
    write_collection(folder, count=420, seed=11, faults=Faults(blur=6.0, dim=0.15))
    return folder


@pytest.fixture
def crystals_in(client: TestClient, world: World, drawn: Path) -> int:
    project = world.project()
    root = drawn / PICTURES_FOLDER
    members = {
        str(file.relative_to(root)): file.read_bytes()
        for file in sorted(root.rglob("*.*"))
        if file.suffix in (".jpg", ".png") and "unlabelled" not in file.parts
    }
    world.bring_in(project, members)
    return project


def _look(client: TestClient, world: World, project: int) -> dict[str, Any]:
    assert client.post(f"/api/projects/{project}/findings/look").status_code == 202
    for _ in range(3):
        world.run_waiting()
    return _read(client, project)


def _read(client: TestClient, project: int) -> dict[str, Any]:
    found: dict[str, Any] = client.get(f"/api/projects/{project}/findings").json()
    return found


def _line(found: dict[str, Any], name: str) -> dict[str, Any]:
    line: dict[str, Any] = next(one for one in found["lines"] if one["name"] == name)
    return line


def _names(client: TestClient, project: int, sift: str) -> list[str]:
    page = client.get(f"/api/projects/{project}/pictures", params={"sift": sift, "limit": 200}).json()
    return [one["name"] for one in page["pictures"]]


def _ids(client: TestClient, project: int, sift: str) -> list[int]:
    page = client.get(f"/api/projects/{project}/pictures", params={"sift": sift, "limit": 200}).json()
    return [one["id"] for one in page["pictures"]]


def test_nothing_is_told_before_somebody_has_looked(client: TestClient, crystals_in: int) -> None:
    found = _read(client, crystals_in)
    assert (found["looked_at"], found["lines"], found["answers"]) == (None, [], None)
    assert found["folds"]["trainings"] == 5
    assert _names(client, crystals_in, "finding:any") == []


def test_planted_blur_and_darkness_are_named_sifted_counted_and_drawn(
    client: TestClient, world: World, crystals_in: int, drawn: Path
) -> None:
    found = _look(client, world, crystals_in)
    planted = json.loads((drawn / PLANTED_FILE).read_text())["pictures"]
    for kind, fault in (("blurred", "blurred"), ("dark", "dark")):
        wanted = {Path(one["path"]).name for one in planted if one["fault"] == fault}
        named = _names(client, crystals_in, f"finding:{kind}")
        assert len(wanted & set(named)) >= 0.8 * len(wanted), kind
        assert len(named) <= 2 * len(wanted), kind
        assert _line(found, kind)["count"] == len(named)
        measure = _line(found, kind)["measure"]
        asked = {"measure": measure, "kind": kind}
        bars = client.get(f"/api/projects/{crystals_in}/findings/histogram", params=asked).json()
        assert sum(bars["named"]) == len(named)
        every = client.get(f"/api/projects/{crystals_in}/field", params={"sift": f"{measure}>=0"}).json()["total"]
        assert sum(bars["counts"]) == every
    rows = client.get(f"/api/projects/{crystals_in}/field", params={"sift": "finding:any", "group": "finding"}).json()[
        "rows"
    ]
    assert [row["key"] for row in rows][:2] == ["dark", "blurred"]
    # What is in order of strangeness begins with the strangest.
    listed = client.get(
        f"/api/projects/{crystals_in}/field", params={"sift": f"{_BLURRED} order:-blur", "first": 1, "figure": True}
    )
    assert listed.status_code == 200
    assert found["pictures"] == client.get(f"/api/projects/{crystals_in}").json()["pictures"]


def test_what_is_dismissed_stays_so_when_somebody_looks_again_until_it_is_taken_back(
    client: TestClient, world: World, crystals_in: int
) -> None:
    before = _line(_look(client, world, crystals_in), "blurred")["count"]
    one = _ids(client, crystals_in, _BLURRED)[0]
    done = client.post(
        f"/api/projects/{crystals_in}/findings/dismiss", json={"kind": "blurred", "picture_ids": [one]}
    ).json()
    assert (done["pictures"], "not to be blurred" in done["summary"]) == (1, True)
    again = client.post(f"/api/projects/{crystals_in}/findings/dismiss", json={"kind": "blurred", "picture_ids": [one]})
    assert again.status_code == 404
    line = _line(_look(client, world, crystals_in), "blurred")
    assert (line["count"], line["dismissed"]) == (before - 1, 1)
    assert _ids(client, crystals_in, "finding:dismissed") == [one]
    assert client.post(f"/api/projects/{crystals_in}/findings/dismiss", json={"kind": "blurred"}).status_code == 200
    assert _line(_read(client, crystals_in), "blurred")["count"] == 0
    for _ in range(2):
        assert client.post(f"/api/projects/{crystals_in}/undo").status_code == 200
    line = _line(_read(client, crystals_in), "blurred")
    assert (line["count"], line["dismissed"]) == (before, 0)


def test_what_is_excluded_or_labelled_otherwise_is_settled_and_open_again_when_taken_back(
    client: TestClient, world: World, crystals_in: int
) -> None:
    before = _line(_look(client, world, crystals_in), "blurred")["count"]
    one, two = _ids(client, crystals_in, _BLURRED)[:2]
    client.post(f"/api/projects/{crystals_in}/marks", json={"picture_ids": [one], "flag": "excluded", "value": True})
    client.post(f"/api/projects/{crystals_in}/labels", json={"picture_ids": [two], "class_id": None})
    assert _line(_read(client, crystals_in), "blurred")["count"] == before - 2
    for _ in range(2):
        client.post(f"/api/projects/{crystals_in}/undo")
    assert _line(_read(client, crystals_in), "blurred")["count"] == before


def test_pictures_that_come_in_later_are_looked_at_by_themselves(
    client: TestClient, world: World, crystals_in: int
) -> None:
    _look(client, world, crystals_in)
    world.bring_in(crystals_in, {"plate/new.png": png(5, (96, 96), 120)}, "later")
    for _ in range(3):
        world.run_waiting()
    assert _read(client, crystals_in)["pictures"] == client.get(f"/api/projects/{crystals_in}").json()["pictures"]


def test_an_import_where_nobody_has_looked_starts_no_search(world: World, client: TestClient) -> None:
    project = world.project()
    world.bring_in(project, two_classes(each=4))
    with world.context.database.session() as session:
        assert session.scalar(text("select count(*) from job where kind = 'findings'")) == 0


@pytest.mark.parametrize(
    "members",
    [
        {},
        {f"plate/{n}.png": png(n) for n in range(10)},
        {f"{n}.png": png(n) for n in range(12)},
        {"plate/1.png": png(1), "rime/2.png": png(2)},
    ],
    ids=["none", "ten of one class", "unlabelled only", "one of each"],
)
def test_hardly_anything_to_look_at_is_no_error(client: TestClient, world: World, members: dict[str, bytes]) -> None:
    project = world.project()
    if members:
        world.bring_in(project, members)
    found = _look(client, world, project)
    assert found["looked_at"] is not None
    assert found["pictures"] == len(members)
    assert not any(line["count"] for line in found["lines"] if line["of_pictures"])
    with world.context.database.session() as session:
        assert set(session.scalars(text("select state from job"))) <= {"done"}


def test_pictures_deleted_meanwhile_in_another_window_are_left_out(
    client: TestClient, world: World, crystals_in: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    _look(client, world, crystals_in)
    gone = _ids(client, crystals_in, _BLURRED)
    with world.context.database.session() as session:
        job = look_for_findings(session, crystals_in)

    def later(*arguments: Any) -> None:
        # Between reading the facts and storing what was found the bin is emptied.
        with world.context.database.session() as other:
            other.execute(text("delete from picture where id = any(:ids)"), {"ids": gone})
        store_findings(*arguments)

    monkeypatch.setattr("vast_orchard.jobs.finding.looking.store_findings", later)
    assert job is not None
    assert world.run(job).state == "done"
    assert _line(_read(client, crystals_in), "blurred")["count"] == 0


def test_a_worker_that_dies_leaves_what_was_found_and_measures_nothing_twice(
    client: TestClient, world: World, crystals_in: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    before = _line(_look(client, world, crystals_in), "blurred")["count"]
    with world.context.database.session() as session:
        job = look_for_findings(session, crystals_in)
        assert look_for_findings(session, crystals_in) is None
        measured = session.scalar(text("select max(xmin::text::bigint) from picture_measure"))

    def dies(*_: Any) -> None:
        raise KeyboardInterrupt

    with monkeypatch.context() as patch:
        patch.setattr("vast_orchard.jobs.finding.looking.picture_facts", dies)
        with pytest.raises(KeyboardInterrupt):
            world.run(job or 0)
    assert _line(_read(client, crystals_in), "blurred")["count"] == before
    with world.context.database.session() as session:
        session.execute(
            text("update job set state = 'waiting', owner = null where kind = 'findings' and id = :n"), {"n": job}
        )
    assert world.run(job or 0).state == "done"
    assert _line(_read(client, crystals_in), "blurred")["count"] == before
    with world.context.database.session() as session:
        assert session.scalar(text("select max(xmin::text::bigint) from picture_measure")) == measured


def test_labels_are_held_against_folds_put_right_and_looked_at_again(client: TestClient, world: World) -> None:
    project = world.project()
    members = two_classes(each=40)
    # Bright ones among the dark: three labels are wrong.
    wrong = [f"plate/wrong-{n}.png" for n in range(3)]
    world.bring_in_apart(project, {**members, **{name: png(900 + n, level=180) for n, name in enumerate(wrong)}})
    client.post(f"/api/projects/{project}/copies/search")
    _look(client, world, project)
    recipe: dict[str, Any] = small_recipe(epochs=8)
    body = {
        "kind": "folds", "question": "How sure", "folds": {"count": 4, "rounds": 1},
        "recipe": {**recipe, "settings": {**recipe["settings"], "keep": "last"}},
    }  # fmt: skip
    assert client.post(f"/api/projects/{project}/plans", json=body).status_code == 202
    for _ in range(10):
        world.run_waiting()
    found = _read(client, project)
    # The folds have ended, and were asked by themselves.
    assert found["answers"]["folds"] is True
    with world.context.database.session() as session:
        tested = set(
            session.scalars(
                text(
                    "select name from picture join split_member m on m.picture_id = picture.id where set_name = 'test'"
                )
            )
        )
    wanted = {Path(name).name for name in wrong} - tested
    named = set(_names(client, project, "finding:label"))
    assert len(wanted & named) >= len(wanted) - 1
    assert len(named - wanted) <= 1
    one = _ids(client, project, "finding:label")[0]
    [told] = [x for x in client.get(f"/api/projects/{project}/findings/pictures/{one}").json() if x["kind"] == "label"]
    doubt = told["doubt"]
    assert doubt["p_label"] < 0.1 < 0.5 < doubt["p_proposal"]
    assert len(doubt["of_label"]) == len(doubt["of_proposal"]) == 4
    assert one not in [near["picture_id"] for near in doubt["of_label"]]
    rime = next(x["id"] for x in client.get(f"/api/projects/{project}/classes").json() if x["name"] == "rime")
    done = client.post(f"/api/projects/{project}/findings/put-right", json={}).json()
    assert done["pictures"] == len(named)
    assert client.get(f"/api/projects/{project}/pictures/{one}").json()["picture"]["class_id"] == doubt["proposal"]
    assert rime in (doubt["proposal"], doubt["class_id"])
    assert _line(_read(client, project), "label")["count"] == 0
    assert client.post(f"/api/projects/{project}/findings/put-right", json={}).status_code == 404
    client.post(f"/api/projects/{project}/undo")
    assert _line(_read(client, project), "label")["count"] == len(named)
    assert client.post(f"/api/projects/{project}/findings/dismiss", json={"kind": "label"}).status_code == 200
    assert _line(_look(client, world, project), "label")["count"] == 0


def test_asking_folds_plans_a_small_network_and_tells_that_it_is_under_way(
    client: TestClient, world: World, crystals_in: int
) -> None:
    asked = client.post(f"/api/projects/{crystals_in}/findings/folds").json()
    plan = client.get(f"/api/plans/{asked['folds']['plan_id']}").json()
    assert (plan["kind"], plan["network"], plan["folds"]["count"]) == ("folds", "plain 5", 5)
    assert _read(client, crystals_in)["folds"]["plan_id"] == plan["id"]
    client.post(f"/api/plans/{plan['id']}/stop")
    assert _read(client, crystals_in)["folds"]["plan_id"] is None
    with world.context.database.session() as session:
        kinds = set(session.scalars(text("select kind from job where state = 'waiting'")))
    assert JobKind.FINDINGS.value in kinds


def test_a_format_that_gives_a_class_away_is_a_line_that_can_be_said_to_be_no_fault(
    client: TestClient, world: World, tmp_path: Path
) -> None:
    write_collection(tmp_path, count=210, seed=12, faults=Faults(planted=False, png_class="graupel"))
    project = world.project()
    root = tmp_path / PICTURES_FOLDER
    world.bring_in(project, {str(f.relative_to(root)): f.read_bytes() for f in root.rglob("*.*")})
    found = _look(client, world, project)
    line = _line(found, "tells:file format")
    assert "graupel" in line["detail"]
    shown = client.get(f"/api/projects/{project}/field", params={"sift": line["sift"]}).json()
    assert shown["total"] == sum(1 for f in root.rglob("*.png"))
    hidden = client.post(
        f"/api/projects/{project}/findings/hide", json={"name": "tells:file format", "hidden": True}
    ).json()
    assert _line(hidden, "tells:file format")["hidden"] is True
    assert _line(_look(client, world, project), "tells:file format")["hidden"] is True
    back = client.post(
        f"/api/projects/{project}/findings/hide", json={"name": "tells:file format", "hidden": False}
    ).json()
    assert _line(back, "tells:file format")["hidden"] is False


def test_unequal_and_tiny_classes_copies_and_two_labels_are_counted_and_told_where_they_live(
    client: TestClient, world: World
) -> None:
    project = world.project()
    members = {f"plate/{n}.png": png(n, level=70) for n in range(66)}
    members |= {f"rime/{n}.png": png(500 + n, level=180) for n in range(6)}
    members |= {"rime/again.png": members["plate/3.png"]}
    world.bring_in(project, members)
    found = _look(client, world, project)
    assert "11 times" in _line(found, "unequal")["detail"]
    assert _line(found, "tiny-classes")["detail"].startswith("rime:")
    assert _line(found, "two-labels")["count"] == 1
    assert _line(found, "parted-copies")["count"] == 0


def test_what_is_asked_for_wrongly_is_refused_in_words(client: TestClient, world: World) -> None:
    project = world.project()
    url = f"/api/projects/{project}/findings"
    assert "There are:" in client.post(f"{url}/dismiss", json={"kind": "nothing"}).text
    assert client.post(f"{url}/dismiss", json={"kind": "blurred"}).status_code == 404
    assert client.post(f"{url}/hide", json={"name": "unequal", "hidden": True}).status_code == 404
    assert client.get(f"{url}/histogram", params={"measure": "taste"}).status_code == 422
    assert client.get(f"{url}/histogram", params={"measure": "blur"}).json()["counts"] == []
    sift = client.get(f"/api/projects/{project}/field", params={"sift": "finding:blurry"})
    assert (sift.status_code, "blurred" in sift.text) == (422, True)
