"""What people do to labels and classes: append-only, with undo by window."""

from collections.abc import Sequence

from sqlalchemy import func, insert, select, update
from sqlalchemy.orm import Session, aliased

from vast_orchard.errors import ConflictError, MissingError
from vast_orchard.store.classes import add_class, class_row, rename_class_row
from vast_orchard.store.database import among, tell
from vast_orchard.store.schema import Action, ActionChange, Class, Picture
from vast_orchard.store.values import ActionValue, UndoResult

__all__ = ["create_class", "label_pictures", "list_actions", "rename_class", "undo"]


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
        .where(Picture.project_id == project_id, among(Picture.id, wanted))
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
    _apply(session, action.id, [(picture, before, class_id) for picture, before in changed])
    return _value(action)


def _apply(session: Session, action_id: int, changes: Sequence[tuple[int, int | None, int | None]]) -> None:
    if not changes:
        return
    session.execute(
        insert(ActionChange),
        [
            {"action_id": action_id, "picture_id": picture, "class_before": before, "class_after": after}
            for picture, before, after in changes
        ],
    )
    by_class: dict[int | None, list[int]] = {}
    for picture, _, after in changes:
        by_class.setdefault(after, []).append(picture)
    for after, pictures in by_class.items():
        session.execute(update(Picture).where(among(Picture.id, pictures)).values(class_id=after))


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


def undo(session: Session, project_id: int, window: str) -> UndoResult:
    """Take back this window's last action that has not been taken back yet.

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
            Action.window == window,
            Action.kind != "undo",
            ~select(undone.id).where(undone.undoes == Action.id).exists(),
        )
        .order_by(Action.id.desc())
        .limit(1)
        .with_for_update()
    )
    if action is None:
        raise ConflictError("There is nothing to take back in this window.", "Each window takes back its own steps.")
    back = _record(session, project_id, window, "undo", f"Taken back: {action.summary}", undoes=action.id)
    if action.kind == "label":
        taken, kept = _undo_labels(session, action, back)
    else:
        taken, kept = _undo_class(session, action), 0
    return UndoResult(summary=back.summary, taken_back=taken, kept=kept)


def _undo_labels(session: Session, action: Action, back: Action) -> tuple[int, int]:
    rows = session.execute(
        select(ActionChange.picture_id, ActionChange.class_before, ActionChange.class_after, Picture.class_id)
        .join(Picture, Picture.id == ActionChange.picture_id)
        .where(ActionChange.action_id == action.id)
        .with_for_update(of=Picture)
    ).all()
    # Where the label is no longer the one that this action gave, someone chose again since, and that stands.
    free = [(picture, now, before) for picture, before, after, now in rows if now == after]
    _apply(session, back.id, free)
    return len(free), len(rows) - len(free)


def _undo_class(session: Session, action: Action) -> int:
    detail = action.detail or {}
    row = class_row(session, action.project_id, detail["class"])
    if action.kind == "class_rename":
        if row.name != detail["after"]:
            raise ConflictError(f"The class was renamed again, to {row.name}.", "Rename it by hand.")
        rename_class_row(session, row, detail["before"])
        return 1
    used = session.scalar(select(func.count()).select_from(Picture).where(Picture.class_id == row.id))
    if used:
        raise ConflictError(
            f"The class is in use by {_pictures_said(used)} labelled {row.name}.", "Label them otherwise first."
        )
    row.deleted_at = session.scalar(select(func.now()))
    tell(session, "classes", action.project_id)
    return 1
