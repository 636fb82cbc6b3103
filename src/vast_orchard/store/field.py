"""The picture field: which pictures a Sift lets through, in rows by a key, in order; counted, and listed in few bytes.

A record of a picture takes 16 bytes, so that a hundred thousand of them are one short answer. Big-endian:

    id × 256 + flags    8 bytes; flags: set (0 none, 1 training, 2 validation, 3 test), 4 excluded, 8 unsure, 16 noted,
                        32 two labels, 64 judged, 128 wrong
    class id            4 bytes, 0 for unlabelled
    predicted class id  4 bytes, 0 if the run was not asked

Asked for, the first number that the Sift is ordered by follows: 4 bytes of a float, NaN where a picture has none. Asked
for, the id of the class that comes next in the run's answer follows in 4 bytes, 0 for none, with the highest bit set
where the model says "unsure".
"""

import datetime as dt
import itertools
from collections.abc import Callable, Sequence
from dataclasses import replace
from enum import StrEnum
from typing import Any

from sqlalchemy import (
    REAL,
    BigInteger,
    ColumnElement,
    Integer,
    LargeBinary,
    case,
    cast,
    func,
    literal,
    or_,
    select,
)
from sqlalchemy import text as sql
from sqlalchemy.orm import Session

from vast_orchard.store.copies import copy_groups
from vast_orchard.store.field_scope import joined
from vast_orchard.store.pictures import picture_value
from vast_orchard.store.schema import Class, Picture, Prediction
from vast_orchard.store.set_codes import SETS, counts_by_set, set_code, summed_sets
from vast_orchard.store.sift.compiler import compile_sift
from vast_orchard.store.sift.found import costliest
from vast_orchard.store.sift.parser import parse
from vast_orchard.store.sift.scope import SiftScope
from vast_orchard.store.sift.syntax import SiftError
from vast_orchard.store.sift.undecided import undecided
from vast_orchard.store.values import FieldRowValue, PictureValue
from vast_orchard.types import SetName

__all__ = [
    "RECORD_BYTES",
    "Grouping",
    "field_records",
    "field_rows",
    "figure_name",
    "sifted_ids",
    "sifted_pictures",
]

RECORD_BYTES = 16
# Excluded, and two counts.
_PLAIN_FACTS = 3
# Longer sides at which a row of sizes ends, in pixels.
_SIDES = (32, 64, 96, 128, 256, 512, 1024)


class Grouping(StrEnum):
    """What the rows of the field stand for."""

    CLASS = "class"
    SET = "set"
    SIZE = "size"
    FORMAT = "format"
    DAY = "day"
    PREDICTED = "predicted"
    COPIES = "copies"
    FINDING = "finding"
    NOTHING = "nothing"


# Of these a row is a good part of the field, so that a page reaches few of them.
_LARGE_ROWS = frozenset(Grouping) - {Grouping.COPIES, Grouping.NOTHING}


def _key(group: Grouping, scope: SiftScope) -> tuple[ColumnElement[Any], ColumnElement[Any]]:
    """What a row stands for, and where it stands among the rows."""
    match group:
        case Grouping.CLASS:
            return Picture.class_id.expression, func.coalesce(Class.place, -1)
        case Grouping.SET:
            code = set_code(Picture.id.expression, scope.sets)
            names = {number: name.value for number, name in enumerate(SETS) if name is not None}
            # What is in no set comes last.
            return case(names, value=code), case((code == 0, len(SETS)), else_=code)
        case Grouping.SIZE:
            side = func.greatest(Picture.width, Picture.height)
            place = case(*((side <= limit, n) for n, limit in enumerate(_SIDES)), else_=len(_SIDES))
            words = [f"to {limit}" for limit in _SIDES]
            return case(*((place == n, word) for n, word in enumerate(words)), else_=f"over {_SIDES[-1]}"), place
        case Grouping.FORMAT:
            return Picture.format.expression, Picture.format.expression
        case Grouping.DAY:
            # The offset of now; a day in another season may begin an hour beside midnight.
            offset = scope.now.utcoffset() or dt.timedelta()
            moment = func.timezone("UTC", Picture.came_at) + literal(offset)
            day = func.to_char(moment, "YYYY-MM-DD")
            return day, day
        case Grouping.PREDICTED:
            # What the run was not asked about comes last: it is most of a project, and the least of interest.
            return Prediction.predicted_class.expression, func.coalesce(Prediction.predicted_class, 2**31 - 1)
        case Grouping.COPIES:
            # Groups under different labels come first, what has no copies last.
            groups = copy_groups(scope.project_id)
            differing = select(groups.c.number).where(groups.c.labels > 1)
            agrees = cast(cast(Picture.copy_group.not_in(differing), Integer), BigInteger)
            return Picture.copy_group.expression, func.coalesce(agrees * 2**32 + Picture.copy_group, 2**62)
        case Grouping.FINDING:
            # Of several findings a picture stands with the costliest.
            return costliest(scope.project_id)
        case Grouping.NOTHING:
            return literal("all"), literal(0)


