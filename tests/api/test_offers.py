"""Models on offer: versions of a name, one of them in use, back and forth, in archives; whether they still agree."""

from typing import Any

import pytest
from sqlalchemy import text
from starlette.testclient import TestClient

from tests.jobs.test_taking_out import brought_back, taken_out
from tests.pictures import png
from tests.world import World, small_recipe


@pytest.fixture
def models(client: TestClient, world: World) -> list[int]:
    """Three models of one project."""
    project = int(client.post("/api/projects", json={"name": "Crystals"}).json()["id"])
    members = {
        f"{name}/{n}.png": png(60 * k + n, level=60 + 120 * k)
        for k, name in enumerate(("plate", "rime"))
        for n in range(30)
    }
    world.bring_in(project, members)
    found = []
    for seed in (1, 2, 3):
        run, job = world.run_job(project, small_recipe(epochs=1, seed=seed))
        assert world.run(job).state == "done"
        found.append(int(client.get(f"/api/runs/{run}").json()["model"]["id"]))
    return found


def _offer(client: TestClient, model: int, name: str = "Station", **more: str) -> Any:
    answer = client.post(f"/api/models/{model}/offers", json={"name": name, **more})
    assert answer.status_code == 201, answer.text
    return answer.json()


def _states(client: TestClient) -> dict[str, str]:
    return {f"{x['name']} {x['version']}": x["state"] for x in client.get("/api/projects/1/offers").json()}


def test_one_version_of_a_name_is_in_use_and_the_former_comes_back(client: TestClient, models: list[int]) -> None:
    first = _offer(client, models[0], purpose="At the ridge", limits="No graupel", note="mind the lamp")
    assert (first["version"], first["state"], first["purpose"], first["limits"]) == (
        1,
        "tried",
        "At the ridge",
        "No graupel",
    )
    assert first["digest"] == client.get(f"/api/models/{models[0]}").json()["digest"]
    assert first["validation"]["count"] > 0
    assert first["classes"] == ["plate", "rime"]
    second, third = _offer(client, models[1], "station"), _offer(client, models[2])
    other = _offer(client, models[0], "Valley")
    assert [entry["version"] for entry in (second, third, other)] == [2, 3, 1]
    for offer in (first, third, other):
        assert client.patch(f"/api/offers/{offer['id']}", json={"state": "in_use"}).json()["state"] == "in_use"
    # What comes into use takes the place of what was, of its own name alone.
    assert _states(client) == {
        "Station 1": "put_away",
        "Station 2": "tried",
        "Station 3": "in_use",
        "Valley 1": "in_use",
    }
    back = client.post("/api/projects/1/offers/back", json={"name": "STATION"}).json()
    assert (back["version"], back["state"]) == (1, "in_use")
    # And forth again: the one before is now the third.
    assert client.post("/api/projects/1/offers/back", json={"name": "Station"}).json()["version"] == 3
    refused = client.post("/api/projects/1/offers/back", json={"name": "Valley"})
    assert refused.status_code == 409
    assert "No other version of Valley" in refused.json()["detail"]
    client.patch(f"/api/offers/{third['id']}", json={"state": "put_away", "note": "sent home"})
    assert _states(client)["Station 3"] == "put_away"
    again = client.patch(f"/api/offers/{third['id']}", json={"purpose": "none"}).json()
    assert (again["note"], again["purpose"], again["state"]) == ("sent home", "none", "put_away")


def test_what_cannot_be_on_offer_says_why(client: TestClient, models: list[int]) -> None:
    _offer(client, models[0])
    same = client.post(f"/api/models/{models[0]}/offers", json={"name": "station"})
    assert same.status_code == 409
    assert "is Station, version 1, already" in same.json()["detail"]
    assert client.post(f"/api/models/{models[0]}/offers", json={"name": "  "}).status_code == 422
    assert client.patch("/api/offers/99", json={"note": "x"}).status_code == 404
    used = _offer(client, models[1], "Valley")
    client.patch(f"/api/offers/{used['id']}", json={"state": "in_use"})
    run = client.get(f"/api/models/{models[1]}").json()["run_id"]
    refused = client.delete(f"/api/runs/{run}")
    assert refused.status_code == 409
    assert "in use as Valley, version 1" in refused.json()["detail"]
    client.patch(f"/api/offers/{used['id']}", json={"state": "put_away"})
    assert client.delete(f"/api/runs/{run}").status_code in (200, 204)
    # With its run in the bin it is not on offer, and nobody goes back to it.
    assert "Valley 1" not in _states(client)
    assert client.post("/api/projects/1/offers/back", json={"name": "Valley"}).status_code == 409


def test_a_model_says_whether_it_still_answers_as_it_did(client: TestClient, world: World, models: list[int]) -> None:
    agreement = client.post(f"/api/models/{models[0]}/agreement").json()
    assert (agreement["agrees"], agreement["changed"]) == (True, 0)
    assert 0 < agreement["pictures"] <= 32
    assert agreement["max_abs_difference"] <= 1e-5
    # Asked on another machine, an archive's model agrees as well, and what is on offer came along.
    offer = _offer(client, models[0], purpose="At the ridge")
    client.patch(f"/api/offers/{offer['id']}", json={"state": "in_use"})
    back, ended = brought_back(world, taken_out(world, 1, "project"))
    assert ended.state == "done", ended.error
    (came,) = client.get(f"/api/projects/{back}/offers").json()
    assert (came["name"], came["purpose"], came["state"], came["digest"]) == (
        "Station", "At the ridge", "in_use", offer["digest"],
    )  # fmt: skip
    assert client.post(f"/api/models/{came['model_id']}/agreement").json()["agrees"]
    # Other answers than the stored ones are told.
    with world.context.database.session() as session:
        session.execute(
            text("update prediction set probabilities = array[0.25, 0.75]::real[] where model_id = :m"),
            {"m": models[0]},
        )
    disagreeing = client.post(f"/api/models/{models[0]}/agreement").json()
    assert not disagreeing["agrees"]
    assert disagreeing["max_abs_difference"] > 0.01
    with world.context.database.session() as session:
        session.execute(text("delete from judgement"))
    assert "Judge it in Review" in client.post(f"/api/models/{models[0]}/agreement").json()["mend"]
