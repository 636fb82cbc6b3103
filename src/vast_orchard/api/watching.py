"""What lookouts say and what layers did, over HTTP."""

from typing import Any

from fastapi import APIRouter, Response

from vast_orchard.api.dependencies import ProjectOf, RunOf, SessionOf
from vast_orchard.api.schemas.watching import (
    LayersRead,
    LookoutKindRead,
    LookoutTrialRead,
    OwnLookoutBody,
    RunLookoutsRead,
)
from vast_orchard.at_once.watching import layers_as_csv, list_lookouts, run_layers, run_lookouts, try_lookout

__all__ = ["router"]

router = APIRouter(prefix="/api", tags=["runs"])


@router.get("/lookouts", response_model=list[LookoutKindRead])
def read_kinds() -> list[dict[str, Any]]:
    """The lookouts that follow every training."""
    return list_lookouts()


@router.get("/runs/{run_id}/lookouts", response_model=RunLookoutsRead)
def read_lookouts(session: SessionOf, run: RunOf) -> dict[str, Any]:
    """What each lookout of a run says after its last epoch."""
    return run_lookouts(session, run)


@router.get("/runs/{run_id}/layers", response_model=LayersRead)
def read_layers(session: SessionOf, run: RunOf) -> dict[str, Any]:
    """What the layers of a run did, epoch by epoch."""
    return run_layers(session, run)


@router.get("/runs/{run_id}/layers.csv", response_class=Response, responses={200: {"content": {"text/csv": {}}}})
def read_layer_table(session: SessionOf, run: RunOf) -> Response:
    """The same as a table, a layer of an epoch a row."""
    return Response(
        layers_as_csv(session, run),
        media_type="text/csv; charset=utf-8",
        headers={"Content-Disposition": f'attachment; filename="run-{run.number}-layers.csv"'},
    )


@router.post("/projects/{project_id}/lookout-trial", response_model=list[LookoutTrialRead])
def read_trial(session: SessionOf, project: ProjectOf, body: OwnLookoutBody) -> list[dict[str, Any]]:
    """When a lookout of one's own would have found something in the project's last runs."""
    return try_lookout(session, project.id, body.model_dump())
