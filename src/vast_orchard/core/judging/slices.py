"""Where a model errs more often than elsewhere, by facts of the pictures, and whether chance explains it."""

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from vast_orchard.core.arrays import Array

__all__ = ["LEAST_IN_SLICE", "Slice", "telling_slices"]

# Of pictures within and without: fewer make no rate.
LEAST_IN_SLICE = 20
_SURE = 0.05


@dataclass(frozen=True, kw_only=True)
class Slice:
    """Pictures that have a fact in common, and how often the model errs on them."""

    name: str
    count: int
    wrong: int
    times: float  # errors are so many times as frequent as elsewhere, classes compared with themselves
    p: float  # corrected for the number of slices that were looked at


def telling_slices(slices: Sequence[tuple[str, Array]], wrong: Array, labels: Array) -> tuple[Slice, ...]:
    """The slices in which errors are more frequent, and not by chance; the surest first.

    Classes are compared with themselves (Cochran 1954; Mantel and Haenszel 1959, whose ratio of risks is given), so
    that a slice is not told of for holding the classes that are hard anyway. Probabilities are corrected by Holm 1979
    for all slices with 20 pictures within and without.

    Parameters
    ----------
    slices : sequence of (str, ndarray of shape (N,), bool)
        A name, and which pictures lie in it.
    wrong : ndarray, shape (N,), bool
    labels : ndarray, shape (N,), int
        The true classes.
    """
    strata = np.unique(labels, return_inverse=True)[1]
    looked = [
        (name, within, *_stratified(within, wrong, strata))
        for name, within in slices
        if LEAST_IN_SLICE <= within.sum() <= len(within) - LEAST_IN_SLICE
    ]
    looked.sort(key=lambda one: one[3])
    found, least = [], 0.0
    for place, (name, within, times, p) in enumerate(looked):
        least = max(least, min(1.0, p * (len(looked) - place)))
        if least < _SURE and times > 1:
            found.append(
                Slice(name=name, count=int(within.sum()), wrong=int((within & wrong).sum()), times=times, p=least)
            )
    return tuple(found)


def _stratified(within: Array, wrong: Array, strata: Array) -> tuple[float, float]:
    """Ratio of risks and the probability of at least such a difference, over the strata of the classes.

    Parameters
    ----------
    within, wrong : ndarray, shape (N,), bool
    strata : ndarray, shape (N,), int
        From 0 on, without a gap.
    """
    strata_count = int(strata.max()) + 1
    counts = [
        np.bincount(strata[chosen], minlength=strata_count).astype(np.float64)
        for chosen in (slice(None), within, wrong, within & wrong)
    ]
    # Where all are within, or none, there is nothing to compare.
    told = (counts[0] >= 2) & (counts[1] > 0) & (counts[1] < counts[0])
    total, inside, errors, both = (count[told] for count in counts)
    outside = total - inside
    apart = float((both - inside * errors / total).sum())
    spread = float((inside * outside * errors * (total - errors) / (total**2 * (total - 1))).sum())
    above, below = float((both * outside / total).sum()), float(((errors - both) * inside / total).sum())
    if not spread:
        return 1.0, 1.0
    # One degree of freedom: the tail of a squared normal.
    return (above / below if below else math.inf), math.erfc(math.sqrt(apart**2 / spread / 2))
