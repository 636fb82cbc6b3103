"""What the Sift asks of findings, in SQL: one is open while its picture is as it was found, and nobody said no."""

from typing import Any

from sqlalchemy import ColumnElement, and_, case, func, or_, select
from sqlalchemy.orm import aliased

from vast_orchard.store.schema import Finding, FindingKind, Picture

__all__ = ["costliest", "found_as", "open_finding", "strangest"]

_ORDER = {kind.value: place for place, kind in enumerate(FindingKind)}


def open_finding(picture: Any = Picture) -> ColumnElement[bool]:
    """Whether a finding that is joined with its picture is still to be settled."""
    bits = case({kind.value: kind.bit for kind in FindingKind}, value=Finding.kind, else_=0)
    same = or_(Finding.class_id.is_(None), Finding.class_id == picture.class_id)
    return and_(
        picture.dismissed.op("&")(bits) == 0, ~picture.excluded, ~picture.unsure, picture.deleted_at.is_(None), same
    )


def found_as(name: str, project_id: int) -> ColumnElement[bool] | None:
    """Which pictures have such a finding; None if there is none of that name."""
    if name == "dismissed":
        return Picture.dismissed != 0
    if name != "any" and name not in _ORDER:
        return None
    # Asked once for all pictures, not once for each.
    other = aliased(Picture)
    query = (
        select(Finding.picture_id)
        .join(other, other.id == Finding.picture_id)
        .where(Finding.project_id == project_id, open_finding(other))
    )
    return Picture.id.in_(query if name == "any" else query.where(Finding.kind == name))


def strangest() -> ColumnElement[Any]:
    """How strange the strangest open finding of a picture is."""
    return (
        select(func.max(Finding.weight))
        .where(Finding.picture_id == Picture.id, open_finding())
        .correlate(Picture)
        .scalar_subquery()
    )


def costliest(project_id: int) -> tuple[ColumnElement[Any], ColumnElement[Any]]:
    """The kind of a picture's costliest open finding, and its place among the kinds; no kind where there is none."""
    # Each kind is asked once for all pictures: to look each picture's findings up takes twenty times as long.
    tests = [(found_as(kind, project_id), kind, place) for kind, place in _ORDER.items()]
    name = case(*((test, kind) for test, kind, _ in tests if test is not None), else_=None)
    place = case(*((test, number) for test, _, number in tests if test is not None), else_=len(_ORDER))
    return name, place
