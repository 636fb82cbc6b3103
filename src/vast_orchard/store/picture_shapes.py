"""How large pictures are and of which shape, as far as they count; what stands out of one is not known here."""

from collections.abc import Sequence
from typing import Any

from sqlalchemy import ColumnElement, Float, Select, cast, func, select
from sqlalchemy.orm import Session

from vast_orchard.store.areas import area_now
from vast_orchard.store.schema import Picture, WorkingArea

__all__ = ["odd_shapes", "shorter_sides"]


def _extent(first: int, last: int) -> ColumnElement[float]:
    """Of the kept part, as a share of the picture's side."""
    keep = WorkingArea.value["keep"]
    return func.coalesce(cast(keep[last].astext, Float) - cast(keep[first].astext, Float), 1.0)


_WIDTH, _HEIGHT = Picture.width * _extent(0, 2), Picture.height * _extent(1, 3)


def _with_areas(session: Session, project_id: int, query: Select[Any]) -> Select[Any]:
    return (
        query.select_from(Picture)
        .outerjoin(WorkingArea, WorkingArea.id == area_now(session, project_id))
        .where(Picture.project_id == project_id, Picture.deleted_at.is_(None))
    )


def odd_shapes(session: Session, project_id: int, count: int) -> Sequence[int]:
    """Ids of the pictures that are furthest from a square; the same ones each time."""
    oddness = func.greatest(_WIDTH, _HEIGHT) / func.least(_WIDTH, _HEIGHT)
    query = _with_areas(session, project_id, select(Picture.id))
    return session.scalars(query.order_by(oddness.desc(), Picture.sha256).limit(count)).all()


def shorter_sides(session: Session, project_id: int) -> Sequence[int]:
    """Of all labelled pictures that stand, in pixels."""
    query = _with_areas(session, project_id, select(func.least(_WIDTH, _HEIGHT)))
    sides = session.scalars(query.where(Picture.class_id.is_not(None), ~Picture.excluded))
    return [max(1, round(side)) for side in sides]
