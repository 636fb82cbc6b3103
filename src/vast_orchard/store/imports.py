"""Imports: a batch of pictures at a time, safe to repeat."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from sqlalchemy import func, select, update
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from vast_orchard.errors import MissingError
from vast_orchard.store.classes import find_or_add_class
from vast_orchard.store.database import tell
from vast_orchard.store.schema import Appearance, Import, Picture
from vast_orchard.store.values import ImportValue

__all__ = ["ArrivedPicture", "BatchResult", "add_batch", "create_import", "get_import", "list_imports", "set_report"]


# A number of our own for PostgreSQL's advisory locks.
_IMPORT_LOCK = 4_210


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
    if not batch:
        return BatchResult(added=0, two_labels=0)
    # Two imports into one project take turns, so that they cannot wait for each other's pictures in a circle.
    session.execute(select(func.pg_advisory_xact_lock(_IMPORT_LOCK, project_id)))
    names = dict.fromkeys(arrived.class_name for arrived in batch if arrived.class_name)
    classes = {name: find_or_add_class(session, project_id, name) for name in names}
    added = _add_pictures(session, project_id, batch, {name: entry.id for name, entry in classes.items()})
    found = session.execute(
        select(Picture.sha256, Picture.id).where(
            Picture.project_id == project_id, Picture.sha256.in_({arrived.sha256 for arrived in batch})
        )
    )
    ids = {row.sha256: row.id for row in found}
    labels = _labels_so_far(session, list(ids.values()))
    two: set[int] = set()
    rows = []
    for arrived in batch:
        picture_id, named = ids[arrived.sha256], classes[arrived.class_name] if arrived.class_name else None
        if named:
            before = labels.setdefault(picture_id, set())
            if before - {named.name.lower()}:
                two.add(picture_id)
            before.add(named.name.lower())
        rows.append(
            {
                "picture_id": picture_id,
                "import_id": import_id,
                "path": arrived.path,
                "class_name": named.name if named else None,
                "set_name": arrived.set_name,
            }
        )
    session.execute(insert(Appearance).on_conflict_do_nothing(constraint="uq_appearance_picture_id_path"), rows)
    fresh = update(Picture).where(Picture.id.in_(two), Picture.two_labels.is_(False)).values(two_labels=True)
    two_labels = len(session.execute(fresh.returning(Picture.id)).all())
    tell(session, "pictures", project_id)
    return BatchResult(added=added, two_labels=two_labels)


def _add_pictures(
    session: Session, project_id: int, batch: Sequence[ArrivedPicture], classes: Mapping[str, int]
) -> int:
    """How many contents were new; of one content the first file counts."""
    first: dict[str, ArrivedPicture] = {}
    for arrived in batch:
        first.setdefault(arrived.sha256, arrived)
    rows = [
        {
            "project_id": project_id,
            "sha256": sha256,
            "name": arrived.name,
            "class_id": classes[arrived.class_name] if arrived.class_name else None,
            "two_labels": False,
            "width": arrived.width,
            "height": arrived.height,
            "mode": arrived.mode,
            "format": arrived.format,
            "size_bytes": arrived.size_bytes,
        }
        for sha256, arrived in first.items()
    ]
    statement = insert(Picture).on_conflict_do_nothing(constraint="uq_picture_project_id_sha256").returning(Picture.id)
    return len(session.execute(statement, rows).all())


def _labels_so_far(session: Session, picture_ids: Sequence[int]) -> dict[int, set[str]]:
    """The labels, in small letters, under which each picture came in until now."""
    found: dict[int, set[str]] = {}
    rows = session.execute(
        select(Appearance.picture_id, func.lower(Appearance.class_name)).where(
            Appearance.picture_id.in_(picture_ids), Appearance.class_name.is_not(None)
        )
    )
    for picture_id, name in rows:
        found.setdefault(picture_id, set()).add(name)
    return found
