"""Slices of a judged set: which facts of the pictures go with errors, each with the Sift that shows its pictures."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from sqlalchemy.orm import Session

from vast_orchard.core.arrays import Array
from vast_orchard.core.judging.slices import telling_slices
from vast_orchard.store.measures import judged_facts
from vast_orchard.store.sift.words import quoted
from vast_orchard.store.values import ModelValue

__all__ = ["find_slices"]

# The ends of a measure: a fifth at each, in words, and how a Sift names it.
_ENDS: dict[str, tuple[str, str]] = {
    "brightness": ("the darkest fifth", "the brightest fifth"),
    "contrast": ("the fifth with the least contrast", "the fifth with the most contrast"),
    "sharpness": ("the least sharp fifth", "the sharpest fifth"),
    "side": ("the smallest fifth", "the largest fifth"),
    "shape": ("the most upright fifth", "the most lying fifth"),
    "size": ("the fifth with the smallest files", "the fifth with the largest files"),
}
_FIFTH = 0.2


@dataclass(frozen=True)
class _Candidate:
    name: str
    sift: str
    within: Array


def find_slices(session: Session, model: ModelValue, set_name: str) -> list[dict[str, Any]]:
    """Slices in which errors are more frequent than chance explains, the surest first."""
    rows = judged_facts(session, model, set_name)
    if not rows:
        return []
    labels = np.array([row.true_class for row in rows])
    wrong = labels != np.array([row.predicted_class for row in rows])
    candidates = {one.name: one for one in _candidates(rows)}
    told = telling_slices([(one.name, one.within) for one in candidates.values()], wrong, labels)
    return [
        {
            "words": f"among {entry.name}", "sift": f"judged:{set_name} {candidates[entry.name].sift}",
            "count": entry.count, "wrong": entry.wrong, "times": min(entry.times, 1e6), "p": entry.p,
        }
        for entry in told
    ]  # fmt: skip


def _candidates(rows: Sequence[Any]) -> Iterator[_Candidate]:
    values = {
        "brightness": [row.brightness for row in rows],
        "contrast": [row.contrast for row in rows],
        "sharpness": [row.sharpness for row in rows],
        "side": [max(row.width, row.height) for row in rows],
        "shape": [row.width / row.height for row in rows],
        "size": [row.size_bytes for row in rows],
    }
    for name, listed in values.items():
        yield from _ends(name, np.array([np.nan if value is None else value for value in listed], np.float64))
    yield from _kinds("source", "those from", [row.source for row in rows])
    yield from _kinds("came", "those that came on", _days(rows))
    yield from _kinds("format", "files of the format", [row.format for row in rows])


def _days(rows: Sequence[Any]) -> list[str]:
    """Of each picture the day on which it came; those of one import share a moment."""
    moments = {row.came_at for row in rows}
    days = {moment: moment.astimezone().date().isoformat() for moment in moments}
    return [days[row.came_at] for row in rows]


def _ends(name: str, values: Array) -> Iterator[_Candidate]:
    known = values[~np.isnan(values)]
    # Where all are alike there are no ends.
    if not len(known) or known.min() == known.max():
        return
    low, high = np.quantile(known, (_FIFTH, 1 - _FIFTH))
    for words, within, sign, bound in (
        (_ENDS[name][0], values <= low, "<=", low),
        (_ENDS[name][1], values >= high, ">=", high),
    ):
        if known.min() < bound or sign == "<=":
            yield _Candidate(words, f"{name}{sign}{bound:.6g}", within)


def _kinds(field: str, words: str, values: Sequence[str | None]) -> Iterator[_Candidate]:
    found = sorted({value for value in values if value})
    if len(found) < 2:
        return
    listed = np.array([value or "" for value in values])
    for value in found:
        yield _Candidate(f"{words} {value}", f"{field}:{quoted(value)}", listed == value)
