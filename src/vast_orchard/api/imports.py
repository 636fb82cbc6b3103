"""Bringing pictures in: a source is named, read by a job, decided on by its plan, and brought in by another job."""

import re
from collections.abc import Sequence
from typing import Annotated, Any

from fastapi import APIRouter, Depends, Path, Query, Response
from fastapi import status as http

from vast_orchard.api.dependencies import LARGEST_ID, Parts, PartsOf, ProjectOf, SessionOf, WindowOf
from vast_orchard.api.files import WholeFile
from vast_orchard.api.schemas.imports import (
    ChoiceBody,
    ImportEntryRead,
    ImportRead,
    PlanRead,
    ServerFolderRead,
    SourceCreate,
    SourcesRead,
    UploadImport,
)
from vast_orchard.api.schemas.jobs import JobRead
from vast_orchard.api.schemas.mending import UndoRead
from vast_orchard.api.uploads import UploadId, waiting_upload
from vast_orchard.at_once.server_folders import ServerFolder, checked_server_path, list_server_folder
from vast_orchard.errors import ConflictError, InputError, MissingError
from vast_orchard.jobs.queue import start_job
from vast_orchard.store import history, imports
from vast_orchard.store.classes import list_classes
from vast_orchard.store.jobs import get_job
from vast_orchard.store.projects import get_project
from vast_orchard.store.schema import JobKind
from vast_orchard.store.values import ImportValue, JobValue, ProjectName, UndoResult

__all__ = ["router"]

router = APIRouter(prefix="/api", tags=["bringing in"])

_MOST_SAMPLES = 48


def _import(session: SessionOf, import_id: Annotated[int, Path(ge=1, le=LARGEST_ID)]) -> ImportValue:
    entry = imports.get_import(session, import_id)
    get_project(session, entry.project_id)  # those of a project in the bin are not shown
    return entry


ImportOf = Annotated[ImportValue, Depends(_import)]


def _forget_files(parts: Parts, entry: ImportValue) -> None:
    """What was sent or fetched for an import, and the notes on it."""
    if entry.source_kind == "upload" and entry.location:
        parts.folder.remove(parts.folder.upload(entry.location))
    if entry.report is None:
        parts.folder.remove(parts.folder.reading(entry.id))


@router.post("/projects/{project_id}/uploads/{upload_id}/import", response_model=JobRead, status_code=202)
def bring_in_at_once(
    session: SessionOf, project: ProjectOf, parts: PartsOf, window: WindowOf, upload_id: UploadId, body: UploadImport
) -> JobValue:
    """Read what was uploaded and bring it in by the likeliest reading, as one job: for programs."""
    waiting_upload(session, parts, upload_id)
    entry = imports.create_import(session, project.id, body.source_name, upload_id, window=window)
    job_id = start_job(session, project.id, JobKind.IMPORT, f"Bring in {body.source_name}", entry.id)
    return get_job(session, job_id)


@router.get("/sources", response_model=SourcesRead)
def sources(parts: PartsOf) -> SourcesRead:
    """Which kinds of sources the settings allow beside uploads."""
    settings = parts.settings
    return SourcesRead(server_folders=bool(settings.import_roots), bucket=settings.bucket_url or None)


@router.get("/server-folders", response_model=ServerFolderRead)
def server_folders(parts: PartsOf, path: Annotated[str, Query(max_length=4000)] = "") -> ServerFolder:
    """What lies in a folder of the server's machine, below those that are allowed."""
    return list_server_folder(parts.settings, path)


def _other_project(session: SessionOf, project_id: int, text: str) -> ProjectName:
    if not re.fullmatch("[1-9][0-9]{0,8}", text) or int(text) == project_id:
        raise InputError(f"{text[:80]!r} is not the id of another project.", "Choose one from the list of projects.")
    return get_project(session, int(text))


def _located(session: SessionOf, project_id: int, parts: Parts, body: SourceCreate) -> tuple[str, str]:
    """A source's location and name."""
    if body.kind == "upload":
        waiting_upload(session, parts, body.location)
        return body.location, body.name or "upload"
    if body.kind == "folder":
        path = checked_server_path(parts.settings, body.location)
        return str(path), body.name or path.name
    if body.kind == "project":
        source = _other_project(session, project_id, body.location)
        return str(source.id), body.name or source.name
    if not parts.settings.bucket_url:
        raise InputError("No bucket service is set.", "Set VAST_ORCHARD_BUCKET_URL and its key, then start again.")
    bucket, _, prefix = body.location.strip().removeprefix("s3://").partition("/")
    if not re.fullmatch(r"[a-zA-Z0-9._-]{1,255}", bucket):
        raise InputError(f"{bucket!r} is not the name of a bucket.", "Write bucket/prefix, or the bucket alone.")
    return f"{bucket}/{prefix}", body.name or f"{bucket}/{prefix}".rstrip("/")


def _read(session: SessionOf, entry: ImportValue) -> None:
    start_job(session, entry.project_id, JobKind.READ, f"Read {entry.source_name}", entry.id)


@router.post("/projects/{project_id}/imports", response_model=ImportRead, status_code=202)
def begin(session: SessionOf, project: ProjectOf, parts: PartsOf, window: WindowOf, body: SourceCreate) -> ImportValue:
    """Read a source, as a job; nothing is stored of it until its plan was decided on."""
    location, name = _located(session, project.id, parts, body)
    proposed = ChoiceBody(read_as="one_class", class_name=body.class_name).model_dump() if body.class_name else None
    entry = imports.create_import(session, project.id, name, location, kind=body.kind, window=window, choice=proposed)
    _read(session, entry)
    return entry


