"""What could stand where the cursor is in a Sift, with how many pictures each would find."""

import re
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import Any

from sqlalchemy import ColumnElement, Select, func, select
from sqlalchemy.orm import Session

from vast_orchard.store.schema import Picture, Prediction, SplitMember
from vast_orchard.store.sift.compiler import SAID
from vast_orchard.store.sift.scope import SiftScope
from vast_orchard.store.sift.words import (
    AREAS,
    FIELDS,
    FINDINGS,
    FLAGS,
    JOINS,
    ORDERS,
    RUN_FLAGS,
    RUN_ORDERS,
    Kind,
    quoted,
)
from vast_orchard.types import JudgedSet, SetName

__all__ = ["Completion", "complete"]

_MOST = 60
# What is being written: perhaps a field and its sign, earlier values, and the beginning of a word or of a quoted text.
_HERE = re.compile(r'(?:([A-Za-z][A-Za-z-]*)(:|=)((?:[^\s()",]*,|"(?:[^"]|"")*",)*))?("?)([^\s()",]*|(?<=")[^"]*)$')
_DAYS = ("today", "yesterday", "7d", "30d")


@dataclass(frozen=True, kw_only=True)
class Completion:
    """Something that could be written here."""

    text: str  # what to write
    start: int  # instead of what stands from here to the cursor
    words: str  # what it means
    count: int | None  # pictures that it would find by itself, where that is known


def complete(session: Session, scope: SiftScope, line: str, at: int) -> Sequence[Completion]:
    """What could stand at the cursor, fields and words in the order of the grammar, values most frequent first."""
    match = _HERE.search(line[:at])
    if match is None:
        return []
    field, _, _, quote, begun = match.groups()
    start = match.start(4)
    found = _values(session, scope, field.lower(), start) if field else _words(session, scope, start)
    begun = begun.lower()
    fitting = [x for x in found if begun in x.text.lower()]
    fitting.sort(key=lambda x: not x.text.strip('"').lower().startswith(begun))
    if quote:
        fitting = [x for x in fitting if field]
    return fitting[:_MOST]


def _words(session: Session, scope: SiftScope, start: int) -> Iterator[Completion]:
    counts = _flag_counts(session, scope)
    for name, field in FIELDS.items():
        if scope.run_id or not field.needs_run:
            sign = "<" if field.kind in (Kind.NUMBER, Kind.BYTES) else ":"
            yield Completion(text=name + sign, start=start, words=field.words, count=None)
    for name, words in FLAGS.items():
        if scope.run_id or name not in RUN_FLAGS:
            yield Completion(text=name, start=start, words=words, count=counts.get(name))
    yield Completion(text="order:", start=start, words="how the rows are ordered: order:-size", count=None)
    for name, words in JOINS.items():
        yield Completion(text=name, start=start, words=words, count=None)


def _flag_counts(session: Session, scope: SiftScope) -> dict[str, int]:
    here = Picture.project_id == scope.project_id, Picture.deleted_at.is_(None)
    tests = {
        "unlabelled": Picture.class_id.is_(None),
        "excluded": Picture.excluded,
        "unsure": Picture.unsure,
        "noted": Picture.note != "",
        "two-labels": Picture.two_labels,
    }
    row = session.execute(select(*(func.count().filter(test) for test in tests.values())).where(*here)).one()
    return dict(zip(tests, row, strict=True))


def _quoted(text: str) -> str:
    """A name as it must be written to be read again."""
    if re.fullmatch(r'[^\s()",*]+', text) and text.lower() != "none":
        return text
    return quoted(text)


def _values(session: Session, scope: SiftScope, field: str, start: int) -> list[Completion]:
    if field == "order":
        return [
            Completion(text=sign + name, start=start, words=words + (", largest first" if sign else ""), count=None)
            for name, words in ORDERS.items()
            if (scope.run_id or name not in RUN_ORDERS) and (scope.like_id or name != "like")
            for sign in ("", "-")
        ]
    if field not in FIELDS:
        return []
    match FIELDS[field].kind:
        case Kind.CLASS:
            return _classes(session, scope, field, start)
        case Kind.SET:
            return _sets(session, scope, field, start)
        case Kind.FINDING:
            return [Completion(text=text, start=start, words=words, count=None) for text, words in FINDINGS.items()]
        case Kind.AREA:
            return [Completion(text=text, start=start, words=words, count=None) for text, words in AREAS.items()]
        case Kind.DAY:
            return [Completion(text=text, start=start, words=FIELDS[field].words, count=None) for text in _DAYS]
        case Kind.TEXT if field in ("format", "mode"):
            column = Picture.format if field == "format" else Picture.mode
            return [
                Completion(text=_quoted(name), start=start, words=FIELDS[field].words, count=count)
                for name, count in _counted(session, scope, select(column, func.count()).group_by(column))
            ]
    return []


def _counted(session: Session, scope: SiftScope, query: Select[str, int]) -> list[tuple[str, int]]:
    here = query.where(Picture.project_id == scope.project_id, Picture.deleted_at.is_(None))
    return [(row[0], row[1]) for row in session.execute(here.order_by(func.count().desc()))]


def _classes(session: Session, scope: SiftScope, field: str, start: int) -> list[Completion]:
    if field in SAID:
        named = scope.run_classes
        counts = _said_counts(session, scope, SAID[field].expression)
    else:
        named = scope.classes
        here = select(Picture.class_id, func.count()).where(
            Picture.project_id == scope.project_id, Picture.deleted_at.is_(None)
        )
        counts = {key or 0: count for key, count in session.execute(here.group_by(Picture.class_id))}
    found = [
        Completion(text=_quoted(name), start=start, words=f"the class {name}", count=counts.get(class_id, 0))
        for name, class_id in named.items()
    ]
    found.append(Completion(text="none", start=start, words="no class", count=counts.get(0)))
    return sorted(found, key=lambda entry: -(entry.count or 0))


def _said_counts(session: Session, scope: SiftScope, column: ColumnElement[Any]) -> dict[Any, int]:
    """How often the run's model said each, on what it may be asked about here."""
    said = select(column, func.count()).where(Prediction.model_id == (scope.model_id or 0))
    if not scope.test_shown:
        said = said.where(Prediction.set_name != SetName.TEST.value)
    return dict(session.execute(said.group_by(column)).all())


def _sets(session: Session, scope: SiftScope, field: str, start: int) -> list[Completion]:
    if field == "judged":
        said = _said_counts(session, scope, Prediction.set_name.expression)
        return [
            Completion(text=name.value, start=start, words=f"asked about as {name}", count=said[name])
            for name in JudgedSet
            if name in said
        ]
    query = (
        select(SplitMember.set_name, func.count())
        .join(Picture, Picture.id == SplitMember.picture_id)
        .where(SplitMember.split_id == (scope.split_id or 0), Picture.deleted_at.is_(None))
        .group_by(SplitMember.set_name)
    )
    counts = dict(session.execute(query).all())
    names = [entry.value for entry in SetName]
    found = [Completion(text=name, start=start, words=f"the {name} set", count=counts.get(name, 0)) for name in names]
    return [*found, Completion(text="none", start=start, words="in no set", count=None)]
