"""Slow, obvious twins of the operations of a variation: one pixel, one rule at a time."""

import math
from collections.abc import Callable

import numpy as np

from vast_orchard.core.arrays import Array, FloatArray

__all__ = ["blurred", "compressed", "moved", "philox", "recoloured"]

_M = 0xFFFFFFFF


def philox(counter: tuple[int, int, int, int], key: tuple[int, int]) -> tuple[int, int, int, int]:
    """Philox4x32-10 with Python's own whole numbers."""
    (a, b, c, d), (k, m) = counter, key
    for _ in range(10):
        p, q = 0xD2511F53 * a, 0xCD9E8D57 * c
        a, b, c, d = (q >> 32) ^ b ^ k, q & _M, (p >> 32) ^ d ^ m, p & _M
        k, m = (k + 0x9E3779B9) & _M, (m + 0xBB67AE85) & _M
    return a, b, c, d


def _mirrored(position: float, last: int) -> float:
    """Walks back and forth until the place is inside."""
    while position < 0 or position > last:
        position = -position if position < 0 else 2 * last - position
    return position


def moved(picture: Array, source: Callable[[float, float], tuple[float, float]]) -> FloatArray:
    """Bilinear: `source` tells from where (across and down, from the middle) a pixel is taken."""
    height, width, channels = picture.shape
    out = np.zeros(picture.shape)
    for i, j in np.ndindex(height, width):
        x, y = source(j - (width - 1) / 2, i - (height - 1) / 2)
        x, y = _mirrored(x + (width - 1) / 2, width - 1), _mirrored(y + (height - 1) / 2, height - 1)
        left, top = min(math.floor(x), width - 2), min(math.floor(y), height - 2)
        for di, dj in ((0, 0), (0, 1), (1, 0), (1, 1)):
            share = (y - top if di else 1 - (y - top)) * (x - left if dj else 1 - (x - left))
            for c in range(channels):
                out[i, j, c] += share * float(picture[top + di, left + dj, c])
    return out


def recoloured(picture: Array, *, contrast: float = 1, brightness: float = 1, gamma: float = 1) -> FloatArray:
    """Contrast about the mean of all values, then brightness, then gamma on 0 … 255."""
    mean = sum(float(value) for value in picture.ravel()) / picture.size
    out = np.zeros(picture.shape)
    for place in np.ndindex(picture.shape):
        value = (mean + contrast * (float(picture[place]) - mean)) * brightness
        out[place] = 255 * (min(max(value, 0), 255) / 255) ** gamma
    return out


def blurred(picture: Array, deviation: float) -> FloatArray:
    """Each pixel the weighted mean of all within three deviations, the edge mirrored."""
    height, width, channels = picture.shape
    radius = math.ceil(3 * deviation)
    weights = [math.exp(-0.5 * (k / deviation) ** 2) for k in range(-radius, radius + 1)]
    total = sum(weights) ** 2
    out = np.zeros(picture.shape)
    for i, j, c in np.ndindex(height, width, channels):
        for a, b in np.ndindex(2 * radius + 1, 2 * radius + 1):
            y, x = int(_mirrored(i + a - radius, height - 1)), int(_mirrored(j + b - radius, width - 1))
            out[i, j, c] += weights[a] * weights[b] * float(picture[y, x, c]) / total
    return out


# ITU-T T.81, tables K.1, by their first rows and columns as printed there.
_K1 = """
16 11 10 16 24 40 51 61 12 12 14 19 26 58 60 55 14 13 16 24 40 57 69 56 14 17 22 29 51 87 80 62
18 22 37 56 68 109 103 77 24 35 55 64 81 104 113 92 49 64 78 87 103 121 120 101 72 92 95 98 112 100 103 99
"""


def compressed(grey: Array, quality: int) -> FloatArray:
    """A grey picture of whole 8×8 blocks through JPEG's transform and quantisation."""
    scale = 5000 // quality if quality < 50 else 200 - 2 * quality
    steps = [min(max((int(step) * scale + 50) // 100, 1), 255) for step in _K1.split()]
    out = np.zeros(grey.shape)
    for top in range(0, grey.shape[0], 8):
        for left in range(0, grey.shape[1], 8):
            block = grey[top : top + 8, left : left + 8].astype(float) - 128
            for u, v in np.ndindex(8, 8):
                found = sum(block[y, x] * _wave(u, y) * _wave(v, x) for y, x in np.ndindex(8, 8))
                kept = round(found / steps[8 * u + v]) * steps[8 * u + v]
                for y, x in np.ndindex(8, 8):
                    out[top + y, left + x] += kept * _wave(u, y) * _wave(v, x)
    return out + 128


def _wave(frequency: int, place: int) -> float:
    return math.sqrt((1 if frequency == 0 else 2) / 8) * math.cos((2 * place + 1) * frequency * math.pi / 16)
