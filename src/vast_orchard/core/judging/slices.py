"""Where a model errs more often than elsewhere, by facts of the pictures, and whether chance explains it."""

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from vast_orchard.core.arrays import Array

__all__ = ["LEAST_IN_SLICE", "Slice", "SliceCounts", "telling_slices"]

# Of pictures within and without: fewer make no rate.
LEAST_IN_SLICE = 20
_SURE = 0.05


@dataclass(frozen=True, kw_only=True)
class SliceCounts:
    """Pictures of each class, (K,), as numbers of any kind: all that were judged, and those with a fact in common."""

    total: Array
    errors: Array
    inside: Array
    wrong_inside: Array


@dataclass(frozen=True, kw_only=True)
class Slice:
    """Pictures that have a fact in common, and how often the model errs on them."""

    name: str
    count: int
    wrong: int
    times: float  # errors are so many times as frequent as elsewhere, classes compared with themselves
    p: float  # corrected for the number of slices that were looked at


def telling_slices(slices: Sequence[tuple[str, SliceCounts]]) -> tuple[Slice, ...]:
    """The slices in which errors are more frequent, and not by chance; the surest first.

    Classes are compared with themselves (Cochran 1954; Mantel and Haenszel 1959, whose ratio of risks is given), so
    that a slice is not told of for holding the classes that are hard anyway. Probabilities are corrected by Holm 1979
    for all slices with 20 pictures within and without.

    Parameters
    ----------
    slices : sequence of (str, SliceCounts)
        A name, and the pictures that lie in it.
    """
    looked = [
        (name, counts, *_stratified(counts))
        for name, counts in slices
        if LEAST_IN_SLICE <= counts.inside.sum() <= counts.total.sum() - LEAST_IN_SLICE
    ]
    looked.sort(key=lambda one: one[3])
    found, least = [], 0.0
    for place, (name, counts, times, p) in enumerate(looked):
        least = max(least, min(1.0, p * (len(looked) - place)))
        if least < _SURE and times > 1:
            wrong = int(counts.wrong_inside.sum())
            found.append(Slice(name=name, count=int(counts.inside.sum()), wrong=wrong, times=times, p=least))
    return tuple(found)


def _stratified(counts: SliceCounts) -> tuple[float, float]:
    """Ratio of risks and the probability of at least such a difference, over the strata of the classes."""
    # Where all of a class are within, or none, there is nothing to compare.
    told = (counts.total >= 2) & (counts.inside > 0) & (counts.inside < counts.total)
    total, errors, inside, both = (
        count[told].astype(np.float64) for count in (counts.total, counts.errors, counts.inside, counts.wrong_inside)
    )
    outside = total - inside
    apart = float((both - inside * errors / total).sum())
    spread = float((inside * outside * errors * (total - errors) / (total**2 * (total - 1))).sum())
    above, below = float((both * outside / total).sum()), float(((errors - both) * inside / total).sum())
    if not spread:
        return 1.0, 1.0
    # One degree of freedom: the tail of a squared normal.
    return (above / below if below else math.inf), math.erfc(math.sqrt(apart**2 / spread / 2))
