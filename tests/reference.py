"""Slow, obvious twins of the kernels: loops that a reader can check by eye."""

import math
from collections.abc import Callable

import numpy as np

from vast_orchard.core.arrays import FloatArray

__all__ = ["conv2d", "global_average_pool", "max_pool", "numeric_gradient", "softmax_cross_entropy"]


def conv2d(x: FloatArray, weights: FloatArray, padding: str) -> FloatArray:
    """Cross-correlation, one multiplication at a time."""
    count, height, width, channels = x.shape
    kh, kw, _, filters = weights.shape
    top, left = ((kh - 1) // 2, (kw - 1) // 2) if padding == "same" else (0, 0)
    out_height = height if padding == "same" else height - kh + 1
    out_width = width if padding == "same" else width - kw + 1
    out = np.zeros((count, out_height, out_width, filters))
    for n in range(count):
        for i in range(out_height):
            for j in range(out_width):
                for f in range(filters):
                    total = 0.0
                    for a in range(kh):
                        for b in range(kw):
                            y, z = i + a - top, j + b - left
                            if 0 <= y < height and 0 <= z < width:
                                for c in range(channels):
                                    total += float(x[n, y, z, c]) * float(weights[a, b, c, f])
                    out[n, i, j, f] = total
    return out


def max_pool(x: FloatArray, size: int) -> FloatArray:
    """Largest value of each whole window."""
    count, height, width, channels = x.shape
    out = np.zeros((count, height // size, width // size, channels))
    for n in range(count):
        for i in range(height // size):
            for j in range(width // size):
                for c in range(channels):
                    window = x[n, i * size : (i + 1) * size, j * size : (j + 1) * size, c]
                    out[n, i, j, c] = max(float(value) for value in window.ravel())
    return out


def global_average_pool(x: FloatArray) -> FloatArray:
    """Mean over height and width."""
    count, height, width, channels = x.shape
    out = np.zeros((count, channels))
    for n in range(count):
        for c in range(channels):
            out[n, c] = sum(float(x[n, i, j, c]) for i in range(height) for j in range(width)) / (height * width)
    return out


def softmax_cross_entropy(logits: FloatArray, targets: FloatArray) -> list[float]:
    """Each row's −Σ target · log(probability)."""
    losses = []
    for row, wanted in zip(logits, targets, strict=True):
        whole = sum(math.exp(float(value)) for value in row)
        losses.append(-sum(float(t) * math.log(math.exp(float(v)) / whole) for v, t in zip(row, wanted, strict=True)))
    return losses


def numeric_gradient(function: Callable[[], float], x: FloatArray, step: float = 1e-5) -> FloatArray:
    """Central differences of a scalar function, changing `x` in place and back."""

    gradient = np.zeros_like(x)
    for place in np.ndindex(x.shape):
        kept = x[place]
        x[place] = kept + step
        above = float(function())
        x[place] = kept - step
        below = float(function())
        x[place] = kept
        gradient[place] = (above - below) / (2 * step)
    return gradient
