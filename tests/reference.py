"""Slow, obvious twins of the kernels: loops that a reader can check by eye."""

import math
from collections.abc import Callable

import numpy as np

from vast_orchard.core.arrays import FloatArray

__all__ = [
    "average_pool",
    "conv2d",
    "global_average_pool",
    "max_pool",
    "numeric_gradient",
    "numeric_slope",
    "softmax_cross_entropy",
]


def _pads(size: int, kernel: int, stride: int, dilation: int, edge: str) -> tuple[int, int]:
    """Windows along an axis, and zeros before it; "keep" starts a window at every stride."""
    extent = (kernel - 1) * dilation + 1
    if edge == "cut":
        return (size - extent) // stride + 1, 0
    count = math.ceil(size / stride)
    return count, max((count - 1) * stride + extent - size, 0) // 2


def conv2d(
    x: FloatArray, weights: FloatArray, edge: str, stride: int = 1, dilation: int = 1, groups: int = 1
) -> FloatArray:
    """Cross-correlation, one multiplication at a time."""
    images, height, width, channels = x.shape
    kh, kw, of_group, filters = weights.shape
    rows, top = _pads(height, kh, stride, dilation, edge)
    columns, left = _pads(width, kw, stride, dilation, edge)
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


def _pool(x: FloatArray, size: int, stride: int, edge: str, answer: Callable[[list[float]], float]) -> FloatArray:
    images, height, width, channels = x.shape
    (rows, top), (columns, left) = (_pads(n, size, stride, 1, edge) for n in (height, width))
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


def max_pool(x: FloatArray, size: int, stride: int = 0, edge: str = "cut") -> FloatArray:
    """Largest value of each window."""
    return _pool(x, size, stride or size, edge, max)


def average_pool(x: FloatArray, size: int, stride: int = 0, edge: str = "cut") -> FloatArray:
    """Mean of each window's values, padding left out."""
    return _pool(x, size, stride or size, edge, lambda values: sum(values) / len(values))


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


def numeric_slope(function: Callable[[], float], x: FloatArray, way: FloatArray, step: float = 1e-5) -> float:
    """A scalar function's slope along a way of the shape of `x`: what a gradient's product with that way has to be."""
    kept, found = x.copy(), []
    for sign in (1, -1):
        x[...] = kept + sign * step * way
        found.append(float(function()))
    x[...] = kept
    return (found[0] - found[1]) / (2 * step)


def overlaid(second: FloatArray, pose: FloatArray) -> tuple[FloatArray, FloatArray]:
    """A picture (S, S) read where its pose (zoom - 1, turn, right, down) puts it, and where that is inside it."""
    side = len(second)
    half = (side - 1) / 2
    found, inside = np.zeros((side, side)), np.zeros((side, side), bool)
    zoom, turn, right, down = (float(number) for number in pose)
    for i in range(side):
        for j in range(side):
            u, v = j / half - 1, i / half - 1
            x = half * (1 + (1 + zoom) * u - turn * v + right)
            y = half * (1 + turn * u + (1 + zoom) * v + down)
            inside[i, j] = -1e-3 < x < side - 1 + 1e-3 and -1e-3 < y < side - 1 + 1e-3
            x, y = min(max(x, 0), side - 1), min(max(y, 0), side - 1)
            left, top = min(int(x), side - 2), min(int(y), side - 2)
            across, along = x - left, y - top
            upper = second[top, left] * (1 - across) + second[top, left + 1] * across
            lower = second[top + 1, left] * (1 - across) + second[top + 1, left + 1] * across
            found[i, j] = upper * (1 - along) + lower * along
    return found, inside


def align(first: FloatArray, second: FloatArray, steps: int) -> FloatArray:
    """Pose of the second picture on the first by Gauss and Newton's method."""
    side, pose = len(first), np.zeros(4)
    v, u = np.mgrid[-1 : 1 : side * 1j, -1 : 1 : side * 1j]
    for _ in range(steps):
        lying, inside = overlaid(second, pose)
        padded = np.pad(inside, 1, mode="edge")
        known = inside & padded[2:, 1:-1] & padded[:-2, 1:-1] & padded[1:-1, 2:] & padded[1:-1, :-2]
        down, right = np.gradient(lying, 2 / (side - 1))
        columns = [right * u + down * v, down * u - right * v, right, down]
        slopes = np.stack([column[known] for column in columns], axis=1)
        shade, light = first[known] - first[known].mean(), lying[known] - lying[known].mean()
        gain = (shade @ light) / max(shade @ shade, 1e-3)
        normal = slopes.T @ slopes
        normal += np.eye(4) * (1e-3 * np.trace(normal) / 4 + 1e-3)
        pose = np.clip(pose + np.linalg.solve(normal, slopes.T @ (gain * shade - light)), -0.13, 0.13)
    return pose


def concordance(first: FloatArray, second: FloatArray, pose: FloatArray) -> float:
    """Lin's coefficient of two pictures (C, S, S) where both are, sums of the channels taken together."""
    together = spread = 0.0
    for a, b in zip(first, second, strict=True):
        lying, inside = overlaid(b, pose)
        x, y = a[inside].astype(float), lying[inside]
        together += 2 * ((x - x.mean()) * (y - y.mean())).sum()
        spread += ((x - x.mean()) ** 2).sum() + ((y - y.mean()) ** 2).sum() + len(x) * (x.mean() - y.mean()) ** 2
    return together / spread
