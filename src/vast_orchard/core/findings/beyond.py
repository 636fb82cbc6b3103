"""Which of many values lie so far out that chance does not explain them, each held against its own class."""

from dataclasses import dataclass

import numpy as np
from scipy.stats import norm, poisson

from vast_orchard.core.arrays import Array, FloatArray

__all__ = ["Beyond", "beyond"]

# The spread of a class is told by where its outermost tenth begins, which a few strange pictures do not move.
_TENTH, _TENTH_AT = 90.0, float(norm.ppf(0.9))
# A class of so many pictures is believed half, and all pictures together the other half.
_HALF_BELIEVED = 50
# Nearer than this nothing is strange, however many lie there; in deviations.
_NEAREST = 2.0
# Of what lies beyond, so much is to be more than chance gives, and so seldom may chance give it all.
_NOT_CHANCE, _SELDOM = 0.6, 0.001


@dataclass(frozen=True, kw_only=True)
class Beyond:
    """What lies beyond in one direction."""

    far: FloatArray  # (N,), how many deviations of its class each value lies above the middle
    limit: float  # from how many on they are named; infinite where none is
    named: Array  # (N,), bool
    expected: float  # how many chance gives beyond the limit


def beyond(values: FloatArray, classes: Array, least: float) -> Beyond:
    """Name the values that lie far above the middle of their class, where more do than chance explains.

    Deviations are those of a normal distribution with the class's median and ninth decile. The limit is the lowest
    beyond which at least 60 % of the values are more than that distribution gives, and so many come by chance less
    than once in a thousand times (Poisson). So where only tails are long nothing is named, and where a few stand
    apart they are, down to where they mix with the others.

    Parameters
    ----------
    values : ndarray, shape (N,), float
        Larger is stranger; NaN is not known, and never named.
    classes : ndarray, shape (N,), int
    least : float
        The deviation of a class is taken for no smaller than this: less than it nobody sees.
    """
    known = np.isfinite(values)
    far = np.zeros(len(values))
    far[known] = _far(np.asarray(values[known], np.float64), classes[known], least)
    order = np.sort(far[known])
    limit, expected = _limit(order)
    return Beyond(far=far, limit=limit, named=known & (far >= limit), expected=expected)


def _limit(order: FloatArray) -> tuple[float, float]:
    """From where values are named, of all in order; and how many chance gives from there on."""
    count = len(order)
    first = int(np.searchsorted(order, _NEAREST))
    for place in range(first, count):
        if place > first and order[place] == order[place - 1]:
            continue
        there, by_chance = count - place, count * float(norm.sf(order[place]))
        apart = (there - by_chance) / there >= _NOT_CHANCE
        if apart and float(poisson.sf(there - 1, by_chance)) < _SELDOM:
            return float(order[place]), by_chance
    return float("inf"), 0.0


def _far(values: FloatArray, classes: Array, least: float) -> FloatArray:
    far = np.zeros(len(values))
    if not len(values):
        return far
    known = np.unique(classes)
    middles = {label: float(np.median(values[classes == label])) for label in known}
    apart = values - np.array([middles[label] for label in classes.tolist()])
    whole = float(np.percentile(apart, _TENTH)) / _TENTH_AT
    for label in known:
        own = classes == label
        share = own.sum() / (own.sum() + _HALF_BELIEVED)
        spread = share * float(np.percentile(apart[own], _TENTH)) / _TENTH_AT + (1 - share) * whole
        far[own] = apart[own] / max(spread, least)
    return far
