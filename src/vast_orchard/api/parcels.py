"""Taking out, and bringing a whole project back, over HTTP."""

import datetime as dt
from collections.abc import Sequence
from typing import Annotated

from fastapi import APIRouter, Depends, Path, Response
from fastapi import status as http

from vast_orchard.api.dependencies import LARGEST_ID, PartsOf, ProjectOf, SessionOf, WindowOf
from vast_orchard.api.files import WholeFile
from vast_orchard.api.mending import named_pictures
from vast_orchard.api.schemas.jobs import JobRead
from vast_orchard.api.schemas.mending import Which
from vast_orchard.api.schemas.parcels import ParcelCreate, ParcelRead, ProjectReturn
from vast_orchard.api.uploads import waiting_upload
from vast_orchard.errors import ConflictError, InputError, MissingError
from vast_orchard.jobs.queue import start_job
from vast_orchard.store import parcels
from vast_orchard.store.field_scope import scope_of
from vast_orchard.store.imports import create_import
from vast_orchard.store.jobs import get_job
from vast_orchard.store.projects import count_project, create_project, free_name, get_project
from vast_orchard.store.schema import JobKind
from vast_orchard.store.splits import list_splits
from vast_orchard.store.transfer import check_at_rest
from vast_orchard.store.values import JobValue, ParcelValue

__all__ = ["router"]

router = APIRouter(prefix="/api", tags=["taking out"])


def _parcel(session: SessionOf, parcel_id: Annotated[int, Path(ge=1, le=LARGEST_ID)]) -> ParcelValue:
    parcel = parcels.get_parcel(session, parcel_id)
    get_project(session, parcel.project_id)
    return parcel


ParcelOf = Annotated[ParcelValue, Depends(_parcel)]


@router.get("/projects/{project_id}/parcels", response_model=list[ParcelRead])
def list_all(session: SessionOf, project: ProjectOf) -> Sequence[ParcelValue]:
    """What was taken out, newest first."""
    return parcels.list_parcels(session, project.id)


@router.post("/projects/{project_id}/parcels", response_model=ParcelRead, status_code=http.HTTP_202_ACCEPTED)
def create(session: SessionOf, project: ProjectOf, body: ParcelCreate) -> ParcelValue:
    """Take out the collection, some of it, or the whole project, as a job."""
    if body.kind == "project":
        check_at_rest(session, project.id)
    if body.kind == "collection" and not count_project(session, project.id).pictures:
        raise ConflictError("There are no pictures to take out.", "Bring some in first.")
    if body.split is not None and body.split not in {split.id for split in list_splits(session, project.id)}:
        raise InputError(f"There is no split {body.split} in this project.", "Choose another, or none.")
    if body.said_by is not None:
        # That there is such a run here.
        scope_of(session, project.id, run_id=body.said_by, now=dt.datetime.now(dt.UTC))
    options = body.model_dump(exclude={"kind", "sift", "run"})
    if body.sift is not None:
        named = Which(sift=body.sift, split=body.split, run=body.run)
        options["picture_ids"] = list(named_pictures(session, project.id, named))
    plain = "".join(c if c.isascii() and c.isalnum() else "-" for c in project.name).strip("-").lower() or "project"
    name = f"{plain}-{'project' if body.kind == 'project' else 'pictures'}-{dt.datetime.now(dt.UTC):%Y-%m-%d}.zip"
    parcel = parcels.create_parcel(session, project.id, body.kind, name, options)
    start_job(session, project.id, JobKind.TAKE_OUT, f"Take out {name}", parcel.id)
    return parcels.get_parcel(session, parcel.id)


@router.get("/parcels/{parcel_id}/file", response_class=Response)
def download(parts: PartsOf, parcel: ParcelOf) -> Response:
    """The zip."""
    if parcel.size_bytes is None:
        raise ConflictError("This parcel is not packed yet.", "Wait for its job; failed ones say why in the tray.")
    path = parts.folder.parcel(parcel.id)
    if not path.exists():
        raise MissingError("The parcel's file is gone.", "Take it out again.")
    return WholeFile(path, media_type="application/zip", filename=parcel.name)


@router.delete("/parcels/{parcel_id}", status_code=http.HTTP_204_NO_CONTENT)
def forget(session: SessionOf, parts: PartsOf, parcel: ParcelOf) -> None:
    """Remove a parcel; the project stays as it is."""
    if parcel.state in ("waiting", "running"):
        raise ConflictError("This parcel is being packed.", "Stop it in the tray first.")
    parcels.delete_parcel(session, parcel.id)
    parts.folder.remove(parts.folder.parcel(parcel.id))


@router.post("/projects/bring-back", response_model=JobRead, status_code=http.HTTP_202_ACCEPTED)
def bring_back(session: SessionOf, parts: PartsOf, window: WindowOf, body: ProjectReturn) -> JobValue:
    """Make a project of an uploaded archive, as it was, as a job."""
    waiting_upload(session, parts, body.upload_id)
    project = create_project(session, free_name(session, body.name))
    entry = create_import(session, project.id, body.name, body.upload_id, window=window)
    job = start_job(session, project.id, JobKind.BRING_BACK, f"Bring back {body.name}", entry.id)
    return get_job(session, job)
