"""What people do to pictures and classes; each is one step of the history."""

from collections.abc import Mapping, Sequence
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from vast_orchard.errors import ConflictError, InputError, MissingError
from vast_orchard.store.classes import (
    add_class,
    class_row,
    list_classes,
    rename_class_row,
    revive_classes,
    set_sign,
)
from vast_orchard.store.database import among, tell
from vast_orchard.store.history import Change, ClassChange, action_value, apply, pictures_said, record
from vast_orchard.store.projects import checked_name
from vast_orchard.store.schema import Class, Picture
from vast_orchard.store.values import ActionValue

__all__ = [
    "bin_pictures",
    "change_class",
    "create_class",
    "delete_class",
    "label_pictures",
    "locked_pictures",
    "mark_pictures",
    "merge_classes",
    "note_pictures",
    "order_classes",
    "split_off_class",
]


def locked_pictures(session: Session, project_id: int, picture_ids: Sequence[int], *columns: Any) -> Sequence[Any]:
    """Id and these columns of the pictures, which nobody else changes until this transaction ends.

    Raises
    ------
    MissingError
        One of them is not in the project, or lies in the bin.
    """
    wanted = sorted(set(picture_ids))
    rows = session.execute(
        select(Picture.id, *columns)
        .where(Picture.project_id == project_id, Picture.deleted_at.is_(None), among(Picture.id, wanted))
        .order_by(Picture.id)
        .with_for_update()
    ).all()
    if not rows or len(rows) != len(wanted):
        raise MissingError(
            f"{len(wanted) - len(rows)} of {len(wanted)} pictures are not in this project.",
            "Another window may have moved them to the bin; nothing was changed. Choose again.",
        )
    return rows


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
    rows = locked_pictures(session, project_id, picture_ids, Picture.class_id)
    changes = [Change(picture, "class", before, class_id) for picture, before in rows if before != class_id]
    action = record(session, project_id, window, "label", f"{pictures_said(len(changes))} labelled {name}")
    apply(session, action.id, changes)
    return action_value(action, len(changes))


_MARKS = {
    ("excluded", True): "excluded",
    ("excluded", False): "taken in again",
    ("unsure", True): "marked unsure",
    ("unsure", False): "no longer unsure",
}


def mark_pictures(
    session: Session, project_id: int, window: str, picture_ids: Sequence[int], flag: str, value: bool
) -> ActionValue:
    """Exclude pictures or mark them as unsure, or take that back.

    Parameters
    ----------
    flag : {"excluded", "unsure"}

    Raises
    ------
    MissingError
        A picture is not in the project; nothing is changed then.
    """
    rows = locked_pictures(session, project_id, picture_ids, getattr(Picture, flag))
    changes = [Change(picture, flag, before, value) for picture, before in rows if before != value]
    action = record(session, project_id, window, flag, f"{pictures_said(len(changes))} {_MARKS[flag, value]}")
    apply(session, action.id, changes)
    return action_value(action, len(changes))


def note_pictures(session: Session, project_id: int, window: str, picture_ids: Sequence[int], note: str) -> ActionValue:
    """Write the note of pictures anew; an empty one takes it away.

    Raises
    ------
    MissingError
        A picture is not in the project; nothing is changed then.
    """
    rows = locked_pictures(session, project_id, picture_ids, Picture.name, Picture.note)
    changes = [Change(picture, "note", before, note) for picture, _, before in rows if before != note]
    subject = rows[0][1] if len(rows) == 1 else pictures_said(len(rows))
    action = record(session, project_id, window, "note", f"Note on {subject}")
    apply(session, action.id, changes)
    return action_value(action, len(changes))


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
    action = record(session, project_id, window, "restore" if back else "bin", f"{pictures_said(len(moved))} {words}")
    apply(session, action.id, [Change(picture, "binned", back, not back) for picture in moved])
    if back:
        revive_classes(session, project_id)
    return action_value(action, len(moved))


def create_class(session: Session, project_id: int, window: str, name: str) -> Class:
    """A new class, as a step."""
    row = add_class(session, project_id, name)
    record(
        session,
        project_id,
        window,
        "class_new",
        f"New class {row.name}",
        class_changes=[ClassChange(row.id, "deleted", True, False)],
    )
    return row


