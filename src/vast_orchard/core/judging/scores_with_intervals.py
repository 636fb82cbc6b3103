"""Every figure of a judged set with its 95 % interval: Wilson's for shares, by drawing pictures again for the others.

Copies of one picture are drawn together: twice the same error is one piece of evidence.
"""

from collections.abc import Callable, Iterator
from dataclasses import dataclass, fields
from functools import partial

import numpy as np

from vast_orchard.core.arrays import Array, FloatArray
from vast_orchard.core.judging.bootstrap import bootstrap_interval
from vast_orchard.core.judging.intervals import wilson_interval
from vast_orchard.core.judging.scores import picture_losses

__all__ = ["SMALL_CLASS", "ClassIntervals", "ScoreWithInterval", "brier_scores", "scores_with_intervals"]

Interval = tuple[float, float]

# Sets of pictures drawn; Efron and Tibshirani 1993, "An introduction to the bootstrap", section 14.5.
_DRAWS = 1000
# Below so many pictures a class's figures are a hint at most: at 20, Wilson's interval of 0.9 is 0.27 wide.
SMALL_CLASS = 20
# Groups left out at a time; it bounds memory and does not change the result.
_AT_ONCE = 4096


@dataclass(frozen=True, kw_only=True)
class ScoreWithInterval:
    """One figure of the whole set."""

    name: str
    value: float
    interval: Interval | None  # None where drawing again tells nothing


@dataclass(frozen=True, kw_only=True)
class ClassIntervals:
    """Between what the figures of one class are; None where the figure itself is None, or tells nothing."""

    precision: Interval | None
    recall: Interval | None
    f1: Interval | None
    small: bool  # too few pictures for more than a hint


@dataclass(frozen=True, kw_only=True)
class _Sums:
    """What figures are computed from: counts by class, (…, K), and sums of losses, (…)."""

    right: FloatArray
    true: FloatArray
    predicted: FloatArray
    loss: FloatArray
    brier: FloatArray

    def minus(self, other: "_Sums") -> "_Sums":
        return _Sums(**{entry.name: getattr(self, entry.name) - getattr(other, entry.name) for entry in fields(self)})

    @property
    def recall(self) -> FloatArray:
        return _ratio(self.right, self.true)

    @property
    def precision(self) -> FloatArray:
        return _ratio(self.right, self.predicted)

    @property
    def f1(self) -> FloatArray:
        return _ratio(2 * self.right, self.true + self.predicted)

    def macro(self, figure: FloatArray) -> FloatArray:
        """Mean over the classes that occur."""
        here = self.true > 0
        return np.asarray((figure * here).sum(-1) / here.sum(-1))

    def weighted(self, figure: FloatArray) -> FloatArray:
        """Mean over the pictures of their class's figure."""
        return np.asarray((figure * self.true).sum(-1) / self.true.sum(-1))

    def mean(self, total: FloatArray) -> FloatArray:
        return np.asarray(total / self.true.sum(-1))


# Weighted recall is accuracy, and macro recall is balanced accuracy: each stands once.
_FIGURES: dict[str, Callable[[_Sums], FloatArray]] = {
    "balanced accuracy": lambda sums: sums.macro(sums.recall),
    "macro precision": lambda sums: sums.macro(sums.precision),
    "macro F1": lambda sums: sums.macro(sums.f1),
    "weighted precision": lambda sums: sums.weighted(sums.precision),
    "weighted F1": lambda sums: sums.weighted(sums.f1),
    "loss": lambda sums: sums.mean(sums.loss),
    "Brier score": lambda sums: sums.mean(sums.brier),
}


def _ratio(part: FloatArray, whole: FloatArray) -> FloatArray:
    """As in `judge`, a class that occurs and is never predicted counts as 0."""
    return np.asarray(part / np.where(whole > 0, whole, 1))


def brier_scores(probabilities: FloatArray, labels: Array) -> FloatArray:
    """Squared distance of each picture's probabilities from the truth, between 0 and 2.

    Brier 1950, "Verification of forecasts expressed in terms of probability". Shape (N,), float64, for probabilities
    (N, K) and labels (N,).
    """
    wide = probabilities.astype(np.float64)
    true = wide[np.arange(len(labels)), labels]
    return np.asarray((wide**2).sum(axis=1) - 2 * true + 1)


