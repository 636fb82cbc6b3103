"""Findings that facts and measures of pictures tell: what is hard to see, what gives a class away, sets apart."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import asdict
from typing import Any

import numpy as np

from vast_orchard.core.arrays import Array, FloatArray
from vast_orchard.core.findings.apart import sets_apart
from vast_orchard.core.findings.hard import hard_to_see
from vast_orchard.core.findings.kinds import HARD
from vast_orchard.core.findings.telltale import parts_of, tells, telltale_facts
from vast_orchard.store.finding_facts import PictureFacts
from vast_orchard.store.findings import FoundPicture
from vast_orchard.store.schema import FindingKind
from vast_orchard.types import SetName

__all__ = ["hard_findings", "sets_that_differ", "telltale_findings"]

_MEASURES = ("light", "span", "blur", "noise", "cut")
_SURE = 0.01
_CLEAR = 0.55  # area from which sets that can be told apart are of any matter


def hard_findings(facts: Sequence[PictureFacts]) -> tuple[list[FoundPicture], dict[str, Any]]:
    """What is hard to see, and of each kind how many chance gives."""
    if not facts:
        return [], {kind: {"expected": 0.0} for kind in HARD}
    classes = np.array([one.class_id or 0 for one in facts], np.int64)
    columns = {name: np.array([_number(one.measures[name]) for one in facts]) for name in _MEASURES}
    columns["side"] = np.array([float(max(one.width, one.height)) for one in facts])
    columns["shape"] = np.array([one.width / one.height for one in facts])
    found, report = [], {}
    for name, beyond in hard_to_see(columns, classes).items():
        report[name] = {"expected": beyond.expected}
        found += [
            FoundPicture(
                picture_id=facts[n].id, kind=FindingKind(name), weight=float(beyond.far[n]), class_id=facts[n].class_id
            )
            for n in np.flatnonzero(beyond.named).tolist()
        ]
    return found, report


def _number(value: float | None) -> float:
    return float("nan") if value is None else value


def _one_of_copies(labelled: Sequence[PictureFacts]) -> list[PictureFacts]:
    """Of copies one each: twenty copies of a picture are no twenty pictures."""
    seen: set[int] = set()
    kept = []
    for one in labelled:
        if one.copy_group is None or one.copy_group not in seen:
            kept.append(one)
        if one.copy_group is not None:
            seen.add(one.copy_group)
    return kept


# Facts that should not tell a class, by what people call them.
_FACTS: Mapping[str, Callable[[PictureFacts], Any]] = {
    "file format": lambda one: one.format,
    "pixel mode": lambda one: one.mode,
    "longer side": lambda one: max(one.width, one.height),
    "shape": lambda one: round(one.width / one.height, 3),
    "source": lambda one: one.source,
    "day brought in": lambda one: one.day,
    "frame": lambda one: None if one.measures["frame"] is None else 16 * round(one.measures["frame"] / 16),
}


def telltale_findings(labelled: Sequence[PictureFacts]) -> list[dict[str, Any]]:
    """Facts that give a class away."""
    kept = _one_of_copies(labelled)
    if not kept:
        return []
    parts = {name: parts_of([of(one) for one in kept]) for name, of in _FACTS.items()}
    labels = np.array([one.class_id for one in kept], np.int64)
    return [
        {
            **{key: value for key, value in asdict(one).items() if key != "most"},
            "most": None
            if one.most is None
            else {
                "part": parts[one.fact][1][one.most[0]], "class_id": one.most[1], "of_class": one.most[2],
                "in_part": one.most[3],
            },
        }
        for one in telltale_facts(parts, labels)
        if tells(one)
    ]  # fmt: skip


def sets_that_differ(labelled: Sequence[PictureFacts]) -> list[dict[str, Any]]:
    """Validation and test, where they can be told from training."""
    kept = [one for one in _one_of_copies(labelled) if one.set_name is not None]
    found = []
    for other in (SetName.TEST, SetName.VALIDATION):
        pair = [one for one in kept if one.set_name in (SetName.TRAINING.value, other.value)]
        second = np.array([one.set_name == other.value for one in pair], bool)
        told = sets_apart(_columns(pair), second)
        # Two pairs of sets are looked at.
        if told is not None and 2 * told.chance < _SURE and told.area >= _CLEAR:
            facts = [{"fact": name, "area": area} for name, area in told.facts[:3]]
            found.append({"set": other.value, "area": told.area, "chance": 2 * told.chance, "facts": facts})
    return found


def _columns(pictures: Sequence[PictureFacts]) -> dict[str, FloatArray]:
    columns: dict[str, FloatArray] = {
        name: np.nan_to_num(np.array([_number(one.measures[name]) for one in pictures])) for name in _MEASURES
    }
    columns["longer side"] = np.array([float(max(one.width, one.height)) for one in pictures])
    columns["shape"] = np.array([one.width / one.height for one in pictures])
    for name in ("file format", "pixel mode", "source", "day brought in", "frame"):
        parts, words = parts_of([_FACTS[name](one) for one in pictures]) if pictures else (np.empty(0, int), [])
        columns[name] = _ones(parts, len(words))
    return columns


def _ones(parts: Array, count: int) -> FloatArray:
    return np.asarray(parts[:, None] == np.arange(count), np.float64)
