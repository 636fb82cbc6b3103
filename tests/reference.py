"""Slow, obvious twins of the kernels: loops that a reader can check by eye."""

import math
from collections.abc import Callable

import numpy as np

from vast_orchard.core.arrays import FloatArray

__all__ = ["average_pool", "conv2d", "global_average_pool", "max_pool", "numeric_gradient", "softmax_cross_entropy"]


def _pads(size: int, kernel: int, stride: int, dilation: int, padding: str) -> tuple[int, int]:
    """Windows along an axis, and zeros before it; "same" starts a window at every stride."""
    extent = (kernel - 1) * dilation + 1
    if padding == "valid":
        return (size - extent) // stride + 1, 0
    count = math.ceil(size / stride)
    return count, max((count - 1) * stride + extent - size, 0) // 2


def conv2d(
    x: FloatArray, weights: FloatArray, padding: str, stride: int = 1, dilation: int = 1, groups: int = 1
) -> FloatArray:
    """Cross-correlation, one multiplication at a time."""
    images, height, width, channels = x.shape
    kh, kw, of_group, filters = weights.shape
    rows, top = _pads(height, kh, stride, dilation, padding)
    columns, left = _pads(width, kw, stride, dilation, padding)
    out = np.zeros((images, rows, columns, filters))
    for n, i, j, f in np.ndindex(out.shape):
        first = f // (filters // groups) * (channels // groups)
        total = 0.0
        for a, b, c in np.ndindex(kh, kw, of_group):
            y, z = i * stride + a * dilation - top, j * stride + b * dilation - left
            if 0 <= y < height and 0 <= z < width:
                total += float(x[n, y, z, first + c]) * float(weights[a, b, c, f])
        out[n, i, j, f] = total
    return out


def _pool(x: FloatArray, size: int, stride: int, padding: str, answer: Callable[[list[float]], float]) -> FloatArray:
    images, height, width, channels = x.shape
    (rows, top), (columns, left) = (_pads(n, size, stride, 1, padding) for n in (height, width))
    out = np.zeros((images, rows, columns, channels))
    for n, i, j, c in np.ndindex(out.shape):
        inside = [
            float(x[n, y, z, c])
            for y in range(i * stride - top, i * stride - top + size)
            for z in range(j * stride - left, j * stride - left + size)
            if 0 <= y < height and 0 <= z < width
        ]
        out[n, i, j, c] = answer(inside)
    return out


def max_pool(x: FloatArray, size: int, stride: int = 0, padding: str = "valid") -> FloatArray:
    """Largest value of each window."""
    return _pool(x, size, stride or size, padding, max)


def average_pool(x: FloatArray, size: int, stride: int = 0, padding: str = "valid") -> FloatArray:
    """Mean of each window's values, padding left out."""
    return _pool(x, size, stride or size, padding, lambda values: sum(values) / len(values))


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