def field_rows(session: Session, scope: SiftScope, sift: str, group: Grouping) -> Sequence[FieldRowValue]:
    """The rows of the field with their counts, in order; rows without pictures are not among them.

    Raises
    ------
    SiftError
    """
    compiled = compile_sift(parse(sift), scope)
    key, place = _key(group, scope)
    if group is Grouping.CLASS:
        # The few rows are put in order here, so that not every picture has to be joined with its class.
        place = literal(0)
    apart: list[ColumnElement[Any]] = [Picture.excluded.expression]
    if group is Grouping.COPIES:
        apart += [Picture.class_id.expression, Picture.copy_exact.expression]
    # Counted by every combination of the facts that a row tells, which takes half the time of a filter for each.
    facts = [fact.label(f"fact_{n}") for n, fact in enumerate([key, place, *apart])]
    counts = func.count(), summed_sets(Picture.id.expression, scope.sets)
    counted = session.execute(
        joined(select(*facts, *counts).where(compiled.where), scope).group_by(*facts).order_by(facts[1])
    ).all()
    rows: dict[Any, list[Any]] = {}
    for entry in counted:
        rows.setdefault(entry[0], []).append(entry[2:])
    keys = sorted(rows, key=_class_order(scope)) if group is Grouping.CLASS else list(rows)
    return [_row_value(key, rows[key]) for key in keys]


def _class_order(scope: SiftScope) -> Callable[[int | None], int]:
    """Unlabelled first, then the order of the classes."""
    places = {class_id: place for place, class_id in enumerate(scope.classes.values())}
    return lambda class_id: -1 if class_id is None else places.get(class_id, len(places))


def _row_value(key: Any, parts: Sequence[Sequence[Any]]) -> FieldRowValue:
    """One row of its parts: whether excluded, of copies also class and whether they are exact, and at last counts."""
    counts = [counts_by_set(*part[-2:]) for part in parts]

    def count_in(name: SetName) -> int:
        return sum(count[SETS.index(name)] for count in counts)

    of_copies = key is not None and len(parts[0]) > _PLAIN_FACTS
    return FieldRowValue(
        key=None if key is None else str(key),
        count=sum(part[-2] for part in parts),
        training=count_in(SetName.TRAINING),
        validation=count_in(SetName.VALIDATION),
        test=count_in(SetName.TEST),
        excluded=sum(part[-2] for part in parts if part[0]),
        classes=sorted({part[1] for part in parts if part[1] is not None}) if of_copies else (),
        exact=of_copies and all(part[2] for part in parts),
    )


def _record(picture: Any, scope: SiftScope, *, figured: bool, answered: bool) -> ColumnElement[bytes]:
    """The bytes of a picture, whose facts are columns of `picture`."""

    def bit(test: Any, value: int) -> ColumnElement[int]:
        return cast(test, Integer) * value

    flags = (
        set_code(picture.id, scope.sets)
        + bit(picture.excluded, 4)
        + bit(picture.unsure, 8)
        + bit(picture.noted, 16)
        + bit(picture.two_labels, 32)
        + bit(picture.judged, 64)
        + bit(func.coalesce(picture.true_class != picture.predicted_class, False), 128)
    )
    first = picture.id * 256 + cast(flags, BigInteger)
    second = cast(func.coalesce(picture.class_id, 0), BigInteger) * 2**32 + func.coalesce(picture.predicted_class, 0)
    record: ColumnElement[bytes] = func.int8send(first, type_=LargeBinary).op("||")(
        func.int8send(second, type_=LargeBinary)
    )
    if figured:
        figure = func.coalesce(picture.figure, cast(literal("NaN"), REAL))
        record = record.op("||")(func.float4send(figure, type_=LargeBinary))
    if answered:
        # A number with a sign: the highest bit is that of the least one.
        doubted = bit(func.coalesce(picture.undecided, False), -(2**31))
        following = cast(func.coalesce(picture.runner_up, 0) + cast(doubted, BigInteger), Integer)
        record = record.op("||")(func.int4send(following, type_=LargeBinary))
    return record


