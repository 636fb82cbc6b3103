"""The bin, notes and disk use over HTTP."""

from collections.abc import Sequence
from typing import Annotated

from fastapi import APIRouter, Path, Query
from fastapi import status as http

from vast_orchard.api.dependencies import LARGEST_ID, PartsOf, ProjectOf, SessionOf, WindowOf
from vast_orchard.api.schemas import ActionRead, BinMove, BinRead, DiskRead, JobRead, NoteWrite
from vast_orchard.errors import ConflictError
from vast_orchard.jobs.disk import measured_disk_use
from vast_orchard.jobs.queue import start_job
from vast_orchard.store import actions
from vast_orchard.store import bin as bin_store
from vast_orchard.store.jobs import get_job
from vast_orchard.store.schema import JobKind
from vast_orchard.store.values import ActionValue, BinnedPicture, DiskUse, JobValue

__all__ = ["router"]

router = APIRouter(prefix="/api/projects", tags=["bin"])


@router.get("/{project_id}/bin", response_model=BinRead)
def read_bin(
    session: SessionOf, project: ProjectOf, limit: Annotated[int, Query(ge=1, le=5000)] = 500
) -> dict[str, int | Sequence[BinnedPicture]]:
    """What lies in a project's bin, last thrown away first."""
    return {
        "count": bin_store.count_bin(session, project.id),
        "pictures": bin_store.list_bin(session, project.id, limit),
    }


@router.post("/{project_id}/bin", response_model=ActionRead)
def move(session: SessionOf, project: ProjectOf, window: WindowOf, body: BinMove) -> ActionValue:
    """Move pictures into the bin or out of it, as one step that can be taken back."""
    return actions.bin_pictures(session, project.id, window, body.picture_ids, back=body.back)


@router.delete("/{project_id}/bin", response_model=JobRead, status_code=http.HTTP_202_ACCEPTED)
def empty(session: SessionOf, project: ProjectOf) -> JobValue:
    """Remove what lies in the bin for good, as a job."""
    if not bin_store.count_bin(session, project.id):
        raise ConflictError("The bin is empty.", "There is nothing to remove.")
    job = start_job(session, project.id, JobKind.EMPTY, f"Empty the bin of {project.name}", project.id)
    return get_job(session, job)


@router.put("/{project_id}/pictures/{picture_id}/note", response_model=ActionRead)
def write_note(
    session: SessionOf,
    project: ProjectOf,
    window: WindowOf,
    picture_id: Annotated[int, Path(ge=1, le=2**62)],
    body: NoteWrite,
) -> ActionValue:
    """Write a picture's note anew."""
    return actions.set_note(session, project.id, window, picture_id, body.note.strip())


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
