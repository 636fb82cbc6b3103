"""Imports: a batch of pictures at a time, safe to repeat."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from sqlalchemy import func, select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from vast_orchard.errors import MissingError
from vast_orchard.store.classes import find_or_add_class
from vast_orchard.store.database import tell
from vast_orchard.store.schema import Appearance, Import, Picture
from vast_orchard.store.values import ImportValue

__all__ = ["ArrivedPicture", "BatchResult", "add_batch", "create_import", "get_import", "list_imports", "set_report"]


@dataclass(frozen=True, kw_only=True)
class ArrivedPicture:
    """A picture file that was read and stored."""

    sha256: str
    path: str
    name: str
    class_name: str | None
    set_name: str | None
    width: int
    height: int
    mode: str
    format: str
    size_bytes: int


@dataclass(frozen=True, kw_only=True)
class BatchResult:
    """What a batch changed."""

    added: int  # pictures new to the project
    two_labels: int  # pictures that now have two


def create_import(session: Session, project_id: int, source_name: str, location: str) -> ImportValue:
    """A new import, not yet begun."""
    row = Import(project_id=project_id, source_name=source_name, location=location)
    session.add(row)
    session.flush()
    return _value(row)


def _value(row: Import) -> ImportValue:
    return ImportValue(
        id=row.id,
        project_id=row.project_id,
        source_name=row.source_name,
        location=row.location,
        created_at=row.created_at,
        report=row.report,
    )


def get_import(session: Session, import_id: int) -> ImportValue:
    """One import.

    Raises
    ------
    MissingError
    """
    row = session.get(Import, import_id)
    if row is None:
        raise MissingError(f"There is no import {import_id}.", "Open the project again.")
    return _value(row)


def list_imports(session: Session, project_id: int) -> Sequence[ImportValue]:
    """A project's imports, newest first."""
    rows = session.scalars(select(Import).where(Import.project_id == project_id).order_by(Import.id.desc()))
    return [_value(row) for row in rows]


def set_report(session: Session, import_id: int, report: dict[str, Any]) -> None:
    """Store what an import found."""
    row = session.get(Import, import_id)
    if row is not None:
        row.report = report
        tell(session, "pictures", row.project_id)


def add_batch(session: Session, import_id: int, project_id: int, batch: Sequence[ArrivedPicture]) -> BatchResult:
    """Record pictures and their appearances; what is there already stays as it is.

    A content's first label stands. If a later file of the same content is under another class, the picture is marked
    as having two labels.
    """
    added, two_labels = 0, 0
    for arrived in batch:
        named = find_or_add_class(session, project_id, arrived.class_name) if arrived.class_name else None
        picture_id = session.scalar(
            insert(Picture)
            .values(
                project_id=project_id,
                sha256=arrived.sha256,
                name=arrived.name,
                class_id=named.id if named else None,
                two_labels=False,
                width=arrived.width,
                height=arrived.height,
                mode=arrived.mode,
                format=arrived.format,
                size_bytes=arrived.size_bytes,
            )
            .on_conflict_do_nothing(constraint="uq_picture_project_id_sha256")
            .returning(Picture.id)
        )
        if picture_id is not None:
            added += 1
        else:
            row = session.scalars(
                select(Picture).where(Picture.project_id == project_id, Picture.sha256 == arrived.sha256)
            ).one()
            picture_id = row.id
            if named and not row.two_labels and _other_label(session, row.id, named.name):
                row.two_labels = True
                two_labels += 1
        session.execute(
            insert(Appearance)
            .values(
                picture_id=picture_id,
                import_id=import_id,
                path=arrived.path,
                class_name=named.name if named else None,
                set_name=arrived.set_name,
            )
            .on_conflict_do_nothing(constraint="uq_appearance_picture_id_path")
        )
    tell(session, "pictures", project_id)
    return BatchResult(added=added, two_labels=two_labels)


def _other_label(session: Session, picture_id: int, name: str) -> bool:
    return bool(
        session.scalar(
            select(func.count())
            .select_from(Appearance)
            .where(
                Appearance.picture_id == picture_id,
                Appearance.class_name.is_not(None),
                func.lower(Appearance.class_name) != func.lower(name),
            )
        )
    )
