"""The bin, notes and disk use over HTTP."""

from typing import Annotated, Any

from fastapi import APIRouter, Path, Query
from fastapi import status as http

from vast_orchard.api.dependencies import LARGEST_ID, PartsOf, ProjectOf, SessionOf
from vast_orchard.api.schemas.jobs import JobRead
from vast_orchard.api.schemas.projects import BinRead, DiskRead
from vast_orchard.at_once.disk_use import measured_disk_use
from vast_orchard.at_once.holdings import weighed_holdings
from vast_orchard.errors import ConflictError
from vast_orchard.jobs.queue import start_job
from vast_orchard.store import bin as bin_store
from vast_orchard.store.binned_runs import count_binned_runs, list_binned_runs
from vast_orchard.store.jobs import get_job
from vast_orchard.store.schema import JobKind
from vast_orchard.store.values import DiskUse, JobValue

__all__ = ["router"]

router = APIRouter(prefix="/api/projects", tags=["bin"])


@router.get("/{project_id}/bin", response_model=BinRead)
def read_bin(
    session: SessionOf, project: ProjectOf, parts: PartsOf, limit: Annotated[int, Query(ge=1, le=5000)] = 500
) -> dict[str, Any]:
    """What lies in a project's bin, last thrown away first."""
    return {
        "count": bin_store.count_bin(session, project.id),
        "pictures": bin_store.list_bin(session, project.id, limit),
        "runs": [
            {**vars(run), "holdings": weighed_holdings(run.holdings, parts.store)}
            for run in list_binned_runs(session, project.id)
        ],
    }


@router.delete("/{project_id}/bin", response_model=JobRead, status_code=http.HTTP_202_ACCEPTED)
def empty(session: SessionOf, project: ProjectOf) -> JobValue:
    """Remove what lies in the bin for good, as a job."""
    if not bin_store.count_bin(session, project.id) and not count_binned_runs(session, project.id):
        raise ConflictError("The bin is empty.", "There is nothing to remove.")
    job = start_job(session, project.id, JobKind.EMPTY, f"Empty the bin of {project.name}", project.id)
    return get_job(session, job)


@router.get("/{project_id}/disk", response_model=DiskRead)
def disk(session: SessionOf, project: ProjectOf, parts: PartsOf) -> DiskUse:
    """What a project takes of the disk."""
    return measured_disk_use(session, project.id, parts.settings, parts.store)


@router.delete("/{project_id}/for-good", response_model=JobRead, status_code=http.HTTP_202_ACCEPTED)
def remove_project(session: SessionOf, project_id: Annotated[int, Path(ge=1, le=LARGEST_ID)]) -> JobValue:
    """Remove a project that lies in the bin, with all its pictures, runs and packs, as a job."""
    name = bin_store.mark_purged(session, project_id)
    # The job is not the project's own: it outlives it.
    return get_job(session, start_job(session, None, JobKind.EMPTY, f"Remove {name}", project_id))
