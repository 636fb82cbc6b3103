"""Bringing pictures in: files are uploaded one by one, then read by a job."""

import secrets
import shutil
from collections.abc import Sequence
from pathlib import Path as FilePath
from pathlib import PurePosixPath
from typing import Annotated

from fastapi import APIRouter, Form, Path, UploadFile
from fastapi import status as http

from vast_orchard.api.dependencies import Parts, PartsOf, ProjectOf, SessionOf
from vast_orchard.api.schemas import ImportRead, JobRead, UploadImport, UploadRead
from vast_orchard.errors import InputError, MissingError, ServiceError
from vast_orchard.jobs.queue import start_job
from vast_orchard.store.imports import create_import, list_imports
from vast_orchard.store.jobs import get_job
from vast_orchard.store.schema import JobKind
from vast_orchard.store.values import ImportValue, JobValue

__all__ = ["router"]

router = APIRouter(prefix="/api", tags=["bringing in"])

UploadId = Annotated[str, Path(pattern="^[0-9a-f]{16}$")]


def _folder(parts: Parts, upload_id: str) -> FilePath:
    folder = parts.settings.data_dir / "uploads" / upload_id
    if not folder.is_dir():
        raise MissingError(f"There is no upload {upload_id}.", "Begin a new one; uploads end with their import.")
    return folder


@router.post("/projects/{project_id}/uploads", response_model=UploadRead, status_code=http.HTTP_201_CREATED)
def begin_upload(project: ProjectOf, parts: PartsOf) -> UploadRead:
    """A place for files on their way into this project."""
    upload_id = secrets.token_hex(8)
    (parts.settings.data_dir / "uploads" / upload_id).mkdir(parents=True)
    return UploadRead(id=upload_id)


@router.put("/uploads/{upload_id}/files", status_code=http.HTTP_204_NO_CONTENT)
def add_file(
    parts: PartsOf, upload_id: UploadId, file: UploadFile, path: Annotated[str, Form(max_length=2000)]
) -> None:
    """One file; `path` is where it lay, with forward slashes."""
    folder = _folder(parts, upload_id)
    place = PurePosixPath(path)
    if place.is_absolute() or ".." in place.parts or not place.name or "\0" in path:
        raise InputError(f"The path {path!r} points outside of the upload.", "Send a path below the chosen folder.")
    target = folder / place
    try:
        target.parent.mkdir(parents=True, exist_ok=True)
        with target.open("wb") as out:
            shutil.copyfileobj(file.file, out, 1 << 20)
    except OSError as error:
        raise ServiceError(f"{path} cannot be stored: {error}.", "Make room on the disk, then try again.") from error


@router.delete("/uploads/{upload_id}", status_code=http.HTTP_204_NO_CONTENT)
def forget_upload(parts: PartsOf, upload_id: UploadId) -> None:
    """Give up an upload that was not brought in."""
    shutil.rmtree(_folder(parts, upload_id), ignore_errors=True)


@router.post("/projects/{project_id}/uploads/{upload_id}/import", response_model=JobRead, status_code=202)
def bring_in(
    session: SessionOf, project: ProjectOf, parts: PartsOf, upload_id: UploadId, body: UploadImport
) -> JobValue:
    """Read what was uploaded, as a job."""
    _folder(parts, upload_id)
    entry = create_import(session, project.id, body.source_name, upload_id)
    job_id = start_job(session, project.id, JobKind.IMPORT, f"Bring in {body.source_name}", entry.id)
    return get_job(session, job_id)


@router.get("/projects/{project_id}/imports", response_model=list[ImportRead])
def list_all(session: SessionOf, project: ProjectOf) -> Sequence[ImportValue]:
    """Imports, newest first, with what they found."""
    return list_imports(session, project.id)
