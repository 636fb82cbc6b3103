"""Runs beside each other, over HTTP."""

from typing import Annotated, Any

from fastapi import APIRouter, Query

from vast_orchard.api.dependencies import LARGEST_ID, ProjectOf, SessionOf
from vast_orchard.api.schemas.comparison import RunsComparisonRead
from vast_orchard.at_once.comparing import compare_runs

__all__ = ["router"]

router = APIRouter(prefix="/api", tags=["runs"])

RunIds = Annotated[
    list[Annotated[int, Query(ge=1, le=LARGEST_ID)]],
    Query(min_length=1, max_length=10, description="Two to four runs."),
]


@router.get("/projects/{project_id}/comparison", response_model=RunsComparisonRead)
def compare(session: SessionOf, project: ProjectOf, run: RunIds) -> dict[str, Any]:
    """What differs in the runs, and how they do on the validation pictures that they share."""
    return compare_runs(session, project.id, run)
