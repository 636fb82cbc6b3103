"""Shares of one over channels, and their logarithms, as layers within a network."""

import numpy as np

from vast_orchard.core.arrays import FloatArray

__all__ = ["LEAST", "bounded_log", "bounded_log_gradient", "shares", "shares_gradient"]

# Below that a logarithm is taken of this: far less than any share that says something, and a normal float32.
LEAST = 1e-20


def shares(x: FloatArray) -> FloatArray:
    """exp(x) over its sum along the last axis; shape (…, C) and floating dtype as given."""
    powers = np.exp(x - x.max(axis=-1, keepdims=True))
    return np.asarray(powers / powers.sum(axis=-1, keepdims=True))


def shares_gradient(y: FloatArray, gradient: FloatArray) -> FloatArray:
    """Gradient with respect to x of `y = shares(x)`, given that with respect to y; all of shape (…, C), floating."""
    return np.asarray(y * (gradient - (gradient * y).sum(axis=-1, keepdims=True)))


def bounded_log(x: FloatArray) -> FloatArray:
    """Natural logarithm of the larger of x and `LEAST`; shape and floating dtype as given."""
    return np.asarray(np.log(np.maximum(x, x.dtype.type(LEAST))))


def bounded_log_gradient(x: FloatArray, gradient: FloatArray) -> FloatArray:
    """Gradient with respect to x of `bounded_log(x)`, none where x is below the bound; shape as given, floating."""
    least = x.dtype.type(LEAST)
    return np.asarray(np.where(x > least, gradient / np.maximum(x, least), 0))
