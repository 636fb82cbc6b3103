"""A model in use, and the serving application in this process."""

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

import pytest
from starlette.testclient import TestClient

from tests.pictures import two_classes
from tests.running import until
from tests.world import World, small_recipe
from vast_orchard.serving.app import create_serving_app
from vast_orchard.store.models import model_of_run
from vast_orchard.store.offers import change_offer, offer_model
from vast_orchard.store.serving import make_token


@dataclass(kw_only=True)
class Served:
    """A project whose model answers."""

    world: World
    project: int
    models: list[int]  # of three runs
    offers: list[int]  # the first is in use

    def token(self, **more: Any) -> dict[str, str]:
        """A new token's header."""
        with self.world.context.database.session() as session:
            _, secret = make_token(session, "Somebody", **more)
        return {"Authorization": f"Bearer {secret}"}

    def use(self, number: int) -> None:
        """Put a version in use."""
        with self.world.context.database.session() as session:
            change_offer(session, self.offers[number], {"state": "in_use"})


@pytest.fixture
def served(world: World) -> Served:
    project = world.project()
    world.bring_in(project, two_classes())
    models, offers = [], []
    for seed in (1, 2):
        run, job = world.run_job(project, small_recipe(epochs=1, seed=seed))
        assert world.run(job).state == "done"
        with world.context.database.session() as session:
            model = model_of_run(session, run)
            models.append(model.id)
            offers.append(offer_model(session, model, "Ridge Station").id)
    found = Served(world=world, project=project, models=models, offers=offers)
    found.use(0)
    return found


@pytest.fixture
def asking(served: Served) -> Iterator[TestClient]:
    """The serving application, ready."""
    with TestClient(create_serving_app(served.world.context.settings)) as client:
        until("what is served is known", lambda: client.get("/v2/health/ready").status_code == 200)
        yield client
