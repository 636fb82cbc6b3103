"""Copies of pictures over HTTP: what is known of them, and what a person decides."""

from fastapi import APIRouter
from fastapi import status as http

from vast_orchard.api.dependencies import ProjectOf, SessionOf, WindowOf
from vast_orchard.api.mending import named_pictures
from vast_orchard.api.schemas.mending import ActionRead, CopiesKeep, CopiesRead, Which
from vast_orchard.jobs.queue import look_for_copies
from vast_orchard.store import copies
from vast_orchard.store.values import ActionValue, CopiesValue

__all__ = ["router"]

router = APIRouter(prefix="/api/projects/{project_id}/copies", tags=["copies"])


@router.get("", response_model=CopiesRead)
def read(session: SessionOf, project: ProjectOf) -> CopiesValue:
    """What is known of copies."""
    return copies.copies_known(session, project.id)


@router.post("/search", status_code=http.HTTP_202_ACCEPTED)
def search(session: SessionOf, project: ProjectOf) -> None:
    """Compare pictures that nobody has compared yet, as every import does by itself."""
    look_for_copies(session, project.id)


@router.post("/keep", response_model=ActionRead)
def keep(session: SessionOf, project: ProjectOf, window: WindowOf, body: CopiesKeep) -> ActionValue:
    """Keep pictures and exclude their copies."""
    if body.picture_ids is None:
        return copies.keep_agreeing(session, project.id, window)
    return copies.keep_of_copies(session, project.id, window, body.picture_ids)


@router.post("/dismiss", response_model=ActionRead)
def dismiss(session: SessionOf, project: ProjectOf, window: WindowOf, body: Which) -> ActionValue:
    """Say that pictures are no copies, for good."""
    return copies.dismiss_copies(session, project.id, window, named_pictures(session, project.id, body))
