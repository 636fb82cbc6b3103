"""Variations, preprocessings and networks that are kept by name, in versions; what a run has used never changes."""

import json
import re
from collections.abc import Mapping, Sequence
from typing import Any

from sqlalchemy import func, or_, select
from sqlalchemy.orm import Session

from vast_orchard.errors import ConflictError, MissingError
from vast_orchard.store.database import tell
from vast_orchard.store.projects import checked_name
from vast_orchard.store.schema import Ingredient, IngredientKind, Project, Run
from vast_orchard.store.values import IngredientValue

__all__ = [
    "delete_ingredient",
    "get_ingredient",
    "ingredient_named",
    "list_ingredients",
    "save_ingredient",
    "take_over_ingredients",
    "version_of_value",
]


def _runs(session: Session, ids: Sequence[int]) -> dict[int, list[int]]:
    """Numbers of the runs that used each of them."""
    found: dict[int, list[int]] = {}
    rows = session.execute(
        select(Run.number, Run.variation_id, Run.preprocessing_id, Run.network_id)
        .where(or_(Run.variation_id.in_(ids), Run.preprocessing_id.in_(ids), Run.network_id.in_(ids)))
        .order_by(Run.number)
    )
    for number, *used in rows:
        for entry in used:
            if entry is not None:
                found.setdefault(entry, []).append(number)
    return found


def _values(session: Session, rows: Sequence[Ingredient]) -> Sequence[IngredientValue]:
    runs = _runs(session, [row.id for row in rows])
    return [
        IngredientValue(
            id=row.id,
            kind=row.kind,
            name=row.name,
            version=row.version,
            value=row.value,
            created_at=row.created_at,
            runs=runs.get(row.id, []),
        )
        for row in rows
    ]


def list_ingredients(session: Session, project_id: int, kind: IngredientKind) -> Sequence[IngredientValue]:
    """What is kept, by name, the newest version of each first."""
    rows = session.scalars(
        select(Ingredient)
        .where(Ingredient.project_id == project_id, Ingredient.kind == kind.value, Ingredient.deleted_at.is_(None))
        .order_by(func.lower(Ingredient.name), Ingredient.version.desc())
    ).all()
    return _values(session, rows)


def get_ingredient(session: Session, project_id: int, kind: IngredientKind, ingredient_id: int) -> IngredientValue:
    """One of a project.

    Raises
    ------
    MissingError
    """
    row = session.get(Ingredient, ingredient_id)
    if row is None or row.project_id != project_id or row.kind != kind.value:
        raise MissingError(f"There is no {kind.value} {ingredient_id} in this project.", "Choose one that is there.")
    return _values(session, [row])[0]


def ingredient_named(
    session: Session, project_id: int, kind: IngredientKind, name: str, version: int | None = None
) -> IngredientValue:
    """A version of a name, forgotten or not; the newest of those that are not where none is said.

    Raises
    ------
    MissingError
    """
    query = select(Ingredient).where(
        Ingredient.project_id == project_id,
        Ingredient.kind == kind.value,
        func.lower(Ingredient.name) == name.lower(),
        Ingredient.deleted_at.is_(None) if version is None else Ingredient.version == version,
    )
    row = session.scalar(query.order_by(Ingredient.version.desc()).limit(1))
    if row is None:
        which = "" if version is None else f", version {version}"
        raise MissingError(f"There is no {kind.value} {name!r}{which} in this project.", "Choose one that is there.")
    return _values(session, [row])[0]


def version_of_value(session: Session, project_id: int, kind: IngredientKind, value: Mapping[str, Any]) -> int | None:
    """The newest version that is kept of exactly this value, under whichever name; None if there is none."""
    return session.scalar(
        select(Ingredient.id)
        .where(
            Ingredient.project_id == project_id,
            Ingredient.kind == kind.value,
            Ingredient.deleted_at.is_(None),
            Ingredient.value == json.loads(json.dumps(value)),
        )
        .order_by(Ingredient.id.desc())
        .limit(1)
    )


