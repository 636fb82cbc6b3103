"""Trying, exporting and downloading over HTTP."""

from collections.abc import Sequence
from typing import Annotated, Any

from fastapi import APIRouter, Path, Response, UploadFile
from fastapi import status as http

from vast_orchard.api.dependencies import LARGEST_ID, PartsOf, RunOf, SessionOf
from vast_orchard.api.run_schemas import AnswerRead, ExportRead
from vast_orchard.errors import ConflictError, InputError
from vast_orchard.jobs.queue import start_job
from vast_orchard.store import exports
from vast_orchard.store.projects import get_project
from vast_orchard.store.runs import checkpoint_path, get_run
from vast_orchard.store.schema import JobKind
from vast_orchard.store.values import ExportValue

__all__ = ["router"]

router = APIRouter(prefix="/api", tags=["release"])

# A try is answered while the person waits; more than this belongs into an import.
_MOST_FILES = 64


@router.post("/runs/{run_id}/try", response_model=list[AnswerRead])
def try_pictures(session: SessionOf, run: RunOf, parts: PartsOf, files: list[UploadFile]) -> list[dict[str, Any]]:
    """What the kept state says of picture files; nothing is stored."""
    if len(files) > _MOST_FILES:
        raise InputError(f"{len(files)} pictures at once are too many.", f"Try at most {_MOST_FILES}.")
    path = checkpoint_path(session, run.id, "kept")
    if path is None:
        raise ConflictError(f"Run {run.number} has kept nothing yet.", "Wait for its first epoch.")
    session.commit()  # the connection is free while the pictures are looked at
    limit = parts.settings.picture_limit_mb * 2**20 + 1
    contents = [(file.filename or "picture", file.file.read(limit)) for file in files]
    answers: list[dict[str, Any]] = parts.quick.run("answer", model_path=path, files=contents)
    return answers


@router.get("/runs/{run_id}/exports", response_model=list[ExportRead])
def list_exports(session: SessionOf, run: RunOf) -> Sequence[ExportValue]:
    """A run's packs, newest first."""
    return exports.list_exports(session, run.id)


@router.post("/runs/{run_id}/exports", response_model=ExportRead, status_code=http.HTTP_202_ACCEPTED)
def create_export(session: SessionOf, run: RunOf) -> ExportValue:
    """Make and prove a pack, as a job."""
    if run.kept_epoch is None:
        raise ConflictError(f"Run {run.number} has kept nothing yet.", "Wait for its first epoch.")
    entry = exports.create_export(session, run.project_id, run.id)
    start_job(session, run.project_id, JobKind.EXPORT, f"Export run {run.number}", entry.id)
    return exports.get_export(session, entry.id)


@router.get("/exports/{export_id}/file", response_class=Response)
def download(session: SessionOf, parts: PartsOf, export_id: Annotated[int, Path(ge=1, le=LARGEST_ID)]) -> Response:
    """The proven zip."""
    entry = exports.get_export(session, export_id)
    run = get_run(session, entry.run_id)
    project = get_project(session, entry.project_id)
    if entry.path is None:
        raise ConflictError("This export is not proven yet.", "Wait for its job; failed ones say why in the tray.")
    plain = "".join(c if c.isascii() and c.isalnum() else "-" for c in project.name).strip("-") or "model"
    name = f"{plain.lower()}-run-{run.number}.zip"
    return Response(
        parts.store.read(entry.path),
        media_type="application/zip",
        headers={"Content-Disposition": f'attachment; filename="{name}"'},
    )
