"""Compiles a Sift to SQL: conditions and orders over `Picture`, every value of a person a bound parameter."""

import datetime as dt
import re
from collections.abc import Mapping
from dataclasses import dataclass, field
from fnmatch import fnmatchcase
from typing import Any

from sqlalchemy import (
    ColumnElement,
    Float,
    and_,
    case,
    cast,
    false,
    func,
    literal,
    not_,
    or_,
    select,
    true,
)
from sqlalchemy.sql.visitors import iterate

from vast_orchard.store.schema import (
    Action,
    ActionChange,
    Appearance,
    Class,
    Import,
    Picture,
    PictureMeasure,
    PicturePrint,
    Prediction,
)
from vast_orchard.store.set_codes import SetCodes, in_set
from vast_orchard.store.sift.accepted import accepted_of
from vast_orchard.store.sift.against import against_run
from vast_orchard.store.sift.amounts import amount_of, span_of
from vast_orchard.store.sift.copy_flags import copy_flags
from vast_orchard.store.sift.parser import did_you_mean
from vast_orchard.store.sift.syntax import (
    All,
    Anyone,
    Compare,
    Condition,
    Flag,
    Not,
    Order,
    Place,
    Sift,
    SiftError,
    Text,
    Word,
)
from vast_orchard.store.sift.undecided import undecided
from vast_orchard.store.sift.words import AREAS, FIELDS, RUN_FLAGS, RUN_ORDERS, Kind
from vast_orchard.types import JudgedSet, SetName

__all__ = ["SAID", "CompiledSift", "SiftScope", "compile_sift"]

_Test = ColumnElement[bool]

_LONGER_SIDE = func.greatest(Picture.width, Picture.height)


def _measured(column: Any) -> ColumnElement[Any]:
    """Of the picture's measures, which lie in a table of their own."""
    return select(column).where(PictureMeasure.picture_id == Picture.id).correlate(Picture).scalar_subquery()


_NUMBERS: dict[str, ColumnElement[Any]] = {
    "width": Picture.width.expression,
    "height": Picture.height.expression,
    "side": _LONGER_SIDE,
    "shape": cast(Picture.width, Float) / Picture.height,
    "size": Picture.size_bytes.expression,
    "brightness": Picture.brightness.expression,
    "contrast": _measured(PictureMeasure.contrast),
    "sharpness": _measured(PictureMeasure.sharpness),
    "p": Prediction.p.expression,
    "loss": Prediction.loss.expression,
}
# What a tile can show of an order: numbers that mean something by themselves.
_FIGURES = frozenset({"size", "side", "brightness", "contrast", "sharpness", "like", "p", "loss"})
# Of whole numbers a value is met exactly, of others as far as its digits go.
_WHOLE = frozenset({"width", "height", "side", "size"})
_ASCII_TEXTS = {"format": Picture.format, "mode": Picture.mode}
# Classes that the run names of a picture.
SAID = {"predicted": Prediction.predicted_class, "true": Prediction.true_class}
_TOLD = {"path": Appearance.path, "group": Appearance.group_key, "source": Import.source_name}


@dataclass(frozen=True, kw_only=True)
class SiftScope:
    """What a Sift is read against: the things that the address names."""

    project_id: int
    now: dt.datetime  # with the time zone in which days begin
    classes: Mapping[str, int]  # id by name, of the project
    split_id: int | None = None
    sets: SetCodes | None = None  # of that split
    run_id: int | None = None
    model_id: int | None = None  # what that run has kept
    unjudged: str | None = None  # what to do about a run that was not judged
    run_classes: Mapping[str, int] = field(default_factory=dict)  # as the run knows them
    # By class id: a less probable answer of it is "unsure", of None every one; None: nobody has set it.
    unsure_below: Mapping[int, float | None] | None = None
    test_shown: bool = False  # a look at the test set was counted
    like_id: int | None = None  # the picture that `order:like` compares with
    areas: Mapping[str, ColumnElement[bool]] = field(default_factory=dict)  # what `area:` asks, by its word


@dataclass(frozen=True, kw_only=True)
class CompiledSift:
    """Conditions and orders for a query over pictures, their classes and predictions of the run."""

    where: _Test
    order: tuple[ColumnElement[Any], ...]
    # The first number that it is ordered by, and what that is called.
    figure: tuple[str, ColumnElement[Any]] | None
    asks_run: bool  # a condition or an order is about what the run said


