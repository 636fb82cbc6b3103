"""Compiled loops over single values of planes; only arithmetic.

Feature maps are the flat values and the frame of a plane (`Plane.frame`).
"""

from numba import njit

from vast_orchard.core.ops._vectors import LANES, add_to, larger_or, load, spread, store

__all__ = ["add_partials", "add_rows", "back_through_slope"]


@njit(nogil=True, cache=True)
def back_through_slope(y, y_frame, g, g_frame, channels, first, count, slope):
    """Take the gradient `g` back through max(x, slope · x) in place, from the sign of its result `y`."""
    y_start, y_row, y_image, height, width = y_frame
    g_start, g_row, g_image, _, _ = g_frame
    factor, zero = spread(slope, y), spread(0, y)
    for n in range(first, first + count):
        for i in range(height):
            a, b = y_start + n * y_image + i * y_row, g_start + n * g_image + i * g_row
            for c in range(0, channels, LANES):
                for j in range(c, width * channels + c, channels):
                    d = load(g, b + j)
                    store(g, b + j, larger_or(load(y, a + j), zero, d, factor * d), channels - c)


@njit(nogil=True, cache=True)
def add_rows(g, frame, channels, first, count, out):
    """Add to `out` (C,), float64, the sum over all pixels; rows are summed in the type of `g` first."""
    start, row, image, height, width = frame
    for n in range(first, first + count):
        for i in range(height):
            at = start + n * image + i * row
            for c in range(0, channels, LANES):
                total = spread(0, g)
                for j in range(c, width * channels + c, channels):
                    total = total + load(g, at + j)
                add_to(out, c, total, channels - c)


@njit(nogil=True, cache=True)
def add_partials(partials, out):
    """The sum over the first axis of `partials` (P, M) into `out` (M,), always in the same order."""
    out[:] = partials[0]
    for p in range(1, len(partials)):
        for m in range(len(out)):
            out[m] += partials[p, m]
