"""What was asked to be taken out."""

from collections.abc import Mapping, Sequence
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from vast_orchard.errors import MissingError
from vast_orchard.store.database import tell
from vast_orchard.store.jobs import job_of
from vast_orchard.store.schema import JobKind, JobState, Parcel
from vast_orchard.store.values import ParcelValue

__all__ = ["create_parcel", "delete_parcel", "finish_parcel", "get_parcel", "list_parcels"]


def _value(session: Session, row: Parcel) -> ParcelValue:
    job = job_of(session, JobKind.TAKE_OUT, row.id)
    return ParcelValue(
        id=row.id,
        project_id=row.project_id,
        kind=row.kind,
        options=row.options,
        name=row.name,
        created_at=row.created_at,
        size_bytes=row.size_bytes,
        pictures=row.pictures,
        state=job.state if job else JobState.WAITING.value,
        error=job.error if job else None,
    )


def create_parcel(session: Session, project_id: int, kind: str, name: str, options: Mapping[str, Any]) -> ParcelValue:
    """A parcel that is wanted.

    Parameters
    ----------
    kind : {"collection", "project"}
    name : str
        Of the file, as it is downloaded.
    """
    row = Parcel(project_id=project_id, kind=kind, name=name, options=dict(options))
    session.add(row)
    session.flush()
    tell(session, "parcels", project_id)
    return _value(session, row)


def _row(session: Session, parcel_id: int) -> Parcel:
    row = session.get(Parcel, parcel_id)
    if row is None:
        raise MissingError(f"There is no parcel {parcel_id}.", "Take the collection out again.")
    return row


def get_parcel(session: Session, parcel_id: int) -> ParcelValue:
    """One parcel.

    Raises
    ------
    MissingError
    """
    return _value(session, _row(session, parcel_id))


def list_parcels(session: Session, project_id: int) -> Sequence[ParcelValue]:
    """A project's parcels, newest first."""
    rows = session.scalars(select(Parcel).where(Parcel.project_id == project_id).order_by(Parcel.id.desc()))
    return [_value(session, row) for row in rows]


def finish_parcel(session: Session, parcel_id: int, size_bytes: int, pictures: int) -> None:
    """It is there now."""
    row = _row(session, parcel_id)
    row.size_bytes, row.pictures = size_bytes, pictures
    tell(session, "parcels", row.project_id)


def delete_parcel(session: Session, parcel_id: int) -> None:
    """Forget a parcel; its file is removed by whoever asked."""
    row = _row(session, parcel_id)
    tell(session, "parcels", row.project_id)
    session.delete(row)