def compile_sift(sift: Sift, scope: SiftScope) -> CompiledSift:
    """The SQL of a Sift.

    Raises
    ------
    SiftError
        It names a class that is not there, a number that is none, or a run where there is none.
    """
    where, order = _condition(sift.condition, scope), tuple(_order(entry, scope) for entry in sift.order)
    return CompiledSift(
        where=where,
        order=order,
        figure=next(((entry.key, _order_key(entry, scope)) for entry in sift.order if entry.key in _FIGURES), None),
        asks_run=any(_of_predictions(part) for asked in (where, *order) for part in iterate(asked)),
    )


def _of_predictions(part: Any) -> bool:
    return getattr(part, "table", None) is Prediction.__table__


def _condition(condition: Condition, scope: SiftScope) -> _Test:
    match condition:
        case All(parts=parts):
            return and_(true(), *(_condition(part, scope) for part in sorted(parts, key=_reads_text)))
        case Anyone(parts=parts):
            return or_(false(), *(_condition(part, scope) for part in parts))
        case Not(inner=inner):
            return not_(_condition(inner, scope))
        case Flag(name=name, place=place):
            return _flag(name, place, scope)
        case Text(word=word):
            return _free_text(word, scope)
        case Compare():
            return or_(*(_compare(condition, word, scope) for word in condition.values))


def _reads_text(condition: Condition) -> bool:
    """Whether it takes long for a row: such conditions come last, for PostgreSQL asks in the order that it is given."""
    return not isinstance(condition, Flag | Compare) or (
        isinstance(condition, Compare) and FIELDS[condition.field].kind is Kind.TEXT
    )


def _known(column: Any, test: _Test) -> _Test:
    """False where there is no value, so that `not` means everything else.

    Said so that PostgreSQL sees that only pictures with a value are meant: it then need not look at the others.
    """
    return and_(column.is_not(None), test)


def _need_run(what: str, place: Place, scope: SiftScope) -> None:
    if scope.run_id is None:
        raise SiftError(f"{what} asks about a run, and none is on show.", "Train one, or choose one in Runs.", place)
    if scope.unjudged is not None:
        raise SiftError(f"{what} asks what the run says, and it is not judged yet.", scope.unjudged, place)


def _need_split(place: Place, scope: SiftScope) -> None:
    if scope.split_id is None:
        raise SiftError("There are no sets yet.", "Divide the pictures first.", place)


def _flag(name: str, place: Place, scope: SiftScope) -> _Test:
    # Whether it was judged can be asked of any run; all else would answer "nothing" where nothing is known.
    if name in RUN_FLAGS and not (name == "judged" and scope.run_id is not None):
        _need_run(name, place, scope)
    if name == "parted-copies":
        _need_split(place, scope)
    if name == "undecided" and scope.unsure_below is None:
        mend = "Say in Review under which probability it does."
        raise SiftError('This model never says "unsure".', mend, place)
    # A label of today that the run does not know it could not have said.
    known = and_(Prediction.predicted_class.is_not(None), Picture.class_id.in_(list(scope.run_classes.values())))
    tests: dict[str, _Test] = {
        "unlabelled": Picture.class_id.is_(None),
        "excluded": Picture.excluded.expression,
        "unsure": Picture.unsure.expression,
        "noted": Picture.note != "",
        "two-labels": Picture.two_labels.expression,
        **copy_flags(scope.project_id, scope.sets),
        "wrong": _known(Prediction.true_class, Prediction.true_class != Prediction.predicted_class),
        "right": _known(Prediction.true_class, Prediction.true_class == Prediction.predicted_class),
        "judged": Prediction.picture_id.is_not(None),
        "undecided": undecided(scope.unsure_below),
        "wrong-today": _known(Picture.class_id, and_(known, Picture.class_id != Prediction.predicted_class)),
        "right-today": _known(Picture.class_id, and_(known, Picture.class_id == Prediction.predicted_class)),
    }
    return tests[name]


