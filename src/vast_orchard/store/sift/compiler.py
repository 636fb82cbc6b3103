"""Compiles a Sift to SQL: conditions and orders over `Picture`, every value of a person a bound parameter."""

import re
from dataclasses import dataclass
from fnmatch import fnmatchcase
from typing import Any

from sqlalchemy import (
    ColumnElement,
    Float,
    and_,
    case,
    false,
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
    Import,
    Picture,
    Prediction,
)
from vast_orchard.store.set_codes import in_set
from vast_orchard.store.sift.accepted import accepted_of
from vast_orchard.store.sift.against import against_run
from vast_orchard.store.sift.amounts import amount_of, span_of
from vast_orchard.store.sift.copy_flags import copy_flags
from vast_orchard.store.sift.found import found_as
from vast_orchard.store.sift.numbers import NUMBERS
from vast_orchard.store.sift.orders import in_order, order_key
from vast_orchard.store.sift.parser import did_you_mean
from vast_orchard.store.sift.scope import SiftScope, need_run, need_split
from vast_orchard.store.sift.syntax import (
    All,
    Anyone,
    Compare,
    Condition,
    Flag,
    Not,
    Place,
    Sift,
    SiftError,
    Text,
    Word,
)
from vast_orchard.store.sift.undecided import undecided
from vast_orchard.store.sift.words import AREAS, FIELDS, FINDINGS, RUN_FLAGS, Kind
from vast_orchard.types import JudgedSet, SetName

__all__ = ["SAID", "CompiledSift", "compile_sift"]

_Test = ColumnElement[bool]

# What a tile can show of an order: numbers that mean something by themselves.
_FIGURES = frozenset(
    {
        "size", "side", "brightness", "contrast", "sharpness", "light", "span", "blur", "noise", "cut", "like", "p",
        "loss",
    }
)  # fmt: skip
# Of whole numbers a value is met exactly, of others as far as its digits go.
_WHOLE = frozenset({"width", "height", "side", "size"})
_ASCII_TEXTS = {"format": Picture.format, "mode": Picture.mode}
# Classes that the run names of a picture.
SAID = {"predicted": Prediction.predicted_class, "true": Prediction.true_class}
_TOLD = {"path": Appearance.path, "group": Appearance.group_key, "source": Import.source_name}


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
    where, order = _condition(sift.condition, scope), tuple(in_order(entry, scope) for entry in sift.order)
    return CompiledSift(
        where=where,
        order=order,
        figure=next(((entry.key, order_key(entry, scope)) for entry in sift.order if entry.key in _FIGURES), None),
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


def _flag(name: str, place: Place, scope: SiftScope) -> _Test:
    # Whether it was judged can be asked of any run; all else would answer "nothing" where nothing is known.
    if name in RUN_FLAGS and not (name == "judged" and scope.run_id is not None):
        need_run(name, place, scope)
    if name == "parted-copies":
        need_split(place, scope)
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
        need_run(term.field, term.place, scope)
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
        case Kind.FINDING:
            return _finding(word, scope)
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
    need_split(word.place, scope)
    return in_set(Picture.id.expression, scope.sets, SetName(name))


def _area(word: Word, scope: SiftScope) -> _Test:
    test = scope.areas.get(word.text.lower())
    if test is None:
        mend = did_you_mean(word.text.lower(), list(scope.areas), f"There are {', '.join(AREAS)}.")
        raise SiftError(f"There is no working area {word.text}.", mend, word.place)
    return test


def _finding(word: Word, scope: SiftScope) -> _Test:
    test = found_as(word.text.lower(), scope.project_id)
    if test is None:
        mend = did_you_mean(word.text.lower(), list(FINDINGS), f"There are {', '.join(FINDINGS)}.")
        raise SiftError(f"There is no finding {word.text}.", mend, word.place)
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
    column, bound = NUMBERS[term.field], literal(value, Float)
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
