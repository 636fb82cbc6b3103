"""What is handed over: asked for, then proven."""

from collections.abc import Mapping, Sequence
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from vast_orchard.errors import MissingError
from vast_orchard.store.database import tell
from vast_orchard.store.jobs import job_of
from vast_orchard.store.schema import Export, JobKind, JobState
from vast_orchard.store.values import ExportValue, ModelValue
from vast_orchard.types import ExportForm

__all__ = ["create_export", "finish_export", "get_export", "list_exports"]


def _value(session: Session, row: Export) -> ExportValue:
    job = job_of(session, JobKind.EXPORT, row.id)
    return ExportValue(
        id=row.id,
        project_id=row.project_id,
        model_id=row.model_id,
        epoch=row.epoch,
        digest=row.digest,
        created_at=row.created_at,
        path=row.path,
        size_bytes=row.size_bytes,
        proof=row.proof,
        calibrated=row.calibrated,
        form=row.form,
        state=job.state if job else JobState.WAITING.value,
        error=job.error if job else None,
    )


def create_export(
    session: Session, project_id: int, model_id: int, *, calibrated: bool, form: ExportForm = ExportForm.PACK
) -> ExportValue:
    """A form that is wanted."""
    row = Export(project_id=project_id, model_id=model_id, calibrated=calibrated, form=form.value)
    session.add(row)
    session.flush()
    return _value(session, row)


def get_export(session: Session, export_id: int) -> ExportValue:
    """One export.

    Raises
    ------
    MissingError
    """
    row = session.get(Export, export_id)
    if row is None:
        raise MissingError(f"There is no export {export_id}.", "Make one on the Release page.")
    return _value(session, row)


def list_exports(session: Session, model_id: int) -> Sequence[ExportValue]:
    """A model's exports, newest first."""
    rows = session.scalars(select(Export).where(Export.model_id == model_id).order_by(Export.id.desc()))
    return [_value(session, row) for row in rows]


def finish_export(
    session: Session, export_id: int, model: ModelValue, path: str, size_bytes: int, proof: Mapping[str, Any]
) -> None:
    """Store where the proven pack lies, and which state of the model is in it."""
    row = session.get(Export, export_id)
    if row is not None:
        row.path, row.size_bytes, row.proof = path, size_bytes, dict(proof)
        row.epoch, row.digest = model.epoch, model.digest
        tell(session, "exports", row.project_id, model=row.model_id)