def _pattern(word: Word, *, whole: bool) -> str:
    """For `ilike`: every sign stands for itself, but for a star that is not quoted."""
    text = re.sub(r"([\\%_])", r"\\\1", word.text)
    if not word.quoted and "*" in text:
        return text.replace("*", "%")
    return text if whole else f"%{text}%"


def _in_note(pattern: str) -> _Test:
    """A search without regard to case takes a microsecond a row, so it is spared those that have no note."""
    of_nothing = literal(not pattern.strip("%"))
    return case((Picture.note == "", of_nothing), else_=Picture.note.ilike(pattern, escape="\\"))


def _free_text(word: Word, scope: SiftScope) -> _Test:
    pattern = _pattern(word, whole=False)
    named = [class_id for name, class_id in scope.classes.items() if word.text.casefold() in name.casefold()]
    return or_(
        Picture.folded_name.like(pattern.lower(), escape="\\"),
        _in_note(pattern),
        _known(Picture.class_id, Picture.class_id.in_(named)),
    )


def _compare(term: Compare, word: Word, scope: SiftScope) -> _Test:
    what = FIELDS[term.field]
    if what.needs_run:
        _need_run(term.field, term.place, scope)
    match what.kind:
        case Kind.CLASS:
            return _class(term.field, word, scope)
        case Kind.SET:
            return _set(term.field, word, scope)
        case Kind.TEXT:
            return _text(term, word, scope)
        case Kind.NUMBER | Kind.BYTES:
            return _number(term, word, what.kind)
        case Kind.DAY:
            return _day(term, word, scope)
        case Kind.ACTION:
            return _action(word, scope)
        case Kind.AREA:
            return _area(word, scope)
        case Kind.RUN:
            if term.field == "accepted":
                return accepted_of(word, scope.project_id)
            return against_run(term.field, word, scope.project_id)


def _class(name: str, word: Word, scope: SiftScope) -> _Test:
    column, known = Picture.class_id, scope.classes
    if name in SAID:
        column, known = SAID[name], scope.run_classes
    if word.text.lower() == "none" and not word.quoted:
        return column.is_(None)
    wanted = word.text.casefold()
    starred = "*" in wanted and not word.quoted
    # Brackets mean something to fnmatch, and nothing here.
    star = wanted.replace("[", "[[]")
    ids = [
        n for text, n in known.items() if (fnmatchcase(text.casefold(), star) if starred else text.casefold() == wanted)
    ]
    if not ids and not starred:
        raise SiftError(
            f"There is no class {word.text}.",
            did_you_mean(word.text, [text.lower() for text in known], "Choose one that is there, or make it first."),
            word.place,
        )
    return _known(column, column.in_(ids))


def _set(field: str, word: Word, scope: SiftScope) -> _Test:
    name, asked = word.text.lower(), field == "judged"
    if name == "none":
        return Prediction.set_name.is_(None) if asked else in_set(Picture.id.expression, scope.sets, None)
    names = [entry.value for entry in (JudgedSet if asked else SetName)]
    if name not in names:
        mend = did_you_mean(name, [*names, "none"], f"There are {', '.join(names)}, none.")
        raise SiftError(f"There is no set {word.text}.", mend, word.place)
    if asked:
        return _known(Prediction.set_name, Prediction.set_name == name)
    _need_split(word.place, scope)
    return in_set(Picture.id.expression, scope.sets, SetName(name))


def _area(word: Word, scope: SiftScope) -> _Test:
    test = scope.areas.get(word.text.lower())
    if test is None:
        mend = did_you_mean(word.text.lower(), list(scope.areas), f"There are {', '.join(AREAS)}.")
        raise SiftError(f"There is no working area {word.text}.", mend, word.place)
    return test


def _text(term: Compare, word: Word, scope: SiftScope) -> _Test:
    pattern = _pattern(word, whole=term.sign == "=")
    if term.field == "name":
        return Picture.folded_name.like(pattern.lower(), escape="\\")
    if term.field == "note":
        return _in_note(pattern)
    if term.field in _ASCII_TEXTS:
        # By plain ASCII, which is all that these hold: folding case by a language takes ten times as long.
        return _ASCII_TEXTS[term.field].collate("C").ilike(pattern, escape="\\")
    told = (
        select(Appearance.picture_id)
        .join(Import, Import.id == Appearance.import_id)
        .where(
            Import.project_id == scope.project_id,
            Import.undone_at.is_(None),
            _TOLD[term.field].ilike(pattern, escape="\\"),
        )
    )
    return Picture.id.in_(told)