class _Pictures:
    """Judged pictures, which can be summed with weights."""

    def __init__(self, probabilities: FloatArray, labels: Array, groups: Array) -> None:
        self._classes, self._labels, self._predicted = probabilities.shape[1], labels, probabilities.argmax(axis=1)
        self._right = labels == self._predicted
        self._loss, self._brier = picture_losses(probabilities, labels), brier_scores(probabilities, labels)
        _, self._groups = np.unique(groups, return_inverse=True)
        self.group_count = int(self._groups.max()) + 1

    def sums(self, weights: FloatArray) -> _Sums:
        """With a weight for each picture, (N,)."""
        right = self._right
        return _Sums(
            right=np.bincount(self._labels[right], weights[right], self._classes),
            true=np.bincount(self._labels, weights, self._classes),
            predicted=np.bincount(self._predicted, weights, self._classes),
            loss=np.asarray(weights @ self._loss),
            brier=np.asarray(weights @ self._brier),
        )

    def all(self) -> _Sums:
        return self.sums(np.ones(len(self._labels)))

    def drawn(self, seed: int) -> _Sums:
        """Of `_DRAWS` sets of as many groups, drawn with replacement: (B, K) and (B,)."""
        rng, count = np.random.default_rng(seed), self.group_count
        times = (np.bincount(rng.integers(0, count, count), minlength=count) for _ in range(_DRAWS))
        return _stacked([self.sums(drawn[self._groups].astype(np.float64)) for drawn in times])

    def left_out(self) -> Iterator[_Sums]:
        """Of the groups one by one, some at a time: (n, K) and (n,)."""
        order = np.argsort(self._groups, kind="stable")
        starts = np.searchsorted(self._groups[order], np.arange(self.group_count + 1))
        for first in range(0, self.group_count, _AT_ONCE):
            end = min(first + _AT_ONCE, self.group_count)
            pictures = order[starts[first] : starts[end]]
            rows, right = self._groups[pictures] - first, self._right[pictures]
            yield _Sums(
                right=self._table(end - first, rows[right], self._labels[pictures][right]),
                true=self._table(end - first, rows, self._labels[pictures]),
                predicted=self._table(end - first, rows, self._predicted[pictures]),
                loss=np.bincount(rows, self._loss[pictures], end - first),
                brier=np.bincount(rows, self._brier[pictures], end - first),
            )

    def _table(self, rows: int, row: Array, column: Array) -> FloatArray:
        counts = np.bincount(row * self._classes + column, minlength=rows * self._classes)
        return counts.reshape(rows, self._classes).astype(np.float64)


def _stacked(sums: list[_Sums]) -> _Sums:
    return _Sums(**{entry.name: np.stack([getattr(one, entry.name) for one in sums]) for entry in fields(_Sums)})


def _f1_of(place: int, sums: _Sums) -> FloatArray:
    return np.asarray(sums.f1[..., place])


def _wilson(right: int, count: int) -> Interval | None:
    return wilson_interval(right, count) if count else None


def scores_with_intervals(
    probabilities: FloatArray, labels: Array, groups: Array, *, seed: int = 1
) -> tuple[tuple[ScoreWithInterval, ...], tuple[ClassIntervals, ...]]:
    """Figures of the whole set, and between what those of each class are.

    At 200 pictures of seven unequal classes the intervals held the truth in 0.94 to 0.97 of simulated sets.

    Parameters
    ----------
    probabilities : ndarray, shape (N, K)
    labels : ndarray, shape (N,), int
    groups : ndarray, shape (N,), int
        Pictures with the same number are copies of one another.
    seed : int
        Of the sets drawn.
    """
    pictures = _Pictures(probabilities, labels, groups)
    whole, drawn = pictures.all(), pictures.drawn(seed)
    rest = [whole.minus(group) for group in pictures.left_out()]

    def interval(figure: Callable[[_Sums], FloatArray]) -> Interval | None:
        if pictures.group_count < 2:
            return None  # without it there is nothing left
        return bootstrap_interval(float(figure(whole)), figure(drawn), np.concatenate([figure(part) for part in rest]))

    count, right = len(labels), int(whole.right.sum())
    low, high = wilson_interval(right, count)
    overall = [
        ScoreWithInterval(name="accuracy", value=right / count, interval=(low, high)),
        ScoreWithInterval(name="error rate", value=1 - right / count, interval=(1 - high, 1 - low)),
        *(
            ScoreWithInterval(name=name, value=float(figure(whole)), interval=interval(figure))
            for name, figure in _FIGURES.items()
        ),
    ]
    classes = [
        ClassIntervals(
            precision=_wilson(int(whole.right[place]), int(whole.predicted[place])),
            recall=_wilson(int(whole.right[place]), int(whole.true[place])),
            f1=interval(partial(_f1_of, place)) if whole.true[place] else None,
            small=bool(whole.true[place] < SMALL_CLASS),
        )
        for place in range(probabilities.shape[1])
    ]
    return tuple(overall), tuple(classes)
