"""How a measure is distributed over a project's pictures, in bars of the same width."""

from typing import Any

from sqlalchemy import Integer, and_, cast, func, literal, select
from sqlalchemy.orm import Session

from vast_orchard.store.schema import Finding, FindingKind, Picture
from vast_orchard.store.sift.found import open_finding
from vast_orchard.store.sift.numbers import NUMBERS

__all__ = ["measure_histogram"]

_BARS = 48


def measure_histogram(
    session: Session, project_id: int, measure: str, kind: FindingKind | None
) -> dict[str, list[float] | list[int]]:
    """Bounds of the bars, pictures in each, and of these how many are named by a kind of finding."""
    column = NUMBERS[measure]
    standing = Picture.project_id == project_id, Picture.deleted_at.is_(None), ~Picture.excluded
    values = select(Picture.id, column.label("value")).where(*standing, column.is_not(None)).subquery()
    low, high = session.execute(select(func.min(values.c.value), func.max(values.c.value))).one()
    if low is None:
        return {"bounds": [], "counts": [], "named": []}
    low, high = float(low), float(high)
    width = (high - low) / _BARS or 1.0
    # Rounding must not put the ends into bars that there are not.
    raw = cast(func.floor((values.c.value - low) / literal(width)), Integer)
    bar: Any = func.greatest(func.least(raw, _BARS - 1), 0)
    named = (
        select(Finding.picture_id)
        .join(Picture, Picture.id == Finding.picture_id)
        .where(and_(Finding.project_id == project_id, Finding.kind == (kind.value if kind else "")), open_finding())
    )
    query = select(bar, func.count(), func.count().filter(values.c.id.in_(named))).group_by(bar)
    counts, marked = [0] * _BARS, [0] * _BARS
    for place, count, of_these in session.execute(query):
        counts[place], marked[place] = count, of_these
    return {"bounds": [low + width * n for n in range(_BARS + 1)], "counts": counts, "named": marked}
