"""Errors of a judged set by facts of its pictures: counted in the database, however many answers there are."""

import datetime as dt
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from sqlalchemy import Float, Subquery, and_, cast, func, literal, select, tuple_
from sqlalchemy.orm import Session

from vast_orchard.store.schema import Appearance, Import, Picture, PictureMeasure, Prediction
from vast_orchard.store.values import ModelValue

__all__ = ["KINDS", "MEASURES", "ClassCounts", "CountsByFact", "EndCounts", "KindCounts", "judged_counts_by_fact"]

# Facts that are numbers, and facts that are words.
MEASURES = ("brightness", "contrast", "sharpness", "side", "shape", "size")
KINDS = ("source", "came", "format")
# Pictures and errors, by class id.
ClassCounts = Mapping[int, tuple[int, int]]


@dataclass(frozen=True, kw_only=True)
class EndCounts:
    """The pictures at one end of a measure."""

    measure: str
    low: bool  # up to the bound; else from it on
    bound: float
    counts: ClassCounts


@dataclass(frozen=True, kw_only=True)
class KindCounts:
    """The pictures that share a word."""

    kind: str
    value: str
    counts: ClassCounts


@dataclass(frozen=True, kw_only=True)
class CountsByFact:
    """A judged set, and parts of it that have a fact in common."""

    total: ClassCounts
    ends: Sequence[EndCounts]
    kinds: Sequence[KindCounts]


def _facts(model: ModelValue, set_name: str, offset: dt.timedelta) -> Subquery:
    """Of each picture of a judged set that is still there: its class, whether it was read wrongly, and its facts."""
    source = (
        select(Appearance.picture_id, func.min(Import.source_name).label("source"))
        .join(Import, Import.id == Appearance.import_id)
        .where(Import.project_id == model.project_id, Import.undone_at.is_(None))
        .group_by(Appearance.picture_id)
        .subquery()
    )
    # The offset of now; a day in another season may begin an hour beside midnight.
    day = func.to_char(func.timezone("UTC", Picture.came_at) + literal(offset), "YYYY-MM-DD")
    return (
        select(
            Prediction.true_class,
            (Prediction.true_class != Prediction.predicted_class).label("wrong"),
            Picture.brightness,
            PictureMeasure.contrast,
            PictureMeasure.sharpness,
            func.greatest(Picture.width, Picture.height).label("side"),
            (cast(Picture.width, Float) / Picture.height).label("shape"),
            Picture.size_bytes.label("size"),
            source.c.source,
            day.label("came"),
            Picture.format,
        )
        .join(Picture, and_(Picture.id == Prediction.picture_id, Picture.deleted_at.is_(None)))
        .outerjoin(PictureMeasure, PictureMeasure.picture_id == Picture.id)
        .outerjoin(source, source.c.picture_id == Picture.id)
        .where(Prediction.model_id == model.id, Prediction.set_name == set_name, Prediction.true_class.is_not(None))
        .subquery()
    )


def judged_counts_by_fact(
    session: Session, model: ModelValue, set_name: str, *, end: float, offset: dt.timedelta
) -> CountsByFact | None:
    """Counts of a judged set; None if no picture of it is there any more.

    Parameters
    ----------
    end : float
        The share of pictures that lies at each end of a measure.
    offset : timedelta
        From UTC, where days begin.
    """
    facts = _facts(model, set_name, offset)
    bounds = _bounds(session, facts, end)
    total, ends = _ends(session, facts, bounds)
    return CountsByFact(total=total, ends=ends, kinds=_kinds(session, facts)) if total else None


def _bounds(session: Session, facts: Subquery, end: float) -> list[tuple[str, bool, float]]:
    """Ends of every measure in which the pictures differ: its name, whether it is the low one, and its bound."""
    asked: list[Any] = []
    for name in MEASURES:
        column = facts.c[name]
        asked += [func.min(column), func.max(column)]
        asked += [func.percentile_cont(share).within_group(column) for share in (end, 1 - end)]
    row = session.execute(select(*asked)).one()
    found: list[tuple[str, bool, float]] = []
    for n, name in enumerate(MEASURES):
        least, most, low, high = row[4 * n : 4 * n + 4]
        if least is None or least == most:
            continue
        found.append((name, True, low))
        # Where most pictures share the least value, all of them would lie from the upper bound on.
        if least < high:
            found.append((name, False, high))
    return found


def _ends(
    session: Session, facts: Subquery, bounds: Sequence[tuple[str, bool, float]]
) -> tuple[ClassCounts, list[EndCounts]]:
    within = [
        facts.c[name] <= literal(bound, Float) if low else facts.c[name] >= literal(bound, Float)
        for name, low, bound in bounds
    ]
    counts = [func.count(), func.count().filter(facts.c.wrong)]
    for test in within:
        counts += [func.count().filter(test), func.count().filter(test, facts.c.wrong)]
    rows = session.execute(select(facts.c.true_class, *counts).group_by(facts.c.true_class)).all()
    parts = [{row[0]: (row[1 + 2 * n], row[2 + 2 * n]) for row in rows} for n in range(len(bounds) + 1)]
    ends = [
        EndCounts(measure=name, low=low, bound=bound, counts=part)
        for (name, low, bound), part in zip(bounds, parts[1:], strict=True)
    ]
    return parts[0], ends


def _kinds(session: Session, facts: Subquery) -> list[KindCounts]:
    """Of every word that not all of the pictures share."""
    columns = [facts.c[name] for name in KINDS]
    sets = func.grouping_sets(*(tuple_(facts.c.true_class, column) for column in columns))
    which = func.grouping(*columns)
    counts = func.count(), func.count().filter(facts.c.wrong)
    found: dict[tuple[str, str], dict[int, tuple[int, int]]] = {}
    for mask, true_class, *rest in session.execute(select(which, facts.c.true_class, *columns, *counts).group_by(sets)):
        # The bit of the column that this row is grouped by is 0, the first column's the highest.
        place = next(n for n in range(len(KINDS)) if not mask >> (len(KINDS) - 1 - n) & 1)
        if rest[place]:
            found.setdefault((KINDS[place], rest[place]), {})[true_class] = (rest[-2], rest[-1])
    several = {kind for kind in KINDS if sum(name == kind for name, _ in found) > 1}
    return [
        KindCounts(kind=kind, value=value, counts=counts)
        for (kind, value), counts in sorted(found.items(), key=lambda entry: (KINDS.index(entry[0][0]), entry[0][1]))
        if kind in several
    ]
