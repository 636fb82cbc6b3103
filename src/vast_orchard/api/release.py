"""Trying, exporting and downloading over HTTP."""

import datetime as dt
from collections.abc import Sequence
from typing import Annotated, Any

from fastapi import APIRouter, Form, Path, Response, UploadFile
from fastapi import status as http

from vast_orchard.api.dependencies import LARGEST_ID, ModelOf, PartsOf, SessionOf
from vast_orchard.api.schemas.models import AnswerRead, ExportCreate, ExportRead, FormRead
from vast_orchard.api.schemas.trying import (
    BucketPicturesRequest,
    PictureToTryRead,
    SiftedToTryRead,
    SiftedToTryRequest,
    TableClassesRead,
    WebPictureRequest,
)
from vast_orchard.at_once.forms import list_forms
from vast_orchard.errors import ConflictError, InputError
from vast_orchard.jobs.queue import start_job
from vast_orchard.jobs.telling.outgoing import allowed_hosts, fetch
from vast_orchard.store import exports
from vast_orchard.store.classes import list_classes
from vast_orchard.store.field import sifted_pictures
from vast_orchard.store.field_scope import scope_of
from vast_orchard.store.models import get_model
from vast_orchard.store.projects import get_project
from vast_orchard.store.runs import get_run
from vast_orchard.store.schema import JobKind
from vast_orchard.store.snapshots import tested_pictures
from vast_orchard.store.values import ExportValue
from vast_orchard.types import ExportForm

__all__ = ["router"]

router = APIRouter(prefix="/api", tags=["release"])

# A try is answered while the person waits; more than this belongs into an import.
_MOST_FILES = 64
_MOST_PATHS, _LARGEST_TABLE = 20_000, 8_000_000


@router.post("/models/{model_id}/try", response_model=list[AnswerRead])
def try_pictures(session: SessionOf, model: ModelOf, parts: PartsOf, files: list[UploadFile]) -> list[dict[str, Any]]:
    """What a model says of picture files, as it is and with its temperature; nothing is stored."""
    if len(files) > _MOST_FILES:
        raise InputError(f"{len(files)} pictures at once are too many.", f"Try at most {_MOST_FILES}.")
    session.commit()  # the connection is free while the pictures are looked at
    limit = parts.settings.picture_limit_mb * 2**20 + 1
    contents = [(file.filename or "picture", file.file.read(limit)) for file in files]
    answers: list[dict[str, Any]] = parts.quick.run(
        "answer", model_path=model.weights_path, files=contents, temperature=model.temperature or 1.0
    )
    return [{**answer, "run": model.run_number, "digest": model.digest} for answer in answers]


@router.post("/web-pictures", response_class=Response)
def web_picture(parts: PartsOf, body: WebPictureRequest) -> Response:
    """The file at a web address, to be tried; nothing is stored. Hosts that are not public are refused."""
    settings = parts.settings
    found = fetch(
        body.address,
        allowed=allowed_hosts(settings.outgoing_allowed),
        limit_bytes=settings.picture_limit_mb * 2**20,
    )
    # Never as what it says it is: a page of somebody else must not run as one of ours.
    return Response(found, media_type="application/octet-stream", headers={"Content-Disposition": "attachment"})


@router.post("/bucket-pictures", response_class=Response)
def bucket_pictures(parts: PartsOf, body: BucketPicturesRequest) -> Response:
    """What lies in a bucket, as a zip, to be tried; neither it nor the key is stored."""
    found: bytes = parts.quick.run(
        "bucket_to_try", location=body.location, key=body.key, secret=body.secret.get_secret_value()
    )
    return Response(found, media_type="application/zip", headers={"Content-Disposition": "attachment"})


@router.post("/models/{model_id}/sifted-to-try", response_model=SiftedToTryRead)
def sifted_to_try(session: SessionOf, model: ModelOf, body: SiftedToTryRequest) -> SiftedToTryRead:
    """Pictures of the project that a Sift lets through, but for those of the model's test set."""
    run = get_run(session, model.run_id or 0)
    scope = scope_of(session, model.project_id, split_id=run.split_id, run_id=model.run_id, now=dt.datetime.now(dt.UTC))
    names = {entry.id: entry.name for entry in list_classes(session, model.project_id)}
    found = sifted_pictures(session, scope, body.sift, 0, body.limit + 1)
    tested = tested_pictures(session, model.snapshot_id or 0, [picture.id for picture in found])
    return SiftedToTryRead(
        pictures=[
            PictureToTryRead(name=picture.name, sha256=picture.sha256, class_name=names.get(picture.class_id or 0))
            for picture in found[: body.limit]
            if picture.id not in tested
        ],
        left_out=len(tested),
        more=len(found) > body.limit,
    )


@router.post("/label-table", response_model=TableClassesRead)
def label_table(parts: PartsOf, file: UploadFile, paths: Annotated[str, Form(max_length=2_000_000)]) -> dict[str, Any]:
    """The classes that a table says of files, whose paths come a line each; nothing is stored."""
    listed = [path for path in paths.splitlines() if path][:_MOST_PATHS]
    data = file.file.read(_LARGEST_TABLE + 1)
    name = file.filename or "the table"
    if len(data) > _LARGEST_TABLE:
        raise InputError(f"{name} is larger than {_LARGEST_TABLE / 1e6:.0f} MB.", "Send a smaller table.")
    found: dict[str, Any] = parts.quick.run("classes_from_table", name=name, data=data, paths=listed)
    return found


@router.get("/forms", response_model=list[FormRead])
def forms() -> list[dict[str, Any]]:
    """The forms in which a model is handed over, and what each is for."""
    return list_forms()


@router.get("/models/{model_id}/exports", response_model=list[ExportRead])
def list_exports(session: SessionOf, model: ModelOf) -> Sequence[ExportValue]:
    """What was made of a model to hand over, newest first."""
    return exports.list_exports(session, model.id)


@router.post("/models/{model_id}/exports", response_model=ExportRead, status_code=http.HTTP_202_ACCEPTED)
def create_export(session: SessionOf, model: ModelOf, body: ExportCreate | None = None) -> ExportValue:
    """Make and prove a form of the model, as a job."""
    model.check_weights()  # said at once, and not by the job
    asked = body or ExportCreate.model_validate({})
    entry = exports.create_export(session, model.project_id, model.id, calibrated=asked.calibrated, form=asked.form)
    start_job(session, model.project_id, JobKind.EXPORT, f"Export run {model.run_number} as {asked.form}", entry.id)
    return exports.get_export(session, entry.id)


@router.get("/exports/{export_id}/file", response_class=Response)
def download(session: SessionOf, parts: PartsOf, export_id: Annotated[int, Path(ge=1, le=LARGEST_ID)]) -> Response:
    """The proven file."""
    entry = exports.get_export(session, export_id)
    model = get_model(session, entry.model_id)
    project = get_project(session, entry.project_id)
    if entry.path is None:
        raise ConflictError("This export is not proven yet.", "Wait for its job; failed ones say why in the tray.")
    plain = "".join(c if c.isascii() and c.isalnum() else "-" for c in project.name).strip("-") or "model"
    ending = entry.path.rpartition(".")[2]
    what = "" if entry.form == ExportForm.PACK else f"-{entry.form}"
    name = f"{plain.lower()}-run-{model.run_number}{what}.{ending}"
    return Response(
        parts.store.read(entry.path),
        # A page too is a file to keep: here, beside the application, it is not to run.
        media_type="application/zip" if ending == "zip" else "application/octet-stream",
        headers={"Content-Disposition": f'attachment; filename="{name}"'},
    )
