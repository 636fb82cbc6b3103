"""A project can begin with a made-up collection: drawn, brought in, and trained on if that is wanted."""

from typing import Any

import pytest
from starlette.testclient import TestClient

from tests.world import World
from vast_orchard.errors import StoppedError
from vast_orchard.jobs.bringing_in.sampling import bring_sample
from vast_orchard.jobs.context import Progress
from vast_orchard.jobs.queue import start_job
from vast_orchard.store.jobs import take_job
from vast_orchard.store.schema import JobKind


def _begin(client: TestClient, **sample: Any) -> int:
    answer = client.post("/api/projects", json={"name": "Trial", "sample": sample})
    assert answer.status_code == 201, answer.text
    return int(answer.json()["id"])


def test_the_collection_is_there_and_a_run_waits(client: TestClient, world: World) -> None:
    project = _begin(client, pictures=70, with_run=True)
    entry = client.get(f"/api/projects/{project}/imports").json()[0]
    job = world.job_of(JobKind.SAMPLE, entry["id"])
    assert world.run(job).state == "done"
    found = client.get(f"/api/projects/{project}").json()
    # The generator's own words: 70 labelled with a copy or two that are the same to the byte, and 7 unlabelled.
    assert (found["classes"], found["runs"]) == (7, 1)
    assert 74 <= found["pictures"] <= 77
    assert "planted" not in str(client.get(f"/api/projects/{project}/imports").json())
    assert not list(world.context.folder.uploads.iterdir())
    with world.context.database.session() as session:
        options = {"pictures": 70, "with_run": True}
        again = start_job(session, project, JobKind.SAMPLE, "Draw", entry["id"], options=options)
    assert world.run(again).state == "done"
    assert client.get(f"/api/projects/{project}").json() == found


class _Stopped(Progress):
    """Reports of work that a person stops when the first pictures are drawn."""

    def advance(self, by: float = 1.0) -> None:
        raise StoppedError("Stopped while drawing pictures.")


def test_stopped_while_it_is_drawn_nothing_is_left(client: TestClient, world: World) -> None:
    project = _begin(client, pictures=400)
    entry = client.get(f"/api/projects/{project}/imports").json()[0]
    job = world.job_of(JobKind.SAMPLE, entry["id"])
    with world.context.database.session() as session:
        assert take_job(session, job, "here")
    with pytest.raises(StoppedError):
        bring_sample(
            world.context, entry["id"], _Stopped(world.context.database, job, "here"), pictures=400, with_run=True
        )
    assert client.get(f"/api/projects/{project}").json()["pictures"] == 0
    assert not [path for path in world.context.folder.uploads.rglob("*") if path.is_file()]


@pytest.mark.parametrize("pictures", [0, 69, 100_001])
def test_a_size_that_makes_no_collection_is_refused(client: TestClient, pictures: int) -> None:
    body = {"name": "Trial", "sample": {"pictures": pictures}}
    assert client.post("/api/projects", json=body).status_code == 422
    assert client.get("/api/projects").json() == []
