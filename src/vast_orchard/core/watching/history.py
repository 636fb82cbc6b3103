"""What is kept of an epoch besides its figures, for those who look at the training."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from vast_orchard.core.arrays import Array
from vast_orchard.core.watching.figures import LayerFigures, layer_from_json, layer_to_json

__all__ = [
    "Answers",
    "EpochRecord",
    "Watched",
    "answers_of",
    "watched_from_json",
    "watched_to_json",
]


@dataclass(frozen=True, kw_only=True)
class Answers:
    """What was answered on validation, by class in the order of the network's outputs."""

    named: tuple[int, ...]  # how often each was answered
    other: tuple[int, ...]  # the class that each was most often wrongly taken for, −1 if it never was
    others: tuple[int, ...]  # how often
    count: tuple[int, ...]  # pictures of each


@dataclass(frozen=True, kw_only=True)
class Watched:
    """Of one epoch."""

    losses: tuple[float, ...] = ()  # of its steps: the first one's, then means of so many that there are 40 at most
    layers: tuple[LayerFigures, ...] = ()
    answers: Answers | None = None  # None without a validation set


@dataclass(frozen=True, kw_only=True)
class EpochRecord:
    """One epoch as it is recorded."""

    number: int  # counted from 1
    figures: Mapping[str, float] = field(default_factory=dict)
    watched: Watched = field(default_factory=Watched)


def answers_of(confusion: Array) -> Answers:
    """From a confusion matrix of shape (K, K), int64, with true classes in rows."""
    wrong = confusion.copy()
    np.fill_diagonal(wrong, 0)
    most = wrong.max(axis=1)
    return Answers(
        named=tuple(confusion.sum(axis=0).tolist()),
        other=tuple(np.where(most > 0, wrong.argmax(axis=1), -1).tolist()),
        others=tuple(most.tolist()),
        count=tuple(confusion.sum(axis=1).tolist()),
    )


def watched_to_json(watched: Watched) -> dict[str, Any]:
    """Plain values, and only those that there are."""
    found: dict[str, Any] = {}
    if watched.losses:
        found["losses"] = list(watched.losses)
    if watched.layers:
        found["layers"] = [layer_to_json(entry) for entry in watched.layers]
    if watched.answers:
        answers = watched.answers
        found["answers"] = {
            "named": list(answers.named), "other": list(answers.other), "others": list(answers.others),
            "count": list(answers.count),
        }  # fmt: skip
    return found


def watched_from_json(data: Mapping[str, Any]) -> Watched:
    """Read what `watched_to_json` wrote."""
    answers: Mapping[str, Sequence[int]] | None = data.get("answers")
    return Watched(
        losses=tuple(data.get("losses", ())),
        layers=tuple(layer_from_json(entry) for entry in data.get("layers", ())),
        answers=Answers(**{name: tuple(values) for name, values in answers.items()}) if answers else None,
    )
