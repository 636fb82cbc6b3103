"""Classes: their order, names and signs."""

from collections.abc import Collection, Iterable, Sequence
from typing import Any

from sqlalchemy import String, cast, func, select, update
from sqlalchemy.dialects.postgresql import ARRAY
from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session

from vast_orchard.errors import ConflictError, InputError, MissingError
from vast_orchard.store.database import tell
from vast_orchard.store.projects import checked_name
from vast_orchard.store.schema import Class, Picture, Project
from vast_orchard.store.values import ClassValue

__all__ = [
    "add_class",
    "class_ids",
    "class_now",
    "class_row",
    "find_or_add_classes",
    "free_sign",
    "list_classes",
    "rename_class_row",
    "revive_classes",
    "set_class_fact",
    "set_sign",
]

# A tile of 32 pixels has room for so many.
_LONGEST_SIGN = 3


def list_classes(session: Session, project_id: int) -> Sequence[ClassValue]:
    """The classes in their order, with today's counts."""
    counts = dict(
        session.execute(
            select(Picture.class_id, func.count())
            .where(Picture.project_id == project_id, Picture.deleted_at.is_(None))
            .group_by(Picture.class_id)
        ).all()
    )
    rows = session.scalars(
        select(Class).where(Class.project_id == project_id, Class.deleted_at.is_(None)).order_by(Class.place, Class.id)
    )
    return [
        ClassValue(
            id=row.id,
            name=row.name,
            place=row.place,
            sign=row.sign,
            colour=row.colour,
            count=counts.get(row.id, 0),
        )
        for row in rows
    ]


def class_ids(session: Session, project_id: int) -> set[int]:
    """Ids of the project's classes."""
    return set(session.scalars(select(Class.id).where(Class.project_id == project_id, Class.deleted_at.is_(None))))


def class_row(session: Session, project_id: int, class_id: int) -> Class:
    """One class of the project.

    Raises
    ------
    MissingError
    """
    row = session.get(Class, class_id)
    if row is None or row.project_id != project_id or row.deleted_at is not None:
        raise MissingError(f"There is no class {class_id} in this project.", "It may have been taken back; look again.")
    return row


def free_sign(name: str, taken: set[str]) -> str:
    """A short sign for a class: its first letter, else the first with another of its letters, else with a digit."""
    letters = [c for c in name if c.isalnum()] or ["?"]
    first = letters[0].upper()
    choices = [first, *(first + c.lower() for c in letters[1:]), *(f"{first}{n}" for n in range(2, 1000))]
    return next(choice for choice in choices if choice not in taken)


def add_class(session: Session, project_id: int, name: str) -> Class:
    """A new class at the end of the order.

    Raises
    ------
    ConflictError
        There is one of that name, if only in other capitals.
    """
    _wait_for_turn(session, project_id)
    return _add(session, project_id, [checked_name(name, "class")])[0]


def _add(session: Session, project_id: int, names: Sequence[str]) -> list[Class]:
    """New classes at the end of the order; whoever adds some has waited for their turn."""
    present = session.execute(
        select(Class.place, Class.sign).where(Class.project_id == project_id, Class.deleted_at.is_(None))
    ).all()
    place, signs = max((place for place, _ in present), default=-1) + 1, {sign for _, sign in present}
    rows: list[Class] = []
    for name in names:
        sign = free_sign(name, signs)
        signs.add(sign)
        rows.append(Class(project_id=project_id, name=name, place=place + len(rows), sign=sign))
    session.add_all(rows)
    _flush_name(session, ", ".join(names))
    tell(session, "classes", project_id)
    return rows


def _flush_name(session: Session, name: str) -> None:
    try:
        session.flush()
    except IntegrityError as error:
        raise ConflictError(f"There is a class named {name} already.", "Use it, or choose another name.") from error


def find_or_add_classes(session: Session, project_id: int, names: Iterable[str]) -> dict[str, Class]:
    """By each name the class of that name in any capitals, or a new one; new ones come in the order of `names`."""
    wanted = list(dict.fromkeys(names))
    found = _by_name(session, project_id, wanted)
    if len(found) < len(wanted):
        # Asked again behind the turnstile: another window or import may have made some since.
        _wait_for_turn(session, project_id)
        found = _by_name(session, project_id, wanted)
        lacking = [name for name in wanted if name not in found]
        folded = _folded(session, lacking)
        first: dict[str, str] = {}  # of several spellings of a name the first
        for name in lacking:
            first.setdefault(folded[name], checked_name(name, "class"))
        made = dict(zip(first, _add(session, project_id, list(first.values())), strict=True))
        found |= {name: made[folded[name]] for name in lacking}
    return {name: found[name] for name in wanted}


