"""Networks over HTTP: ready ones, what their lists are made of, and what a list comes to while it is written."""

from typing import Annotated, Any

from fastapi import APIRouter, Query

from vast_orchard.api.dependencies import ProjectOf, RunOf, SessionOf
from vast_orchard.api.schemas.networks import (
    NetworkCheckCreate,
    NetworkCheckRead,
    NetworkPartRead,
    NetworkRead,
    RunNetworkRead,
)
from vast_orchard.at_once.networks import check_network, network_parts, network_schema, networks, resolved_network
from vast_orchard.store.classes import list_classes

__all__ = ["router"]

router = APIRouter(prefix="/api", tags=["networks"])


def _classes(session: SessionOf, project_id: int) -> int:
    """So many as there are pictures of; two where nothing can be told apart yet."""
    return max(2, sum(1 for entry in list_classes(session, project_id) if entry.count))


@router.get("/projects/{project_id}/networks", response_model=list[NetworkRead])
def list_networks(
    session: SessionOf,
    project: ProjectOf,
    size: Annotated[int, Query(ge=8, le=512)] = 48,
    channels: Annotated[int, Query(ge=1, le=3)] = 3,
) -> list[dict[str, Any]]:
    """The ready networks for this project's classes."""
    return networks(size, channels, _classes(session, project.id))


@router.get("/network-parts", response_model=list[NetworkPartRead])
def list_parts() -> list[dict[str, Any]]:
    """The layers and blocks that a network can be made of."""
    return network_parts()


@router.get("/network-schema")
def read_schema() -> dict[str, Any]:
    """The form of a network as a JSON Schema."""
    return network_schema()


@router.post("/projects/{project_id}/network-check", response_model=NetworkCheckRead)
def check(session: SessionOf, project: ProjectOf, body: NetworkCheckCreate) -> dict[str, Any]:
    """What a list of layers and blocks comes to for this project's classes."""
    return check_network(
        {"layers": body.layers},
        size=body.size,
        channels=body.channels,
        classes=_classes(session, project.id),
        batch_size=body.batch_size,
        pictures=body.pictures,
    )


@router.get("/runs/{run_id}/network", response_model=RunNetworkRead)
def read_network(run: RunOf) -> dict[str, Any]:
    """The network that the run holds, layer by layer."""
    return resolved_network(run.recipe["network"])