def change_class(
    session: Session, project_id: int, window: str, class_id: int, changes: Mapping[str, str | int | None]
) -> Class:
    """Another name, sign or colour for a class, as one step.

    Parameters
    ----------
    changes : mapping
        `name` : str; `sign` : str, one to three letters or digits that no other class has; `colour` : int, one of ten
        from 0, or None for the one of its place.

    Raises
    ------
    MissingError, ConflictError, InputError
    """
    row = class_row(session, project_id, class_id)
    before = {fact: getattr(row, fact) for fact, value in changes.items() if getattr(row, fact) != value}
    if "name" in before:
        rename_class_row(session, row, str(changes["name"]))
    if "sign" in before:
        set_sign(session, row, str(changes["sign"]))
    if "colour" in before:
        row.colour = None if changes["colour"] is None else int(changes["colour"])
    made = [ClassChange(row.id, fact, was, getattr(row, fact)) for fact, was in before.items()]
    said = [f"{before['name']} renamed {row.name}"] if "name" in before else []
    said += [f"{fact} of {row.name} chosen" for fact in before if fact != "name"]
    kind = "class_rename" if "name" in before else "class_look"
    record(session, project_id, window, kind, ", ".join(said) or f"{row.name} left as it was", class_changes=made)
    tell(session, "classes", project_id)
    return row


def order_classes(session: Session, project_id: int, window: str, class_ids: Sequence[int]) -> ActionValue:
    """Put the classes into this order, which every export lists.

    Raises
    ------
    ConflictError
        They are not the classes of the project, each once.
    """
    present = list_classes(session, project_id)
    if sorted(class_ids) != sorted(entry.id for entry in present):
        raise ConflictError("The classes have changed since.", "Look at them again, then order them.")
    places = {entry.id: entry.place for entry in present}
    changes = [
        ClassChange(entry, "place", places[entry], place)
        for place, entry in enumerate(class_ids)
        if places[entry] != place
    ]
    action = record(session, project_id, window, "class_order", "Classes put in order", class_changes=changes)
    return action_value(action)


def _relabel_all(
    session: Session, project_id: int, window: str, kind: str, words: str, gone: Class, target: int | None
) -> ActionValue:
    """All pictures of a class, those in the bin too, under another label; the class is deleted."""
    members = session.scalars(
        select(Picture.id)
        .where(Picture.project_id == project_id, Picture.class_id == gone.id)
        .order_by(Picture.id)
        .with_for_update()
    ).all()
    changes = [ClassChange(gone.id, "deleted", False, True)]
    action = record(session, project_id, window, kind, words, class_changes=changes)
    apply(session, action.id, [Change(picture, "class", gone.id, target) for picture in members])
    return action_value(action, len(members))


def merge_classes(session: Session, project_id: int, window: str, class_id: int, into: int) -> ActionValue:
    """Give every picture of a class the label of another, and delete the first.

    Raises
    ------
    MissingError, InputError
    """
    gone, target = class_row(session, project_id, class_id), class_row(session, project_id, into)
    if gone.id == target.id:
        raise InputError(f"{gone.name} cannot be merged into itself.", "Choose another class.")
    words = f"{gone.name} merged into {target.name}"
    return _relabel_all(session, project_id, window, "class_merge", words, gone, target.id)


def delete_class(session: Session, project_id: int, window: str, class_id: int) -> ActionValue:
    """Delete a class; its pictures are unlabelled.

    Raises
    ------
    MissingError
    """
    gone = class_row(session, project_id, class_id)
    return _relabel_all(session, project_id, window, "class_delete", f"Class {gone.name} deleted", gone, None)


def split_off_class(
    session: Session, project_id: int, window: str, name: str, picture_ids: Sequence[int]
) -> ActionValue:
    """A new class with these pictures, as one step.

    Raises
    ------
    MissingError, ConflictError
    """
    made = add_class(session, project_id, checked_name(name, "class"))
    rows = locked_pictures(session, project_id, picture_ids, Picture.class_id)
    action = record(
        session,
        project_id,
        window,
        "class_split",
        f"{pictures_said(len(rows))} split off as {made.name}",
        class_changes=[ClassChange(made.id, "deleted", True, False)],
    )
    apply(session, action.id, [Change(picture, "class", before, made.id) for picture, before in rows])
    return action_value(action, len(rows))
