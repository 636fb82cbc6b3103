"""A model's answers as proposals: counted, taken one by one, a class or all at once, taken back, and found again."""

from typing import Any

import pytest
from sqlalchemy import text
from starlette.testclient import TestClient

from tests.pictures import png
from tests.world import World, small_recipe
from vast_orchard.store.schema import JobKind

_WINDOW = {"X-Window": "one"}


@pytest.fixture
def asked(client: TestClient, world: World) -> tuple[int, int]:
    """A project of two classes with twelve unlabelled pictures, and the model that was asked about them."""
    project = int(client.post("/api/projects", json={"name": "Crystals"}).json()["id"])
    members = {
        f"{name}/{n}.png": png(60 * k + n, level=60 + 120 * k)
        for k, name in enumerate(("plate", "rime"))
        for n in range(30)
    }
    bare = {f"unlabelled/{n}.png": png(900 + n, level=60 + 120 * (n % 2)) for n in range(12)}
    world.bring_in(project, {**members, **bare})
    run, job = world.run_job(project, small_recipe(epochs=6))
    assert world.run(job).state == "done"
    model = int(client.get(f"/api/runs/{run}").json()["model"]["id"])
    assert client.post(f"/api/models/{model}/judgements", json={"set": "outside"}).status_code == 202
    assert world.run(world.job_of(JobKind.JUDGE, model, "outside")).state == "done"
    return project, model


def _ids(client: TestClient, project: int, sift: str, run: int = 1) -> list[int]:
    found = client.get(f"/api/projects/{project}/pictures", params={"sift": sift, "run": run})
    assert found.status_code == 200, found.text
    return [entry["id"] for entry in found.json()["pictures"]]


def _proposed(client: TestClient, project: int, model: int) -> dict[int, tuple[int, float]]:
    """Class and certainty by picture, as the answers tell."""
    temperature = client.get(f"/api/models/{model}").json()["temperature"]
    page = client.get(f"/api/projects/{project}/pictures", params={"sift": "judged:unlabelled", "run": 1}).json()
    found = {}
    for picture, said in page["said"].items():
        certain = said["p"] if temperature is None else said["calibrated"]
        found[int(picture)] = (said["predicted_class"], certain)
    return found


def _accept(client: TestClient, model: int, **asked: Any) -> Any:
    return client.post(f"/api/models/{model}/proposals", json=asked, headers=_WINDOW)


def test_proposals_are_taken_and_taken_back_as_one_step(client: TestClient, asked: tuple[int, int]) -> None:
    project, model = asked
    proposed = _proposed(client, project, model)
    assert len(proposed) == 12
    certainties = sorted(certain for _, certain in proposed.values())
    least = (certainties[3] + certainties[4]) / 2
    counts = client.get(f"/api/models/{model}/proposals", params={"least": least}).json()
    for entry in counts:
        of_class = [certain for class_id, certain in proposed.values() if class_id == entry["class_id"]]
        assert entry["waiting"] == len(of_class)
        assert entry["certain"] == sum(certain >= least for certain in of_class)
    assert sum(entry["certain"] for entry in counts) == 8

    one = next(iter(proposed))
    done = _accept(client, model, picture_ids=[one]).json()
    assert (done["kind"], done["pictures"]) == ("accept", 1)
    assert done["summary"] == "1 picture labelled as run 1 proposes"
    detail = client.get(f"/api/projects/{project}/pictures/{one}").json()
    assert detail["picture"]["class_id"] == proposed[one][0]
    assert detail["history"][0].endswith("as run 1 proposed")

    rest = {picture: said for picture, said in proposed.items() if picture != one}
    chosen = {picture for picture, (_, certain) in rest.items() if certain >= least}
    assert _accept(client, model, least=least).json()["pictures"] == len(chosen)
    assert set(_ids(client, project, "accepted:1")) == {one, *chosen}
    assert _ids(client, project, "accepted:2") == []
    assert set(_ids(client, project, "judged:unlabelled unlabelled")) == set(rest) - chosen
    # Labelled otherwise since, a picture no longer bears what was proposed.
    other = next(c["id"] for c in client.get(f"/api/projects/{project}/classes").json() if c["id"] != proposed[one][0])
    client.post(f"/api/projects/{project}/labels", json={"picture_ids": [one], "class_id": other}, headers=_WINDOW)
    assert set(_ids(client, project, "accepted:1")) == chosen
    client.post(f"/api/projects/{project}/undo", headers=_WINDOW)
    back = client.post(f"/api/projects/{project}/undo", headers=_WINDOW).json()
    assert (back["taken_back"], back["kept"]) == (len(chosen), 0)
    assert _ids(client, project, "accepted:1") == [one]


def test_a_class_alone_is_taken_and_what_is_labelled_or_gone_is_left(
    client: TestClient, asked: tuple[int, int]
) -> None:
    project, model = asked
    proposed = _proposed(client, project, model)
    by_class: dict[int, list[int]] = {}
    for picture, (class_id, _) in proposed.items():
        by_class.setdefault(class_id, []).append(picture)
    wanted = max(by_class, key=lambda c: len(by_class[c]))
    labelled, binned, *rest = by_class[wanted]
    client.post(f"/api/projects/{project}/bin", json={"picture_ids": [binned]}, headers=_WINDOW)
    client.post(
        f"/api/projects/{project}/labels", json={"picture_ids": [labelled], "class_id": wanted}, headers=_WINDOW
    )
    assert _accept(client, model, class_id=wanted).json()["pictures"] == len(rest)
    assert set(_ids(client, project, "accepted:1")) == set(rest)
    nothing = _accept(client, model, class_id=wanted)
    assert nothing.status_code == 404
    assert "No unlabelled picture is left" in nothing.json()["detail"]
    assert _accept(client, model, least=1.5).status_code == 422
    assert client.get(f"/api/projects/{project}/pictures", params={"sift": "accepted:x"}).status_code == 422


def test_what_is_most_worth_labelling_comes_first(client: TestClient, world: World, asked: tuple[int, int]) -> None:
    project, model = asked
    query = "select picture_id, probabilities from prediction where model_id = :m and set_name = :s order by worth desc"
    with world.context.database.session() as session:
        rows = session.execute(text(query), {"m": model, "s": "unlabelled"}).all()
    margins = [abs(said[0] - said[1]) for _, said in rows]
    assert len(rows) == 12
    assert margins[0] == min(margins)
    answer = client.get(
        f"/api/projects/{project}/field",
        params={"sift": "judged:unlabelled order:-worth", "run": 1, "group": "nothing"},
    )
    assert answer.status_code == 200, answer.text
    assert answer.json()["total"] == 12
    # Of what has a label nothing is known, and a run must be on show.
    refused = client.get(f"/api/projects/{project}/field", params={"sift": "order:worth"})
    assert refused.status_code == 422
