"""Pictures and named ingredients of another project: a source like any other, with a plan, and nothing doubled."""

import json
from typing import Any

from starlette.testclient import TestClient

from tests.pictures import png
from tests.world import World
from vast_orchard.at_once.catalogue import checked_variation
from vast_orchard.store.ingredients import list_ingredients, save_ingredient
from vast_orchard.store.schema import IngredientKind


def _classes(client: TestClient, project: int) -> dict[str, int]:
    return {entry["name"]: entry["count"] for entry in client.get(f"/api/projects/{project}/classes").json()}


def _read(client: TestClient, world: World, project: int, source: int) -> dict[str, Any]:
    body = {"kind": "project", "location": str(source)}
    answer = client.post(f"/api/projects/{project}/imports", json=body)
    assert answer.status_code == 202, answer.text
    world.run_waiting()
    found: dict[str, Any] = client.get(f"/api/imports/{answer.json()['id']}").json()
    return found


def test_pictures_come_with_labels_names_and_notes_and_none_is_doubled(client: TestClient, world: World) -> None:
    source, project = world.project("Ridge"), world.project("Valley")
    world.bring_in(source, {"plate/a.png": png(1), "plate/b.png": png(2), "rime/c.png": png(3), "d.png": png(4)})
    world.bring_in(project, {"plate/other.png": png(2), "column/e.png": png(5)})
    noted = client.get(f"/api/projects/{source}/pictures?sift=name:a.png").json()["pictures"][0]["id"]
    client.post(f"/api/projects/{source}/notes", json={"picture_ids": [noted], "note": "a fine one"})
    entry = _read(client, world, project, source)
    assert (entry["source_name"], entry["state"]) == ("Ridge", "planned")
    choice = entry["survey"]["readings"][0]["choice"]
    assert client.post(f"/api/imports/{entry['id']}/bring-in", json=choice).status_code == 202
    world.run_waiting()
    report = client.get(f"/api/imports/{entry['id']}").json()["report"]
    assert (report["added"], report["known"]) == (3, 1)
    assert _classes(client, project) == {"column": 1, "plate": 2, "rime": 1}
    pictures = client.get(f"/api/projects/{project}/pictures").json()["pictures"]
    assert {(picture["name"], picture["note"]) for picture in pictures} == {
        ("other.png", ""), ("e.png", ""), ("a.png", "a fine one"), ("c.png", ""), ("d.png", ""),
    }  # fmt: skip
    # It can be taken back as a whole, and the other project is as it was.
    assert client.post(f"/api/imports/{entry['id']}/undo").status_code == 200
    assert _classes(client, project) == {"column": 1, "plate": 1}
    assert _classes(client, source) == {"plate": 2, "rime": 1}


def test_a_project_that_cannot_be_a_source_is_refused(client: TestClient, world: World) -> None:
    project, empty = world.project("Ridge"), world.project("Nothing")
    for location in (str(project), "99", "../1", "0"):
        answer = client.post(f"/api/projects/{project}/imports", json={"kind": "project", "location": location})
        assert answer.status_code in (404, 422), location
    entry = _read(client, world, project, empty)
    assert entry["state"] == "reading"
    failed = [job for job in client.get("/api/jobs").json() if job["kind"] == "read"]
    assert "no pictures to take out" in failed[0]["error"]
    assert not list(world.context.folder.uploads.iterdir())


def test_named_ingredients_come_under_their_names_and_nothing_here_is_replaced(
    client: TestClient, world: World
) -> None:
    source, project = world.project("Ridge"), world.project("Valley")
    wanted: tuple[dict[str, Any], ...] = ({"operations": []}, {"operations": [{"kind": "turn"}]})
    gentle, strong = (json.loads(json.dumps(checked_variation(value))) for value in wanted)
    with world.context.database.session() as session:
        for where, name, value in (
            (source, "Gentle", gentle), (source, "Same", strong), (source, "Only there", strong),
            (project, "gentle", strong), (project, "Same", strong),
        ):  # fmt: skip
            save_ingredient(session, where, IngredientKind.VARIATION, name, value)
    answer = client.post(f"/api/projects/{project}/ingredients/take-over", json={"from_project": source})
    assert sorted(entry["name"] for entry in answer.json()) == ["Gentle (2)", "Only there"]
    with world.context.database.session() as session:
        here = {entry.name: entry.value for entry in list_ingredients(session, project, IngredientKind.VARIATION)}
    assert here == {"gentle": strong, "Gentle (2)": gentle, "Same": strong, "Only there": strong}
    again = client.post(f"/api/projects/{project}/ingredients/take-over", json={"from_project": source})
    assert again.json() == []
