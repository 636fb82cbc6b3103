"""The tray over HTTP."""

from collections.abc import Sequence
from typing import Annotated

from fastapi import APIRouter, Path
from fastapi import status as http

from vast_orchard.api.dependencies import LARGEST_ID, SessionOf
from vast_orchard.api.schemas.jobs import JobRead
from vast_orchard.store import jobs
from vast_orchard.store.values import JobValue

__all__ = ["router"]

router = APIRouter(prefix="/api/jobs", tags=["jobs"])

JobId = Annotated[int, Path(ge=1, le=LARGEST_ID)]


@router.get("", response_model=list[JobRead])
def list_all(session: SessionOf) -> Sequence[JobValue]:
    """Everything waiting and under way, and what has ended and was not put away."""
    return jobs.list_jobs(session)


@router.post("/{job_id}/stop", status_code=http.HTTP_202_ACCEPTED, response_model=JobRead)
def stop(session: SessionOf, job_id: JobId) -> JobValue:
    """Ask it to stop."""
    jobs.ask_stop(session, job_id)
    return jobs.get_job(session, job_id)


@router.post("/{job_id}/put-away", status_code=http.HTTP_204_NO_CONTENT)
def put_away(session: SessionOf, job_id: JobId) -> None:
    """Take ended work out of the tray."""
    jobs.put_away(session, job_id)