def save_ingredient(
    session: Session,
    project_id: int,
    kind: IngredientKind,
    name: str,
    value: Mapping[str, Any],
    *,
    new: bool = False,
    was: Mapping[str, Any] | None = None,
) -> IngredientValue:
    """Keep a value under a name: as its newest version, or as the next one if a run has used that.

    Parameters
    ----------
    new : bool
        The name is to be a new one.
    was : mapping, optional
        The newest value as it was seen when this one was made of it.

    Raises
    ------
    InputError
        The name is empty or too long.
    ConflictError
        The name is taken and should not be, or the newest value is no longer what was seen.
    """
    name = checked_name(name, kind.value)
    value = json.loads(json.dumps(value))  # as it comes back, so that the same is known as the same
    # The project's row is the turnstile for its versions.
    session.execute(select(Project.id).where(Project.id == project_id).with_for_update())
    row = session.scalar(
        select(Ingredient)
        .where(
            Ingredient.project_id == project_id,
            Ingredient.kind == kind.value,
            func.lower(Ingredient.name) == name.lower(),
        )
        .order_by(Ingredient.version.desc())
        .limit(1)
    )
    if new and row is not None and row.deleted_at is None:
        raise ConflictError(f"There is a {kind.value} {row.name!r} already.", "Choose another name.")
    if was is not None and (row is None or row.deleted_at is not None or row.value != json.loads(json.dumps(was))):
        raise ConflictError(
            f"The {kind.value} {name!r} was changed in another window.",
            "Look at what it is now, or keep yours under another name.",
        )
    if row is None or (row.value != value and _runs(session, [row.id])):
        row = Ingredient(
            project_id=project_id,
            kind=kind.value,
            name=row.name if row else name,
            version=row.version + 1 if row else 1,
            value=dict(value),
        )
        session.add(row)
    else:
        row.value, row.deleted_at = dict(value), None
    session.flush()
    session.refresh(row)
    tell(session, "ingredients", project_id)
    return _values(session, [row])[0]


def take_over_ingredients(session: Session, source: int, target: int) -> Sequence[IngredientValue]:
    """Keep the newest versions of another project's names here too; returns those that were not here.

    A name that says something else here gets the next free number, so that neither is lost.
    """
    taken = []
    for kind in IngredientKind:
        here = list_ingredients(session, target, kind)
        names = {entry.name.lower() for entry in here}
        newest: dict[str, IngredientValue] = {}
        for entry in list_ingredients(session, source, kind):
            newest.setdefault(entry.name.lower(), entry)
        for entry in newest.values():
            if any(other.value == entry.value and _is_named(other.name, entry.name) for other in here):
                continue
            choices = (entry.name if n == 1 else f"{entry.name} ({n})" for n in range(1, len(names) + 2))
            name = next(choice for choice in choices if choice.lower() not in names)
            names.add(name.lower())
            taken.append(save_ingredient(session, target, kind, name, entry.value))
    return taken


def _is_named(name: str, wanted: str) -> bool:
    """Whether a name is the wanted one, or that with a number."""
    return re.fullmatch(rf"{re.escape(wanted)}( \(\d+\))?", name, re.IGNORECASE) is not None


def delete_ingredient(session: Session, project_id: int, kind: IngredientKind, ingredient_id: int) -> None:
    """Take all versions of its name out of the list; runs keep what they used.

    Raises
    ------
    MissingError
    """
    name = get_ingredient(session, project_id, kind, ingredient_id).name
    for row in session.scalars(
        select(Ingredient).where(
            Ingredient.project_id == project_id,
            Ingredient.kind == kind.value,
            func.lower(Ingredient.name) == name.lower(),
        )
    ):
        row.deleted_at = func.now()
    tell(session, "ingredients", project_id)
