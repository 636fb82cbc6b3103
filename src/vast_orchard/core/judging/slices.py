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
    looked = [
        (name, within, *_stratified(within, wrong, labels))
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


def _stratified(within: Array, wrong: Array, labels: Array) -> tuple[float, float]:
    """Ratio of risks and the probability of at least such a difference, over the strata of the classes."""
    apart = spread = above = below = 0.0
    for label in np.unique(labels):
        here = labels == label
        total = int(here.sum())
        inside, errors = int((here & within).sum()), int((here & wrong).sum())
        if total < 2 or not inside or inside == total:
            continue
        both = int((here & within & wrong).sum())
        outside = total - inside
        apart += both - inside * errors / total
        spread += inside * outside * errors * (total - errors) / (total**2 * (total - 1))
        above += both * outside / total
        below += (errors - both) * inside / total
    if not spread:
        return 1.0, 1.0
    # One degree of freedom: the tail of a squared normal.
    return (above / below if below else math.inf), math.erfc(math.sqrt(apart**2 / spread / 2))