def figure_name(sift: str, scope: SiftScope) -> str | None:
    """What the number is that records of this Sift can carry; None if it is ordered by none.

    Raises
    ------
    SiftError
    """
    figure = compile_sift(parse(sift), scope).figure
    return figure[0] if figure else None


def field_records(
    session: Session,
    scope: SiftScope,
    sift: str,
    group: Grouping,
    *,
    start: int = 0,
    count: int | None = None,
    rows: Sequence[FieldRowValue] | None = None,
    figured: bool = False,
    answered: bool = False,
) -> bytes:
    """Pictures in the order of the field, row after row, 16 bytes each, and 4 more for each of what else is wanted.

    Parameters
    ----------
    start, count : int
        The part that is wanted; all by default.
    rows : sequence of FieldRowValue, optional
        What `field_rows` has just counted for the same question: then only the rows that the part reaches are sorted.
    figured : bool
        With the number that the pictures are ordered by, if there is one.
    answered : bool
        With the class that is next in the run's answer, and whether that is "unsure".

    Raises
    ------
    SiftError
    """
    compiled = compile_sift(parse(sift), scope)
    key, place = _key(group, scope)
    # First which pictures, with plain columns, then their bytes: put together for this part alone.
    facts: list[ColumnElement[Any]] = [
        Picture.id.expression,
        Picture.class_id.expression,
        Picture.excluded.expression,
        Picture.unsure.expression,
        (Picture.note != "").label("noted"),
        Picture.two_labels.expression,
        Prediction.picture_id.is_not(None).label("judged"),
        Prediction.true_class.expression,
        Prediction.predicted_class.expression,
    ]
    figured = figured and compiled.figure is not None
    if compiled.figure and figured:
        facts.append(cast(compiled.figure[1], REAL).label("figure"))
    if answered:
        facts += [Prediction.runner_up.expression, undecided(scope.unsure_below).label("undecided")]
    chosen = joined(select(*facts).where(compiled.where), scope)
    if rows is not None and count is not None and group in _LARGE_ROWS:
        reached = _reached(rows, start + count)
        # What was asked of a run is found through its predictions faster than through several rows.
        if len(reached) == 1 or not compiled.asks_run:
            chosen = chosen.where(_in_rows(key, group, reached))
        if len(reached) == 1:
            place = literal(0)  # then there is nothing to put in order, nor to join for it
    part = chosen.order_by(place, *compiled.order, Picture.id).offset(start or None).limit(count).subquery()
    # They reach the aggregate in the order of the subquery.
    record = _record(part.c, scope, figured=figured, answered=answered)
    found = session.scalar(select(func.string_agg(record, sql("''::bytea"))).select_from(part))
    return bytes(found or b"")


def _reached(rows: Sequence[FieldRowValue], end: int) -> list[str | None]:
    """Keys of the rows, from the first, in which the first `end` pictures stand."""
    before = itertools.accumulate((row.count for row in rows), initial=0)
    return [row.key for row, count in zip(rows, before, strict=False) if count < end]


def _in_rows(key: ColumnElement[Any], group: Grouping, told: Sequence[str | None]) -> ColumnElement[bool]:
    of_ids = group in (Grouping.CLASS, Grouping.PREDICTED)
    within = key.in_([int(name) if of_ids else name for name in told if name is not None])
    return or_(within, key.is_(None)) if None in told else within


def sifted_ids(session: Session, scope: SiftScope, sift: str) -> Sequence[int]:
    """The pictures that a Sift lets through, by their ids; an order that it asks for has no say.

    Raises
    ------
    SiftError
    """
    where = compile_sift(replace(parse(sift), order=()), scope).where
    return session.scalars(joined(select(Picture.id).where(where), scope).order_by(Picture.id)).all()


def sifted_pictures(session: Session, scope: SiftScope, sift: str, after: int, limit: int) -> Sequence[PictureValue]:
    """Pictures that a Sift lets through, in the order they came, from the one after id `after` on.

    Raises
    ------
    SiftError
        It asks for an order, too: pages follow each other by id.
    """
    parsed = parse(sift)
    if parsed.order:
        raise SiftError(
            "Pages of pictures come in the order of their ids.", "Take the order out.", parsed.order[0].place
        )
    where = compile_sift(parsed, scope).where
    code = set_code(Picture.id.expression, scope.sets)
    query = joined(select(Picture, code).where(where, Picture.id > after), scope)
    found = session.execute(query.order_by(Picture.id).limit(limit))
    return [picture_value(row, SETS[number]) for row, number in found]
