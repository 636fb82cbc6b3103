"""Pictures that are unlike all others under their label."""

import numpy as np

from vast_orchard.core.arrays import Array, FloatArray
from vast_orchard.core.findings.beyond import Beyond, beyond

__all__ = ["FEWEST_FELLOWS", "alone"]

# How far a picture is from the others is told by the third nearest: two strange ones may be copies of each other.
_NEIGHBOUR = 3
FEWEST_FELLOWS = 10  # a class of fewer has no middle to be far from
# Distances that are held at once, and pictures of a class with which each is compared: of more a draw stands for all.
_HELD, _COMPARED = 2**24, 20_000
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
    return beyond(np.log(np.maximum(away, 1e-6)), labels, _LEAST)


def _third_nearest(points: FloatArray) -> FloatArray:
    count = len(points)
    drawn = np.arange(count)
    if count > _COMPARED:
        drawn = np.sort(np.random.default_rng([1, count]).choice(count, _COMPARED, replace=False))
    others = points[drawn]
    lengths = (others**2).sum(axis=1)
    found = np.empty(count)
    step = max(1, _HELD // len(others))
    for start in range(0, count, step):
        part = points[start : start + step]
        squares = (part**2).sum(axis=1)[:, None] + lengths[None] - 2 * part @ others.T
        nearest = np.partition(squares, (_NEIGHBOUR - 1, _NEIGHBOUR), axis=1)
        # The nearest of all is the picture itself, where it is among those that were drawn.
        itself = np.isin(np.arange(start, start + len(part)), drawn, assume_unique=True)
        found[start : start + step] = np.where(itself, nearest[:, _NEIGHBOUR], nearest[:, _NEIGHBOUR - 1])
    return np.sqrt(np.maximum(found, 0.0))
