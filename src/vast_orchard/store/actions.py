"""What people do to pictures and classes: append-only, with undo by window."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any, NamedTuple

from sqlalchemy import ColumnElement, func, insert, select, text, update
from sqlalchemy.orm import Session, aliased

from vast_orchard.errors import ConflictError, MissingError
from vast_orchard.store.classes import add_class, class_row, rename_class_row, revive_classes
from vast_orchard.store.database import among, tell
from vast_orchard.store.schema import Action, ActionChange, Class, Import, Picture
from vast_orchard.store.values import ActionValue, UndoResult

__all__ = [
    "bin_pictures",
    "create_class",
    "label_pictures",
    "list_actions",
    "rename_class",
    "set_note",
    "undo",
]


def _record(session: Session, project_id: int, window: str, kind: str, summary: str, **more: object) -> Action:
    action = Action(project_id=project_id, window=window, kind=kind, summary=summary, **more)
    session.add(action)
    session.flush()
    tell(session, "actions", project_id, action=action.id)
    return action


def _pictures_said(count: int) -> str:
    return "1 picture" if count == 1 else f"{count} pictures"


def label_pictures(
    session: Session, project_id: int, window: str, picture_ids: Sequence[int], class_id: int | None
) -> ActionValue:
    """Give pictures a label, or take it away.

    Raises
    ------
    MissingError
        A picture or the class is not in the project; nothing is changed then.
    """
    name = class_row(session, project_id, class_id).name if class_id is not None else "unlabelled"
    wanted = sorted(set(picture_ids))
    rows = session.execute(
        select(Picture.id, Picture.class_id)
        .where(Picture.project_id == project_id, Picture.deleted_at.is_(None), among(Picture.id, wanted))
        .order_by(Picture.id)
        .with_for_update()
    ).all()
    if not rows or len(rows) != len(wanted):
        raise MissingError(
            f"{len(wanted) - len(rows)} of {len(wanted)} pictures are not in this project.",
            "Reload and choose again.",
        )
    changed = [(picture, before) for picture, before in rows if before != class_id]
    action = _record(session, project_id, window, "label", f"{_pictures_said(len(changed))} labelled {name}")
    _apply(session, action.id, [_Change(picture, "class", before, class_id) for picture, before in changed])
    return _value(action)


class _Change(NamedTuple):
    """One fact of one picture, before and after."""

    picture_id: int
    fact: str  # class, note, binned
    before: Any
    after: Any


def _apply(session: Session, action_id: int, changes: Sequence[_Change]) -> None:
    """Note the changes under their action, and make them."""
    by_fact: dict[str, list[_Change]] = {}
    for change in changes:
        by_fact.setdefault(change.fact, []).append(change)
    for fact, members in by_fact.items():
        rows = [
            {"action_id": action_id, "picture_id": x.picture_id, f"{fact}_before": x.before, f"{fact}_after": x.after}
            for x in members
        ]
        session.execute(insert(ActionChange), rows)
        by_value: dict[Any, list[int]] = {}
        for x in members:
            by_value.setdefault(x.after, []).append(x.picture_id)
        for value, pictures in by_value.items():
            session.execute(update(Picture).where(among(Picture.id, pictures)).values(_FACTS[fact].written(value)))


@dataclass(frozen=True)
class _Fact:
    """How a fact of pictures is read and written."""

    now: ColumnElement[Any]
    written: Callable[[Any], dict[str, Any]]


_FACTS = {
    "class": _Fact(Picture.class_id.expression, lambda value: {"class_id": value}),
    "note": _Fact(Picture.note.expression, lambda value: {"note": value}),
    "binned": _Fact(Picture.deleted_at.is_not(None), lambda value: {"deleted_at": func.now() if value else None}),
}


def set_note(session: Session, project_id: int, window: str, picture_id: int, note: str) -> ActionValue:
    """Write a picture's note anew; an empty one takes it away.

    Raises
    ------
    MissingError
    """
    row = session.scalar(
        select(Picture)
        .where(Picture.project_id == project_id, Picture.id == picture_id, Picture.deleted_at.is_(None))
        .with_for_update()
    )
    if row is None:
        raise MissingError(f"There is no picture {picture_id} in this project.", "Reload and choose again.")
    action = _record(session, project_id, window, "note", f"Note on {row.name}")
    if row.note != note:
        _apply(session, action.id, [_Change(picture_id, "note", row.note, note)])
    return _value(action)


def bin_pictures(
    session: Session, project_id: int, window: str, picture_ids: Sequence[int], *, back: bool = False
) -> ActionValue:
    """Move pictures into the bin, or with `back` out of it; those that are there already are left.

    Raises
    ------
    MissingError
        A picture is not in the project; nothing is changed then.
    """
    wanted = sorted(set(picture_ids))
    rows = session.execute(
        select(Picture.id, Picture.deleted_at.is_not(None))
        .where(Picture.project_id == project_id, among(Picture.id, wanted))
        .order_by(Picture.id)
        .with_for_update()
    ).all()
    if not rows or len(rows) != len(wanted):
        raise MissingError(
            f"{len(wanted) - len(rows)} of {len(wanted)} pictures are not in this project.",
            "Reload and choose again; the bin may have been emptied.",
        )
    moved = [picture for picture, binned in rows if binned == back]
    words = "taken out of the bin" if back else "moved to the bin"
    action = _record(session, project_id, window, "restore" if back else "bin", f"{_pictures_said(len(moved))} {words}")
    _apply(session, action.id, [_Change(picture, "binned", back, not back) for picture in moved])
    if back:
        revive_classes(session, project_id)
    return _value(action)


def create_class(session: Session, project_id: int, window: str, name: str) -> Class:
    """A new class, as an action."""
    row = add_class(session, project_id, name)
    _record(session, project_id, window, "class_new", f"New class {row.name}", detail={"class": row.id})
    return row


def rename_class(session: Session, project_id: int, window: str, class_id: int, name: str) -> Class:
    """Another name for a class, as an action."""
    row = class_row(session, project_id, class_id)
    before = row.name
    rename_class_row(session, row, name)
    detail = {"class": row.id, "before": before, "after": row.name}
    _record(session, project_id, window, "class_rename", f"{before} renamed {row.name}", detail=detail)
    return row


def _value(action: Action) -> ActionValue:
    return ActionValue(id=action.id, kind=action.kind, summary=action.summary, done_at=action.done_at)


def list_actions(session: Session, project_id: int, limit: int = 100) -> Sequence[ActionValue]:
    """The newest actions, newest first."""
    query = select(Action).where(Action.project_id == project_id).order_by(Action.id.desc()).limit(limit)
    return [_value(row) for row in session.scalars(query)]


def undo(session: Session, project_id: int, window: str, *, import_id: int | None = None) -> UndoResult:
    """Take back this window's last action that has not been taken back yet, or any window's import.

    Pictures that someone labelled again since are left as they are, and counted in the answer.

    Raises
    ------
    ConflictError
        There is nothing left to take back, or a class is in use.
    """
    undone = aliased(Action)
    action = session.scalar(
        select(Action)
        .where(
            Action.project_id == project_id,
            Action.kind != "undo",
            Action.window == window if import_id is None else Action.detail["import"].as_integer() == import_id,
            ~select(undone.id).where(undone.undoes == Action.id).exists(),
        )
        .order_by(Action.id.desc())
        .limit(1)
        .with_for_update()
    )
    if action is None and import_id is not None:
        raise ConflictError("This import was taken back already, or brought nothing in.", "Look at the list again.")
    if action is None:
        raise ConflictError("There is nothing to take back in this window.", "Each window takes back its own steps.")
    back = _record(session, project_id, window, "undo", f"Taken back: {action.summary}", undoes=action.id)
    if action.kind == "import":
        taken, kept = _undo_import(session, action, back)
    elif action.kind.startswith("class_"):
        taken, kept = _undo_class(session, action), 0
    else:
        taken, kept = _undo_changes(session, action, back)
    return UndoResult(summary=back.summary, taken_back=taken, kept=kept)


def _undo_changes(session: Session, action: Action, back: Action) -> tuple[int, int]:
    taken = total = 0
    for fact, entry in _FACTS.items():
        before, after = getattr(ActionChange, f"{fact}_before"), getattr(ActionChange, f"{fact}_after")
        rows = session.execute(
            select(ActionChange.picture_id, before, after, entry.now)
            .join(Picture, Picture.id == ActionChange.picture_id)
            .where(ActionChange.action_id == action.id, before.is_distinct_from(after))
            .with_for_update(of=Picture)
        ).all()
        # Where it is no longer as this action left it, someone chose again since, and that stands.
        free = [_Change(picture, fact, after, before) for picture, before, after, now in rows if now == after]
        _apply(session, back.id, free)
        taken, total = taken + len(free), total + len(rows)
    revive_classes(session, action.project_id)
    return taken, total - taken


def _undo_import(session: Session, action: Action, back: Action) -> tuple[int, int]:
    """Into the bin with what an import put here, but for pictures that someone worked on since."""
    detail = action.detail or {}
    here = (Picture.import_id == detail["import"], Picture.deleted_at.is_(None))
    later, undone = aliased(Action), aliased(Action)
    touched = (
        select(ActionChange.picture_id)
        .join(later, later.id == ActionChange.action_id)
        .where(
            ActionChange.picture_id == Picture.id,
            later.id > action.id,
            later.kind != "undo",
            ~select(undone.id).where(undone.undoes == later.id).exists(),
        )
        .exists()
    )
    kept = session.scalar(select(func.count()).select_from(Picture).where(*here, touched)) or 0
    taken = list(session.scalars(select(Picture.id).where(*here, ~touched).with_for_update()))
    _apply(session, back.id, [_Change(picture, "binned", False, True) for picture in taken])
    now = func.now()
    session.execute(update(Import).where(Import.id == detail["import"]).values(undone_at=now))
    _tell_labels_again(session, detail["import"])
    used = select(Picture.class_id).where(Picture.class_id == Class.id, Picture.deleted_at.is_(None)).exists()
    session.execute(
        update(Class).where(Class.id.in_(detail["classes"]), Class.deleted_at.is_(None), ~used).values(deleted_at=now)
    )
    for topic in ("classes", "imports"):
        tell(session, topic, action.project_id)
    return len(taken), kept


def _tell_labels_again(session: Session, import_id: int) -> None:
    """Which of an undone import's pictures still have two labels, by the appearances that are left."""
    session.execute(
        text(
            "update picture set two_labels = false where two_labels and id in"
            " (select picture_id from appearance where import_id = :import)"
            " and (select count(distinct lower(a.class_name)) from appearance a join import i on i.id = a.import_id"
            " where a.picture_id = picture.id and i.undone_at is null) < 2"
        ),
        {"import": import_id},
    )


def _undo_class(session: Session, action: Action) -> int:
    detail = action.detail or {}
    row = class_row(session, action.project_id, detail["class"])
    if action.kind == "class_rename":
        if row.name != detail["after"]:
            raise ConflictError(f"The class was renamed again, to {row.name}.", "Rename it by hand.")
        rename_class_row(session, row, detail["before"])
        return 1
    used = session.scalar(
        select(func.count()).select_from(Picture).where(Picture.class_id == row.id, Picture.deleted_at.is_(None))
    )
    if used:
        raise ConflictError(
            f"The class is in use by {_pictures_said(used)} labelled {row.name}.", "Label them otherwise first."
        )
    row.deleted_at = session.scalar(select(func.now()))
    tell(session, "classes", action.project_id)
    return 1
