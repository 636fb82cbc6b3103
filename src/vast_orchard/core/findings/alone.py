"""Pictures that are unlike all others under their label."""

import numpy as np

from vast_orchard.core.arrays import Array, FloatArray
from vast_orchard.core.findings.beyond import Beyond, beyond

__all__ = ["FEWEST_FELLOWS", "alone"]

# How far a picture is from the others is told by the third nearest: two strange ones may be copies of each other.
_NEIGHBOUR = 3
FEWEST_FELLOWS = 10  # a class of fewer has no middle to be far from
_AT_ONCE = 1024
# Distances that differ by less than a quarter are alike.
_LEAST = 0.25


def alone(features: FloatArray, labels: Array) -> Beyond:
    """Name pictures that lie far from the third nearest of their class (Ramaswamy, Rastogi & Shim 2000).

    Parameters
    ----------
    features : ndarray, shape (N, F), float
        Of unit length, or of any other where distances mean something.
    labels : ndarray, shape (N,), int

    Returns
    -------
    Beyond
        Of classes with fewer than `FEWEST_FELLOWS` pictures nothing is named.
    """
    away = np.full(len(labels), np.nan)
    for label in np.unique(labels):
        own = np.flatnonzero(labels == label)
        if len(own) >= FEWEST_FELLOWS:
            away[own] = _third_nearest(features[own].astype(np.float32))
    known = np.isfinite(away)
    values = np.where(known, np.log(np.maximum(away, 1e-6)), 0.0)
    found = beyond(values[known], labels[known], _LEAST)
    far, named = np.zeros(len(labels)), np.zeros(len(labels), bool)
    far[known], named[known] = found.far, found.named
    return Beyond(far=far, limit=found.limit, named=named, expected=found.expected)


def _third_nearest(points: FloatArray) -> FloatArray:
    lengths = (points**2).sum(axis=1)
    found = np.empty(len(points))
    for start in range(0, len(points), _AT_ONCE):
        part = points[start : start + _AT_ONCE]
        squares = lengths[start : start + _AT_ONCE, None] + lengths[None] - 2 * part @ points.T
        # The nearest of all is the picture itself.
        found[start : start + _AT_ONCE] = np.partition(squares, _NEIGHBOUR, axis=1)[:, _NEIGHBOUR]
    return np.sqrt(np.maximum(found, 0.0))
