"""Imports: a batch of pictures at a time, safe to repeat."""

import json
from collections.abc import Collection, Sequence
from dataclasses import dataclass
from typing import Any

from sqlalchemy import func, select, text, update
from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session, object_session

from vast_orchard.errors import ConflictError, MissingError
from vast_orchard.store.areas import area_id
from vast_orchard.store.classes import find_or_add_classes, revive_classes
from vast_orchard.store.database import among, among_contents, tell
from vast_orchard.store.fresh_rows import FreshAppearance, FreshPicture, new_picture_ids, write_fresh
from vast_orchard.store.schema import Action, Appearance, Import, ImportState, Job, JobKind, JobState, Picture
from vast_orchard.store.values import ArrivedPicture, ImportValue

__all__ = [
    "BatchResult",
    "add_batch",
    "choose_reading",
    "count_added",
    "create_import",
    "end_import",
    "get_import",
    "give_up_import",
    "holds_pictures",
    "known_contents",
    "list_imports",
    "set_place",
    "set_survey",
    "take_over_source",
    "take_turn",
]

# A number of our own for PostgreSQL's advisory locks.
_IMPORT_LOCK = 4_210


# The same file again is the same appearance; if it came with an import that was undone, it counts from now on. Within
# a batch no path comes twice, but one content may.
_ADD_APPEARANCES = text(
    "insert into appearance (import_id, picture_id, path, class_name, set_name, group_key)"
    " select :import, x.* from json_to_recordset(cast(:rows as json))"
    " as x (picture_id bigint, path text, class_name text, set_name text, group_key text)"
    " on conflict on constraint uq_appearance_picture_id_path do update set import_id = excluded.import_id,"
    " class_name = excluded.class_name, set_name = excluded.set_name, group_key = excluded.group_key"
    " where exists (select 1 from import i where i.id = appearance.import_id and i.undone_at is not null)"
)


@dataclass(frozen=True, kw_only=True)
class BatchResult:
    """What a batch changed."""

    added: int  # pictures new to the project
    two_labels: int  # pictures that now have two


def create_import(
    session: Session,
    project_id: int,
    source_name: str,
    location: str,
    *,
    kind: str = "upload",
    window: str = "",
    choice: dict[str, Any] | None = None,
) -> ImportValue:
    """A new import, not yet begun.

    Parameters
    ----------
    kind : {"upload", "folder", "bucket"}
    location : str
        The id of an upload, a path on the server, or a bucket and a prefix.
    choice : dict, optional
        The reading to propose first.

    Raises
    ------
    ConflictError
        Another import has this upload.
    """
    row = Import(
        choice=choice,
        project_id=project_id,
        source_name=source_name,
        location=location,
        source_kind=kind,
        window=window,
    )
    try:
        with session.begin_nested():
            session.add(row)
    except IntegrityError as error:
        raise ConflictError("Another import has this upload already.", "Begin an upload of your own.") from error
    return _value(row)


def _under_way(session: Session, import_id: int) -> bool:
    """True while a job works on the import, or waits to."""
    active = Job.state.in_([JobState.WAITING, JobState.RUNNING]) & Job.kind.in_([JobKind.READ, JobKind.IMPORT])
    return bool(session.scalar(select(Job.id).where(Job.subject_id == import_id, active).limit(1)))


def _state(row: Import) -> str:
    """Its state; one whose job was stopped before it began, or died of a defect, can be decided on again."""
    session = object_session(row)
    if row.state == ImportState.IMPORTING and session is not None and not _under_way(session, row.id):
        return ImportState.PLANNED.value
    return row.state


def _value(row: Import) -> ImportValue:
    return ImportValue(
        id=row.id,
        project_id=row.project_id,
        source_name=row.source_name,
        source_kind=row.source_kind,
        location=row.location,
        state=_state(row),
        window=row.window,
        created_at=row.created_at,
        survey=row.survey,
        choice=row.choice,
        report=row.report,
        undone_at=row.undone_at,
    )


def _row(session: Session, import_id: int, *, locked: bool = False) -> Import:
    row = session.get(Import, import_id, with_for_update=locked)
    if row is None:
        raise MissingError(f"There is no import {import_id}.", "Open the project again.")
    return row


def get_import(session: Session, import_id: int) -> ImportValue:
    """One import.

    Raises
    ------
    MissingError
    """
    return _value(_row(session, import_id))


def list_imports(session: Session, project_id: int) -> Sequence[ImportValue]:
    """A project's imports, newest first."""
    rows = session.scalars(select(Import).where(Import.project_id == project_id).order_by(Import.id.desc()))
    return [_value(row) for row in rows]


