"""Compiled pass over the values of a layer; only arithmetic."""

import numpy as np
from numba import njit

__all__ = ["look_over"]


@njit(nogil=True, cache=True)
def look_over(values, low, high, awake, sample, sums):
    """One pass over values (N, H, W, C).

    Marks in `awake` (C,) the channels with a value other than zero, takes values at equal distances into `sample`, and
    adds to `sums`: the sum, the sum of squares, the count of zeros, and the count of those at or beyond an end. Gives
    how many were taken into the sample.
    """
    images, height, width, channels = values.shape
    every = max(1, images * height * width * channels // len(sample))
    # Coprime to the usual numbers of channels, so that a sample does not see the same few of them.
    while channels > 1 and every > 1 and (every % 2 == 0 or every % 3 == 0):
        every += 1
    total, squares, zeros, pinned, taken, until = 0.0, 0.0, 0, 0, 0, 0
    for n in range(images):
        for y in range(height):
            for x in range(width):
                for c in range(channels):
                    value = values[n, y, x, c]
                    total += value
                    squares += np.float64(value) * value
                    if value == 0:
                        zeros += 1
                    else:
                        awake[c] = True
                    if value <= low or value >= high:
                        pinned += 1
                    if until == 0 and taken < len(sample):
                        sample[taken] = value
                        taken += 1
                        until = every
                    until -= 1
    sums[0] += total
    sums[1] += squares
    sums[2] += zeros
    sums[3] += pinned
    return taken
