"""Which uploads imports have: an upload is named by its id, and has one import at a time."""

from sqlalchemy import select
from sqlalchemy.orm import Session

from vast_orchard.errors import ConflictError
from vast_orchard.store.schema import Import

__all__ = ["check_upload_free", "uploads_in_use"]


def check_upload_free(session: Session, upload_id: str) -> None:
    """Make sure that no import has taken an upload.

    Raises
    ------
    ConflictError
        One has, of this project or another.
    """
    taken = select(Import.id).where(Import.source_kind == "upload", Import.location == upload_id)
    if session.scalar(taken) is not None:
        raise ConflictError("This upload is being brought in already.", "See what comes of it, or begin another.")


def uploads_in_use(session: Session) -> set[str]:
    """The uploads that some import still needs."""
    return set(session.scalars(select(Import.location).where(Import.source_kind == "upload", Import.location != "")))
