"""Slices of a judged set: which facts of the pictures go with errors, each with the Sift that shows its pictures."""

import datetime as dt
from collections.abc import Iterator
from typing import Any

import numpy as np
from sqlalchemy.orm import Session

from vast_orchard.core.arrays import Array
from vast_orchard.core.judging.slices import SliceCounts, telling_slices
from vast_orchard.store.sift.words import quoted
from vast_orchard.store.slices import ClassCounts, CountsByFact, judged_counts_by_fact
from vast_orchard.store.values import ModelValue

__all__ = ["find_slices"]

# The ends of a measure: a fifth at each, in words.
_ENDS: dict[str, tuple[str, str]] = {
    "brightness": ("the darkest fifth", "the brightest fifth"),
    "contrast": ("the fifth with the least contrast", "the fifth with the most contrast"),
    "sharpness": ("the least sharp fifth", "the sharpest fifth"),
    "side": ("the smallest fifth", "the largest fifth"),
    "shape": ("the most upright fifth", "the most lying fifth"),
    "size": ("the fifth with the smallest files", "the fifth with the largest files"),
}
_KINDS = {"source": "those from", "came": "those that came on", "format": "files of the format"}
_FIFTH = 0.2


def find_slices(session: Session, model: ModelValue, set_name: str) -> list[dict[str, Any]]:
    """Slices in which errors are more frequent than chance explains, the surest first."""
    offset = dt.datetime.now().astimezone().utcoffset() or dt.timedelta()
    found = judged_counts_by_fact(session, model, set_name, end=_FIFTH, offset=offset)
    if found is None:
        return []
    sifts: dict[str, str] = {}
    slices = []
    for name, sift, counts in _candidates(found):
        sifts[name] = sift
        slices.append((name, _of_classes(found.total, counts)))
    return [
        {
            "words": f"among {entry.name}", "sift": f"judged:{set_name} {sifts[entry.name]}",
            "count": entry.count, "wrong": entry.wrong, "times": min(entry.times, 1e6), "p": entry.p,
        }
        for entry in telling_slices(slices)
    ]  # fmt: skip


def _candidates(found: CountsByFact) -> Iterator[tuple[str, str, ClassCounts]]:
    """What a slice is called, the Sift of its pictures, and their counts."""
    for end in found.ends:
        words, sign = _ENDS[end.measure][0 if end.low else 1], "<=" if end.low else ">="
        yield words, f"{end.measure}{sign}{end.bound:.6g}", end.counts
    for kind in found.kinds:
        yield f"{_KINDS[kind.kind]} {kind.value}", f"{kind.kind}:{quoted(kind.value)}", kind.counts


def _of_classes(total: ClassCounts, within: ClassCounts) -> SliceCounts:
    """Counts in one order of the classes."""

    def column(counts: ClassCounts, place: int) -> Array:
        return np.array([counts.get(class_id, (0, 0))[place] for class_id in total], np.int64)

    return SliceCounts(
        total=column(total, 0), errors=column(total, 1), inside=column(within, 0), wrong_inside=column(within, 1)
    )