def set_place(session: Session, import_id: int, *, location: str, kind: str) -> ImportValue:
    """Store where a source lies now."""
    row = _row(session, import_id, locked=True)
    row.location, row.source_kind = location, kind
    return _value(row)


def set_survey(session: Session, import_id: int, survey: dict[str, Any]) -> None:
    """Store what a source holds; from here on there is a plan to decide on."""
    row = _row(session, import_id, locked=True)
    row.survey = survey
    if row.state == ImportState.READING:
        row.state = ImportState.PLANNED.value
    tell(session, "imports", row.project_id)


def choose_reading(session: Session, import_id: int, choice: dict[str, Any]) -> ImportValue:
    """Decide on a plan: from here on it is brought in.

    Raises
    ------
    ConflictError
        It is still being read, or was decided on in another window.
    """
    row = _row(session, import_id, locked=True)
    if row.state == ImportState.READING:
        raise ConflictError(f"{row.source_name} is still being read.", "Wait for its plan.")
    if _state(row) != ImportState.PLANNED:
        raise ConflictError(f"{row.source_name} was decided on already.", "See what came of it.")
    row.choice, row.state = choice, ImportState.IMPORTING.value
    tell(session, "imports", row.project_id)
    return _value(row)


def give_up_import(session: Session, import_id: int) -> ImportValue:
    """Forget an import of which nothing was stored, or what is left of one.

    Raises
    ------
    ConflictError
        It is being brought in.
    """
    row = _row(session, import_id, locked=True)
    value = _value(row)
    if _under_way(session, import_id):
        raise ConflictError(f"{row.source_name} is being read or brought in.", "Stop it in the tray first.")
    if row.report is None:
        session.delete(row)
    else:
        # Part of it is here, or it has left something out: only the rest is given up.
        row.state, row.location = ImportState.DONE.value, ""
    tell(session, "imports", row.project_id)
    return value


def take_over_source(session: Session, import_id: int, window: str) -> ImportValue:
    """A new import of the same source, for what an earlier one left out of it.

    Raises
    ------
    ConflictError
        It left nothing out, or its files are gone.
    """
    row = _row(session, import_id, locked=True)
    if row.state != ImportState.DONE or not row.location or not (row.report or {}).get("left_out"):
        raise ConflictError(f"{row.source_name} left nothing out that is still here.", "Bring the source in again.")
    location, row.location = row.location, ""
    session.flush()  # an upload has one import at a time
    return create_import(session, row.project_id, row.source_name, location, kind=row.source_kind, window=window)


def end_import(
    session: Session,
    import_id: int,
    report: dict[str, Any],
    *,
    new_classes: Sequence[int],
    over: bool,
) -> None:
    """Store what an import did, as an action that can be taken back.

    Parameters
    ----------
    over : bool
        False: it was stopped or failed, and what is left of its plan waits for a decision again.
    """
    row = _row(session, import_id, locked=True)
    row.report, row.state = report, (ImportState.DONE if over else ImportState.PLANNED).value
    held = select(Appearance.id).where(Appearance.import_id == import_id).limit(1)
    recorded = select(Action.id).where(
        Action.project_id == row.project_id, Action.kind == "import", Action.detail["import"].as_integer() == import_id
    )
    if session.scalar(held) and not session.scalar(recorded):
        session.add(
            Action(
                project_id=row.project_id,
                window=row.window,
                kind="import",
                summary=f"{row.source_name} brought in",
                detail={"import": import_id, "classes": list(new_classes)},
            )
        )
        tell(session, "actions", row.project_id)
    tell(session, "imports", row.project_id)
    tell(session, "pictures", row.project_id)


def count_added(session: Session, import_id: int) -> int:
    """Pictures that are in the project because of this import."""
    return session.scalar(select(func.count()).select_from(Picture).where(Picture.import_id == import_id)) or 0


def holds_pictures(session: Session, project_id: int) -> bool:
    """Whether a project holds any picture, not counting its bin."""
    held = select(Picture.id).where(Picture.project_id == project_id, Picture.deleted_at.is_(None)).limit(1)
    return session.scalar(held) is not None


def known_contents(session: Session, project_id: int, sha256s: Collection[str]) -> set[str]:
    """Those of the contents that the project holds, not counting its bin."""
    found = select(Picture.sha256).where(
        Picture.project_id == project_id, Picture.deleted_at.is_(None), among_contents(Picture.sha256, sha256s)
    )
    return set(session.scalars(found))


