"""Compiled loops of pooling; only arithmetic.

Feature maps are the flat values and the frame of a plane (`Plane.frame`). `steps` is (size, stride, padding before)
for rows and then for columns.
"""

import numpy as np
from numba import njit

from vast_orchard.core.ops._vectors import (
    LANES,
    add_to,
    equal_or,
    load,
    load_bytes,
    spread,
    store,
    store_bytes,
    wins_or,
)

__all__ = ["average_backward", "average_windows", "global_mean", "max_backward", "max_windows", "spread_mean"]


@njit(nogil=True, cache=True)
def _inside(i, stride, before, size, length):
    """First and last pixel (one behind it) of a window that lie inside."""
    start = i * stride - before
    return max(start, 0), min(start + size, length)


@njit(nogil=True, cache=True)
def max_windows(x, x_frame, y, y_frame, channels, first, count, steps, winners):
    """Largest value of each window into `y`, and its number in the window into flat `winners` (N, H', W', C).

    Of equal values the first in row order wins.
    """
    rows, row_stride, before, columns, column_stride, ahead = steps
    x_start, x_row, x_image, x_height, x_width = x_frame
    y_start, y_row, y_image, height, width = y_frame
    for n in range(first, first + count):
        for i in range(height):
            a0, a1 = _inside(i, row_stride, before, rows, x_height)
            for j in range(width):
                b0, b1 = _inside(j, column_stride, ahead, columns, x_width)
                corner = x_start + n * x_image + a0 * x_row + b0 * channels
                number = (a0 - i * row_stride + before) * columns + b0 - j * column_stride + ahead
                target = y_start + n * y_image + i * y_row + j * channels
                place = ((n * height + i) * width + j) * channels
                for c in range(0, channels, LANES):
                    best, who = load(x, corner + c), spread(number, x)
                    for a in range(a1 - a0):
                        for b in range(b1 - b0):
                            value = load(x, corner + a * x_row + b * channels + c)
                            who = wins_or(value, best, spread(number + a * columns + b, x), who)
                            best = wins_or(value, best, value, best)
                    store(y, target + c, best, channels - c)
                    store_bytes(winners, place + c, who, channels - c)


@njit(nogil=True, cache=True)
def max_backward(winners, g, g_frame, out, out_frame, channels, first, count, steps):
    """Add each window's gradient to the place in `out` that won."""
    rows, row_stride, before, columns, column_stride, ahead = steps
    out_start, out_row, out_image, out_height, out_width = out_frame
    g_start, g_row, g_image, height, width = g_frame
    zero = spread(0, g)
    for n in range(first, first + count):
        for i in range(height):
            a0, a1 = _inside(i, row_stride, before, rows, out_height)
            for j in range(width):
                b0, b1 = _inside(j, column_stride, ahead, columns, out_width)
                corner = out_start + n * out_image + a0 * out_row + b0 * channels
                number = (a0 - i * row_stride + before) * columns + b0 - j * column_stride + ahead
                source = g_start + n * g_image + i * g_row + j * channels
                place = ((n * height + i) * width + j) * channels
                for c in range(0, channels, LANES):
                    grad = load(g, source + c)
                    who = load_bytes(winners, place + c, grad)
                    for a in range(a1 - a0):
                        for b in range(b1 - b0):
                            at = corner + a * out_row + b * channels + c
                            part = equal_or(who, spread(number + a * columns + b, g), grad, zero)
                            store(out, at, load(out, at) + part, channels - c)


@njit(nogil=True, cache=True)
def average_windows(x, x_frame, y, y_frame, channels, first, count, steps):
    """Mean of each window's values into `y`; padding does not count."""
    rows, row_stride, before, columns, column_stride, ahead = steps
    x_start, x_row, x_image, x_height, x_width = x_frame
    y_start, y_row, y_image, height, width = y_frame
    for n in range(first, first + count):
        for i in range(height):
            a0, a1 = _inside(i, row_stride, before, rows, x_height)
            for j in range(width):
                b0, b1 = _inside(j, column_stride, ahead, columns, x_width)
                share = spread(1 / ((a1 - a0) * (b1 - b0)), x)
                image, target = x_start + n * x_image, y_start + n * y_image + i * y_row + j * channels
                for c in range(0, channels, LANES):
                    total = spread(0, x)
                    for a in range(a0, a1):
                        for b in range(b0, b1):
                            total = total + load(x, image + a * x_row + b * channels + c)
                    store(y, target + c, total * share, channels - c)


@njit(nogil=True, cache=True)
def average_backward(g, g_frame, out, out_frame, channels, first, count, steps):
    """Add to each place in `out` its share of the gradients of its windows."""
    rows, row_stride, before, columns, column_stride, ahead = steps
    out_start, out_row, out_image, out_height, out_width = out_frame
    g_start, g_row, g_image, height, width = g_frame
    for n in range(first, first + count):
        for i in range(height):
            a0, a1 = _inside(i, row_stride, before, rows, out_height)
            for j in range(width):
                b0, b1 = _inside(j, column_stride, ahead, columns, out_width)
                share = spread(1 / ((a1 - a0) * (b1 - b0)), g)
                image, source = out_start + n * out_image, g_start + n * g_image + i * g_row + j * channels
                for c in range(0, channels, LANES):
                    part = load(g, source + c) * share
                    for a in range(a0, a1):
                        for b in range(b0, b1):
                            at = image + a * out_row + b * channels + c
                            store(out, at, load(out, at) + part, channels - c)


@njit(nogil=True, cache=True)
def global_mean(x, frame, channels, y, first, count):
    """Mean over height and width into flat `y` (N, C), row by row so that long sums lose few digits."""
    start, row, image, height, width = frame
    whole = np.zeros(channels + LANES)
    for n in range(first, first + count):
        whole[:] = 0
        for i in range(height):
            at = start + n * image + i * row
            for c in range(0, channels, LANES):
                total = spread(0, x)
                for j in range(c, width * channels + c, channels):
                    total = total + load(x, at + j)
                add_to(whole, c, total, channels - c)
        for c in range(channels):
            y[n * channels + c] = whole[c] / (height * width)


@njit(nogil=True, cache=True)
def spread_mean(g, out, frame, channels, first, count):
    """The gradient of a global mean, flat (N, C): the same share of it at each place of `out`."""
    start, row, image, height, width = frame
    share = spread(1 / (height * width), out)
    for n in range(first, first + count):
        for i in range(height):
            at = start + n * image + i * row
            for c in range(0, channels, LANES):
                part = load(g, n * channels + c) * share
                for j in range(c, width * channels + c, channels):
                    store(out, at + j, part, channels - c)
