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

LookIds = Annotated[
    list[Annotated[int, Query(ge=1, le=LARGEST_ID)]] | None,
    Query(max_length=10, description="For the test set: a counted look for each run, in their order."),
]


@router.get("/projects/{project_id}/comparison", response_model=RunsComparisonRead)
def compare(session: SessionOf, project: ProjectOf, run: RunIds, look: LookIds = None) -> dict[str, Any]:
    """What differs in the runs, and how they do on the pictures of a set that they share.

    That is validation, or by a counted look at each of them the test set.
    """
    return compare_runs(session, project.id, run, look)
