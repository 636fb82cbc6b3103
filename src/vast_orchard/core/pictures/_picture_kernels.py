"""Compiled loops over pixels of pictures; only arithmetic."""

from numba import njit

__all__ = ["look_up"]


@njit(nogil=True, cache=True)
def look_up(pixels, table, first, count, out):
    """`out` (N, H, W, C) is the number that `table` (C, 256) holds for each 8-bit value."""
    _, height, width, channels = pixels.shape
    for n in range(first, first + count):
        for i in range(height):
            for j in range(width):
                for c in range(channels):
                    out[n, i, j, c] = table[c, pixels[n, i, j, c]]
