"""Compiled loops over pixels of pictures; only arithmetic."""

import numpy as np
from numba import njit

__all__ = ["look_up", "vary_pictures"]


@njit(nogil=True, cache=True)
def look_up(pixels, table, first, count, out):
    """`out` (N, H, W, C) is the number that `table` (C, 256) holds for each 8-bit value."""
    _, height, width, channels = pixels.shape
    for n in range(first, first + count):
        for i in range(height):
            for j in range(width):
                for c in range(channels):
                    out[n, i, j, c] = table[c, pixels[n, i, j, c]]


@njit(nogil=True, cache=True)
def _reflected(position, last):
    """A place outside 0 … last, mirrored at the edge that it passed; turning leads less than one length outside."""
    position = abs(position)
    return min(max(last + last - position if position > last else position, np.float32(0)), last)


@njit(nogil=True, cache=True)
def vary_pictures(pixels, mirrored, cosines, sines, factors, first, count, out):
    """Mirror, turn about the middle (bilinear, the edge mirrored outwards), multiply, round to 8 bits."""
    _, height, width, channels = pixels.shape
    middle_y, middle_x = np.float32((height - 1) / 2), np.float32((width - 1) / 2)
    last_y, last_x = np.float32(height - 1), np.float32(width - 1)
    zero, half, one, most = np.float32(0), np.float32(0.5), np.float32(1), np.float32(255)
    for n in range(first, first + count):
        cosine, sine, factor = cosines[n], sines[n], factors[n]
        for i in range(height):
            dy = np.float32(i) - middle_y
            for j in range(width):
                dx = np.float32(j) - middle_x
                y = _reflected(cosine * dy - sine * dx + middle_y, last_y)
                x = _reflected(sine * dy + cosine * dx + middle_x, last_x)
                top, left = min(int(y), height - 2), min(int(x), width - 2)
                down, across = y - np.float32(top), x - np.float32(left)
                # A mirrored picture is read from the other side.
                a, b = (width - 1 - left, width - 2 - left) if mirrored[n] else (left, left + 1)
                for c in range(channels):
                    p, q = np.float32(pixels[n, top, a, c]), np.float32(pixels[n, top, b, c])
                    r, s = np.float32(pixels[n, top + 1, a, c]), np.float32(pixels[n, top + 1, b, c])
                    upper, lower = p * (one - across) + q * across, r * (one - across) + s * across
                    value = (upper * (one - down) + lower * down) * factor
                    out[n, i, j, c] = np.uint8(min(max(value + half, zero), most))
