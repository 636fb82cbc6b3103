"""Answering or not: what share of pictures is answered above a probability, and how many of those answers are right."""

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from vast_orchard.core.arrays import Array, FloatArray
from vast_orchard.core.judging.five_parts import PARTS
from vast_orchard.core.judging.intervals import wilson_interval

__all__ = ["AIMS", "LEAST_ANSWERS", "POSTS", "Aim", "Answered", "Answering", "answering"]

# Probabilities below which a model may say "unsure": fine near 1, where trained networks answer mostly.
POSTS: tuple[float, ...] = (*(round(n / 100, 2) for n in range(100)), 0.995, 0.998, 0.999)
# Of those answers so many shall be right.
AIMS: tuple[float, ...] = (0.9, 0.95, 0.98, 0.99, 0.995)
# A class with fewer answers shares the threshold of all.
LEAST_ANSWERS = 30


@dataclass(frozen=True, kw_only=True)
class Answered:
    """Pictures that are answered, and those of them that are right."""

    answered: int
    right: int
    interval: tuple[float, float]  # of right over answered; Wilson, 95 %


@dataclass(frozen=True, kw_only=True)
class Aim:
    """The lowest threshold with which so many answers are right; chosen on four parts, and counted on the fifth."""

    wanted: float
    below: float | None  # chosen on all pictures: under it the model is unsure; None if no threshold reaches the aim
    counted: Answered
    by_class: Mapping[int, float | None]  # by the place of the answer's class; the others share `below`
    counted_by_class: Answered


@dataclass(frozen=True, kw_only=True)
class Answering:
    """For each of `POSTS`, and for each of `AIMS`."""

    count: int
    thresholds: tuple[float, ...]
    posts: tuple[Answered, ...]
    aims: tuple[Aim, ...]


def answering(probabilities: FloatArray, labels: Array, parts: Array) -> Answering:
    """How many answers are right, if only those above a threshold are given.

    Parameters
    ----------
    probabilities : ndarray, shape (N, K)
        Calibrated, each picture's by what was fitted without its part.
    labels, parts : ndarray, shape (N,), int
        The parts are those of `five_parts`.
    """
    p, predicted = probabilities.max(axis=1).astype(np.float64), probabilities.argmax(axis=1)
    right = predicted == labels
    answers = _Answers(p, right, predicted, parts)
    return Answering(
        count=len(p),
        thresholds=POSTS,
        posts=tuple(_answered(p >= post, right) for post in POSTS),
        aims=tuple(answers.aim(wanted) for wanted in AIMS),
    )


def _answered(given: Array, right: Array) -> Answered:
    answered, hits = int(given.sum()), int((given & right).sum())
    return Answered(answered=answered, right=hits, interval=wilson_interval(hits, answered))


def _lowest(p: FloatArray, right: Array, wanted: float) -> float | None:
    """The lowest of `POSTS` above which at least the wanted share is right."""
    order = np.argsort(p)
    first = np.searchsorted(p[order], POSTS)
    left = len(p) - first
    hits = np.concatenate([np.cumsum(right[order][::-1])[::-1], [0]])[first]
    good = np.flatnonzero((left > 0) & (hits >= wanted * left))
    return POSTS[good[0]] if len(good) else None


@dataclass(frozen=True)
class _Answers:
    p: FloatArray
    right: Array
    predicted: Array
    parts: Array

    def aim(self, wanted: float) -> Aim:
        everything = np.ones(len(self.p), bool)
        given, given_by_class = np.zeros(len(self.p), bool), np.zeros(len(self.p), bool)
        for part in range(PARTS):
            here = self.parts == part
            below, by_class = self._fitted(~here, wanted)
            given |= here & self._given(below, {})
            given_by_class |= here & self._given(below, by_class)
        below, by_class = self._fitted(everything, wanted)
        return Aim(
            wanted=wanted,
            below=below,
            counted=_answered(given, self.right),
            by_class=by_class,
            counted_by_class=_answered(given_by_class, self.right),
        )

    def _fitted(self, chosen: Array, wanted: float) -> tuple[float | None, dict[int, float | None]]:
        by_class = {}
        for place in np.unique(self.predicted):
            # Whether a class has a threshold of its own is asked of all pictures, so that it is one rule in all parts.
            if (self.predicted == place).sum() >= LEAST_ANSWERS:
                of_class = chosen & (self.predicted == place)
                by_class[int(place)] = _lowest(self.p[of_class], self.right[of_class], wanted)
        return _lowest(self.p[chosen], self.right[chosen], wanted), by_class

    def _given(self, below: float | None, by_class: Mapping[int, float | None]) -> Array:
        least = np.full(len(self.p), np.inf if below is None else below)
        for place, own in by_class.items():
            least[self.predicted == place] = np.inf if own is None else own
        return np.asarray(self.p >= least)