@router.get("/projects/{project_id}/imports", response_model=list[ImportEntryRead])
def list_all(session: SessionOf, project: ProjectOf) -> Sequence[ImportValue]:
    """Imports, newest first, with what they found."""
    return imports.list_imports(session, project.id)


@router.get("/imports/{import_id}", response_model=ImportRead)
def read_one(entry: ImportOf) -> ImportValue:
    """One import with the survey of its source."""
    return entry


@router.post("/imports/{import_id}/read", response_model=ImportRead, status_code=202)
def read_again(session: SessionOf, entry: ImportOf) -> ImportValue:
    """Read a source once more, after a failure or a change of it."""
    if entry.state not in ("reading", "planned"):
        raise ConflictError(f"{entry.source_name} was decided on already.", "Bring the source in anew.")
    _read(session, entry)
    return entry


def _here(session: SessionOf, project_id: int) -> dict[str, int]:
    return {entry.name.lower(): entry.count for entry in list_classes(session, project_id)}


def _tables(entry: ImportValue) -> list[str]:
    if entry.survey is None:
        raise ConflictError(f"{entry.source_name} is still being read.", "Wait for its plan.")
    return [table["path"] for table in entry.survey["tables"]]


@router.post("/imports/{import_id}/plan", response_model=PlanRead)
def plan(session: SessionOf, parts: PartsOf, entry: ImportOf, body: ChoiceBody) -> dict[str, Any]:
    """What bringing in by this choice would do; changes nothing."""
    here = _here(session, entry.project_id)
    session.commit()  # the connection is free while the plan is made
    found: dict[str, Any] = parts.quick.run(
        "plan", import_id=entry.id, tables=_tables(entry), choice=body.model_dump(), here=here
    )
    return found


@router.get("/imports/{import_id}/strip", response_class=Response)
def strip(
    session: SessionOf,
    parts: PartsOf,
    entry: ImportOf,
    contents: Annotated[str, Query(max_length=4000, description="SHA-256 of pictures, joined by commas.")],
    side: Annotated[int, Query(ge=16, le=128)] = 56,
) -> Response:
    """Sample pictures of a source that is not brought in yet, in one row of squares."""
    wanted = contents.split(",")
    if len(wanted) > _MOST_SAMPLES or not all(re.fullmatch("[0-9a-f]{64}", one) for one in wanted):
        raise InputError("contents must be SHA-256 values joined by commas.", f"Ask for at most {_MOST_SAMPLES}.")
    session.commit()
    data: bytes = parts.quick.run("strip", entry=entry, contents=wanted, side=side)
    return Response(data, media_type="image/jpeg", headers={"Cache-Control": "private, max-age=3600"})


@router.post("/imports/{import_id}/bring-in", response_model=ImportRead, status_code=202)
def bring_in(session: SessionOf, parts: PartsOf, entry: ImportOf, body: ChoiceBody) -> ImportValue:
    """Decide on a plan: bring in what it says, as a job."""
    found = plan(session, parts, entry, body)
    if not found["chosen"]:
        raise InputError("This plan brings in no picture.", "Choose another reading or a larger part.")
    decided = imports.choose_reading(session, entry.id, body.model_dump())
    start_job(session, entry.project_id, JobKind.IMPORT, f"Bring in {entry.source_name}", entry.id)
    return decided


@router.post("/imports/{import_id}/rest", response_model=ImportRead, status_code=202)
def bring_in_rest(session: SessionOf, entry: ImportOf, window: WindowOf) -> ImportValue:
    """Read a source again of which an earlier import left something out."""
    again = imports.take_over_source(session, entry.id, window)
    _read(session, again)
    return again


@router.post("/imports/{import_id}/again", response_model=ImportRead, status_code=202)
def bring_in_again(session: SessionOf, parts: PartsOf, entry: ImportOf, window: WindowOf) -> ImportValue:
    """Read a folder of the server's machine once more, with the reading of then proposed."""
    if entry.source_kind != "folder":
        raise ConflictError(f"The files of {entry.source_name} were not kept.", "Send or fetch them again.")
    place = checked_server_path(parts.settings, entry.location)
    again = imports.create_import(
        session, entry.project_id, entry.source_name, str(place), kind="folder", window=window, choice=entry.choice
    )
    _read(session, again)
    return again


@router.post("/imports/{import_id}/undo", response_model=UndoRead)
def take_back(session: SessionOf, entry: ImportOf, window: WindowOf) -> UndoResult:
    """Move what an import put here into the bin, but for pictures that someone worked on since."""
    return history.undo(session, entry.project_id, window, import_id=entry.id)


@router.delete("/imports/{import_id}", status_code=http.HTTP_204_NO_CONTENT)
def give_up(session: SessionOf, parts: PartsOf, entry: ImportOf) -> None:
    """Forget a source that is not brought in, or what was left out of one."""
    _forget_files(parts, imports.give_up_import(session, entry.id))


@router.get("/imports/{import_id}/files.csv", response_class=Response)
def fates(parts: PartsOf, entry: ImportOf) -> Response:
    """Every file of a source and what became of it."""
    path = parts.folder.reading(entry.id) / "files.csv"
    if not path.exists():
        raise MissingError("There is no list of this import's files.", "Imports of earlier versions made none.")
    return WholeFile(path, media_type="text/csv", filename=f"import-{entry.id}-files.csv")
