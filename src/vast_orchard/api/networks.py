"""Networks over HTTP: ready ones, what their lists are made of, and what a list comes to while it is written."""

from typing import Annotated, Any

from fastapi import APIRouter, Query

from vast_orchard.api.dependencies import PartsOf, ProjectOf, RunOf, SessionOf
from vast_orchard.api.schemas.networks import (
    NetworkCheckCreate,
    NetworkCheckRead,
    NetworkLesson,
    NetworkPartRead,
    NetworkRead,
    NetworksQuery,
    RunNetworkRead,
)
from vast_orchard.at_once.network_times import Lesson, pace_here
from vast_orchard.at_once.networks import (
    check_network,
    network_by_name,
    network_parts,
    network_schema,
    networks,
    resolved_network,
)
from vast_orchard.settings import training_threads
from vast_orchard.store.classes import list_classes

__all__ = ["router"]

router = APIRouter(prefix="/api", tags=["networks"])


def _classes(session: SessionOf, project_id: int) -> int:
    """So many as there are pictures of; two where nothing can be told apart yet."""
    return max(2, sum(1 for entry in list_classes(session, project_id) if entry.count))


def _lesson(asked: NetworkLesson, parts: PartsOf) -> Lesson:
    return Lesson(
        pictures=asked.pictures,
        validation=asked.validation,
        batch_size=asked.batch_size,
        operations=asked.operations,
        pace=pace_here(parts.settings),
        threads=training_threads(parts.settings),
    )


@router.get("/projects/{project_id}/networks", response_model=list[NetworkRead])
def list_networks(
    session: SessionOf,
    parts: PartsOf,
    project: ProjectOf,
    asked: Annotated[NetworksQuery, Query()],
) -> list[dict[str, Any]]:
    """The ready networks for this project's classes."""
    other = network_by_name(session, project.id, asked.also)[0] if asked.also else None
    return networks(asked.size, asked.channels, _classes(session, project.id), _lesson(asked, parts), other)


@router.get("/network-parts", response_model=list[NetworkPartRead])
def list_parts() -> list[dict[str, Any]]:
    """The layers and blocks that a network can be made of."""
    return network_parts()


@router.get("/network-schema")
def read_schema() -> dict[str, Any]:
    """The form of a network as a JSON Schema."""
    return network_schema()


@router.post("/projects/{project_id}/network-check", response_model=NetworkCheckRead)
def check(session: SessionOf, parts: PartsOf, project: ProjectOf, body: NetworkCheckCreate) -> dict[str, Any]:
    """What a list of layers and blocks comes to for this project's classes."""
    return check_network(
        {"layers": body.layers},
        size=body.size,
        channels=body.channels,
        classes=_classes(session, project.id),
        lesson=_lesson(body, parts),
    )


@router.get("/runs/{run_id}/network", response_model=RunNetworkRead)
def read_network(run: RunOf) -> dict[str, Any]:
    """The network that the run holds, layer by layer."""
    return resolved_network(run.recipe["network"])