def _number(term: Compare, word: Word, kind: Kind) -> _Test:
    value, digits = amount_of(word, kind)
    column, bound = _NUMBERS[term.field], literal(value, Float)
    match term.sign:
        case "<":
            return _known(column, column < bound)
        case "<=":
            return _known(column, column <= bound)
        case ">":
            return _known(column, column > bound)
        case ">=":
            return _known(column, column >= bound)
    if term.field in _WHOLE:
        return _known(column, column == bound)
    half = 0.5 * 10.0 ** -min(digits, 30)
    return _known(column, column.between(literal(value - half, Float), literal(value + half, Float)))


def _day(term: Compare, word: Word, scope: SiftScope) -> _Test:
    begins, ends = span_of(word, scope.now)

    def within(column: Any) -> _Test:
        match term.sign:
            case "<":
                return column < begins  # type: ignore[no-any-return]
            case "<=":
                return column < ends  # type: ignore[no-any-return]
            case ">":
                return column >= ends  # type: ignore[no-any-return]
            case ">=":
                return column >= begins  # type: ignore[no-any-return]
        return and_(column >= begins, column < ends)

    if term.field == "came":
        return within(Picture.came_at)
    changed = (
        select(ActionChange.picture_id)
        .join(Action, Action.id == ActionChange.action_id)
        .where(Action.project_id == scope.project_id, within(Action.done_at))
    )
    return Picture.id.in_(changed)


def _action(word: Word, scope: SiftScope) -> _Test:
    if not (word.text.isascii() and word.text.isdecimal() and len(word.text) <= 18):
        raise SiftError(f"{word.text} is not the number of a step.", "Open a step from the history.", word.place)
    changed = (
        select(ActionChange.picture_id)
        .join(Action, Action.id == ActionChange.action_id)
        .where(Action.project_id == scope.project_id, Action.id == int(word.text))
    )
    return Picture.id.in_(changed)


def _last_change(scope: SiftScope) -> ColumnElement[Any]:
    return (
        select(func.max(ActionChange.action_id))
        .where(ActionChange.picture_id == Picture.id)
        .correlate(Picture)
        .scalar_subquery()
    )


def _likeness(place: Place, scope: SiftScope) -> ColumnElement[Any]:
    """How far a picture's fingerprint is from that of the chosen one."""
    if scope.like_id is None:
        raise SiftError("order:like asks for a picture, and none is chosen.", "Choose one, then order by it.", place)
    chosen = select(PicturePrint.place).where(PicturePrint.picture_id == scope.like_id).scalar_subquery()
    return (
        select(PicturePrint.place.op("<->", return_type=Float())(chosen))
        .where(PicturePrint.picture_id == Picture.id)
        .correlate(Picture)
        .scalar_subquery()
    )


def _order(entry: Order, scope: SiftScope) -> ColumnElement[Any]:
    key = _order_key(entry, scope)
    # What has no such value stands last, whichever way it goes.
    return (key.desc() if entry.falling else key.asc()).nulls_last()


def _order_key(entry: Order, scope: SiftScope) -> ColumnElement[Any]:
    if entry.key in RUN_ORDERS:
        _need_run(f"order:{entry.key}", entry.place, scope)
    keys: dict[str, Any] = {
        # By code points, which sorts five times as fast as by the words of a language.
        "name": Picture.folded_name.collate("C"),
        "came": Picture.came_at.expression,
        "size": Picture.size_bytes.expression,
        "side": _LONGER_SIDE,
        "brightness": Picture.brightness.expression,
        "contrast": _NUMBERS["contrast"],
        "sharpness": _NUMBERS["sharpness"],
        "class": Class.place.expression,
        "p": Prediction.p.expression,
        "loss": Prediction.loss.expression,
        "worth": Prediction.worth.expression,
    }
    match entry.key:
        case "changed":
            return _last_change(scope)
        case "like":
            return _likeness(entry.place, scope)
    key: ColumnElement[Any] = keys[entry.key]
    return key