def _by_name(session: Session, project_id: int, names: Collection[str]) -> dict[str, Class]:
    """Those of the names that a class has in any capitals."""
    spelled = func.unnest(cast(list(names), ARRAY(String))).column_valued("spelling")
    # PostgreSQL changes the case, as it does in the index that keeps names apart.
    same = func.lower(Class.name) == func.lower(spelled)
    asked = select(spelled, Class).where(Class.project_id == project_id, Class.deleted_at.is_(None), same)
    return dict(session.execute(asked).all())


def _folded(session: Session, names: Collection[str]) -> dict[str, str]:
    spelled = func.unnest(cast(list(names), ARRAY(String))).column_valued("spelling")
    return dict(session.execute(select(spelled, func.lower(spelled))).all())


def _wait_for_turn(session: Session, project_id: int) -> None:
    """Those who add a class at once take turns, so that names, places and signs stay unique."""
    session.execute(select(Project.id).where(Project.id == project_id).with_for_update())


def rename_class_row(session: Session, row: Class, name: str) -> None:
    """Give a class another name; its id, sign and pictures stay."""
    row.name = checked_name(name, "class")
    _flush_name(session, row.name)
    tell(session, "classes", row.project_id)


def set_sign(session: Session, row: Class, sign: str) -> None:
    """Give a class another sign, which stands on its tiles.

    Raises
    ------
    InputError
        It is not one to three letters or digits.
    ConflictError
        Another class has it.
    """
    sign = sign.strip()
    if not (1 <= len(sign) <= _LONGEST_SIGN and sign.isalnum()):
        raise InputError(f"{sign!r} cannot be a sign.", "Write one to three letters or digits.")
    _wait_for_turn(session, row.project_id)
    other = session.scalar(
        select(Class.name).where(
            Class.project_id == row.project_id, Class.deleted_at.is_(None), Class.sign == sign, Class.id != row.id
        )
    )
    if other is not None:
        raise ConflictError(f"{sign} is the sign of {other}.", "Choose another one.")
    row.sign = sign


def class_now(session: Session, project_id: int, class_id: int, fact: str) -> Any:
    """What a class is now, deleted or not.

    Parameters
    ----------
    fact : {"name", "place", "sign", "colour", "deleted"}

    Raises
    ------
    MissingError
    """
    row = session.get(Class, class_id)
    if row is None or row.project_id != project_id:
        raise MissingError(f"There is no class {class_id} in this project.", "Look again.")
    return row.deleted_at is not None if fact == "deleted" else getattr(row, fact)


def set_class_fact(session: Session, project_id: int, class_id: int, fact: str, value: Any) -> None:
    """Make a class so.

    Raises
    ------
    ConflictError
        Another class has that name now.
    MissingError
    """
    if class_now(session, project_id, class_id, fact) == value:
        return
    row = session.get_one(Class, class_id)
    if fact == "deleted":
        row.deleted_at = session.scalar(select(func.now())) if value else None
    else:
        setattr(row, fact, value)
    _flush_name(session, row.name)
    tell(session, "classes", project_id)


def revive_classes(session: Session, project_id: int) -> None:
    """Give back the classes of pictures that are here again; one of the same name that was made since takes them."""
    used = select(Picture.class_id).where(Picture.project_id == project_id, Picture.deleted_at.is_(None)).distinct()
    gone = session.scalars(
        select(Class).where(Class.project_id == project_id, Class.deleted_at.is_not(None), Class.id.in_(used))
    )
    for row in gone.all():
        same = session.scalar(
            select(Class.id).where(
                Class.project_id == project_id,
                Class.deleted_at.is_(None),
                func.lower(Class.name) == func.lower(row.name),
            )
        )
        if same is None:
            row.deleted_at = None
        else:
            session.execute(update(Picture).where(Picture.class_id == row.id).values(class_id=same))
    session.flush()
    tell(session, "classes", project_id)