def take_turn(session: Session, project_id: int) -> None:
    """Wait until no other import records pictures of this project; holds until the transaction ends.

    Taken before anything else is locked, so that two imports cannot wait for each other in a circle.
    """
    session.execute(select(func.pg_advisory_xact_lock(_IMPORT_LOCK, project_id)))


def add_batch(session: Session, import_id: int, project_id: int, batch: Sequence[ArrivedPicture]) -> BatchResult:
    """Record pictures and their appearances; what is there already stays as it is.

    A content's first label stands. If a later file of the same content is under another class, the picture is marked
    as having two labels.
    """
    if not batch:
        return BatchResult(added=0, two_labels=0)
    take_turn(session, project_id)
    classes = find_or_add_classes(session, project_id, (arrived.class_name for arrived in batch if arrived.class_name))
    before = _here_already(session, import_id, project_id, {arrived.sha256 for arrived in batch})
    fresh: dict[str, ArrivedPicture] = {}  # of one content the first file counts
    for arrived in batch:
        if arrived.sha256 not in before:
            fresh.setdefault(arrived.sha256, arrived)
    ids = before | dict(zip(fresh, new_picture_ids(session, len(fresh)), strict=True))
    named = [classes[arrived.class_name] if arrived.class_name else None for arrived in batch]
    # A picture that is new has no label from before; asking for all would go through every appearance there is.
    labels = _labels_so_far(session, list(before.values()))
    two: set[int] = set()
    for arrived, entry in zip(batch, named, strict=True):
        if entry:
            so_far = labels.setdefault(ids[arrived.sha256], set())
            if so_far - {entry.name.lower()}:
                two.add(ids[arrived.sha256])
            so_far.add(entry.name.lower())
    told = {arrived.area for arrived in fresh.values() if arrived.area}
    areas = {area: area_id(session, project_id, json.loads(area)) for area in told}
    write_fresh(
        session,
        project_id,
        import_id,
        [
            FreshPicture(
                id=ids[sha256],
                class_id=classes[arrived.class_name].id if arrived.class_name else None,
                two_labels=ids[sha256] in two,
                area_id=areas.get(arrived.area),
                arrived=arrived,
            )
            for sha256, arrived in fresh.items()
        ],
        [
            FreshAppearance(picture_id=ids[arrived.sha256], class_name=entry.name if entry else None, arrived=arrived)
            for arrived, entry in zip(batch, named, strict=True)
            if arrived.sha256 in fresh
        ],
    )
    again = [
        {
            "picture_id": before[arrived.sha256],
            "path": arrived.path,
            "class_name": entry.name if entry else None,
            "set_name": arrived.set_name,
            "group_key": arrived.group_key,
        }
        for arrived, entry in zip(batch, named, strict=True)
        if arrived.sha256 in before
    ]
    if again:
        session.execute(_ADD_APPEARANCES, {"import": import_id, "rows": json.dumps(again)})
    two_before = list(two.intersection(before.values()))
    marked = update(Picture).where(among(Picture.id, two_before), Picture.two_labels.is_(False)).values(two_labels=True)
    two_labels = len(two) - len(two_before)
    two_labels += len(session.execute(marked.returning(Picture.id)).all()) if two_before else 0
    tell(session, "pictures", project_id)
    return BatchResult(added=len(fresh), two_labels=two_labels)


def _here_already(session: Session, import_id: int, project_id: int, sha256s: Collection[str]) -> dict[str, int]:
    """Those of the contents that the project holds, with their ids; what lies in the bin is here again, as it was."""
    found = session.execute(
        select(Picture.sha256, Picture.id, Picture.deleted_at.is_not(None)).where(
            Picture.project_id == project_id, among_contents(Picture.sha256, sha256s)
        )
    ).all()
    binned = [picture for _, picture, lies_in_bin in found if lies_in_bin]
    if binned:
        session.execute(update(Picture).where(among(Picture.id, binned)).values(deleted_at=None, import_id=import_id))
        revive_classes(session, project_id)
    return {sha256: picture for sha256, picture, _ in found}


def _labels_so_far(session: Session, picture_ids: Sequence[int]) -> dict[int, set[str]]:
    """The labels, in small letters, under which each picture came in until now."""
    found: dict[int, set[str]] = {}
    if not picture_ids:
        return found
    rows = session.execute(
        select(Appearance.picture_id, func.lower(Appearance.class_name))
        .join(Import, Import.id == Appearance.import_id)
        .where(
            among(Appearance.picture_id, picture_ids), Appearance.class_name.is_not(None), Import.undone_at.is_(None)
        )
    )
    for picture_id, name in rows:
        found.setdefault(picture_id, set()).add(name)
    return found
