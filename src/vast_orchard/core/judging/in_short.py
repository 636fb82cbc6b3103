"""What stands out in a judged set: the most confused pair, the weakest class, sure errors, what was learnt by heart.

Each is tested by itself against what chance would give, and told only where that is not enough to explain it. Where the
most striking of several was picked, its probability is multiplied by their number (Bonferroni).
"""

from dataclasses import dataclass

import numpy as np

from vast_orchard.core.arrays import Array
from vast_orchard.core.judging.chance import binomial_tail, hypergeometric_tail

__all__ = ["ConfusedPair", "WeakClass", "by_heart", "confused_pair", "too_sure", "weak_class"]

_SURE = 0.05


@dataclass(frozen=True, kw_only=True)
class ConfusedPair:
    """Two classes, by their places, that take more errors than they would if errors fell anywhere."""

    first: int
    second: int
    errors: int  # in both directions
    of: int  # errors in all
    p: float


def confused_pair(confusion: Array) -> ConfusedPair | None:
    """The pair that is confused most beyond chance; None where chance explains every one, or two classes are all.

    Chance is that each error of a class falls on any other class alike.

    Parameters
    ----------
    confusion : ndarray, shape (K, K), int64
        Counts; rows true, columns predicted.
    """
    classes = len(confusion)
    wrong = confusion - np.diag(np.diag(confusion))
    errors = int(wrong.sum())
    if classes < 3 or not errors:
        return None
    both, by_class = wrong + wrong.T, wrong.sum(axis=1)
    pairs = classes * (classes - 1) // 2
    found: ConfusedPair | None = None
    for first, second in zip(*np.nonzero(np.triu(both)), strict=True):
        share = float(by_class[first] + by_class[second]) / (classes - 1) / errors
        if both[first, second] <= share * errors:
            continue  # not more often than by chance
        p = min(1.0, pairs * binomial_tail(int(both[first, second]), errors, share))
        if p <= _SURE and (found is None or p < found.p):
            found = ConfusedPair(first=int(first), second=int(second), errors=int(both[first, second]), of=errors, p=p)
    return found


@dataclass(frozen=True, kw_only=True)
class WeakClass:
    """A class, by its place, whose pictures are read wrongly more often than those of the others."""

    place: int
    right: int
    count: int
    others_right: int
    others_count: int
    p: float


def weak_class(confusion: Array) -> WeakClass | None:
    """The class that is read wrongly most beyond chance; None where chance explains every one.

    `confusion` has shape (K, K), int64: counts, rows true.
    """
    counts, right = confusion.sum(axis=1), np.diag(confusion)
    count, errors = int(counts.sum()), int(counts.sum() - right.sum())
    present = [place for place in range(len(confusion)) if counts[place]]
    found: WeakClass | None = None
    for place in present:
        here, wrong = int(counts[place]), int(counts[place] - right[place])
        if wrong * count <= errors * here:
            continue  # not more often than all
        p = min(1.0, len(present) * hypergeometric_tail(wrong, here, errors, count))
        if p <= _SURE and (found is None or p < found.p):
            found = WeakClass(
                place=place,
                right=int(right[place]),
                count=here,
                others_right=int(right.sum() - right[place]),
                others_count=count - here,
                p=p,
            )
    return found


def too_sure(wrong: int, count: int, expected: float) -> float | None:
    """How often chance makes `wrong` errors of `count` answers whose probabilities promise `expected`; None: often.

    By the binomial distribution with their mean, which is wider than that of their own probabilities.
    """
    if not count or wrong <= expected:
        return None
    p = binomial_tail(wrong, count, expected / count)
    return p if p <= _SURE else None


def by_heart(learnt_wrong: int, learnt: int, wrong: int, count: int) -> float | None:
    """How often chance makes errors so much rarer on pictures that were learnt from than on others; None: often."""
    if not learnt or not count:
        return None
    p = hypergeometric_tail(wrong, count, wrong + learnt_wrong, count + learnt)
    return p if p <= _SURE and wrong * learnt > learnt_wrong * count else None
