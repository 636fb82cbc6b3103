"""Compiled loops of batch normalisation, and of the ReLU behind it; only arithmetic.

Feature maps are the flat values and the frame of a plane (`Plane.frame`); numbers for each channel are padded to whole
vectors.
"""

from numba import njit

from vast_orchard.core.ops._vectors import LANES, add_to, larger, larger_or, load, spread, store

__all__ = ["add_gradients", "add_moments", "input_gradient", "normalise"]


@njit(nogil=True, cache=True)
def add_moments(x, frame, channels, first, count, pivots, sums):
    """Add to `sums` (2, C), float64, those of x − pivot and of its square, over images `first` to `first + count`.

    Taking a pivot off first keeps the digits that large means would cost (Chan, Golub & LeVeque 1983, section 3);
    rows are summed in the type of x and then added in double precision.
    """
    start, row, image, height, width = frame
    for n in range(first, first + count):
        for i in range(height):
            at = start + n * image + i * row
            for c in range(0, channels, LANES):
                pivot = load(pivots, c)
                total = squares = spread(0, x)
                for j in range(width):
                    d = load(x, at + j * channels + c) - pivot
                    total = total + d
                    squares = squares + d * d
                add_to(sums[0], c, total, channels - c)
                add_to(sums[1], c, squares, channels - c)


@njit(nogil=True, cache=True)
def normalise(x, x_frame, y, y_frame, channels, first, count, scales, shifts, slope):
    """y = max(t, slope · t) with t = scale · x + shift, for each channel."""
    x_start, x_row, x_image, height, width = x_frame
    y_start, y_row, y_image, _, _ = y_frame
    factor = spread(slope, x)
    for n in range(first, first + count):
        for i in range(height):
            a, b = x_start + n * x_image + i * x_row, y_start + n * y_image + i * y_row
            for c in range(0, channels, LANES):
                scale, shift = load(scales, c), load(shifts, c)
                for j in range(c, width * channels + c, channels):
                    t = load(x, a + j) * scale + shift
                    store(y, b + j, larger(t, factor * t), channels - c)


@njit(nogil=True, cache=True)
def add_gradients(x, x_frame, g, g_frame, channels, first, count, scales, shifts, slope, means, sums):
    """Take the gradient `g` back through ReLU in place; add to `sums` (2, C) its sum, and that of g · (x − mean)."""
    x_start, x_row, x_image, height, width = x_frame
    g_start, g_row, g_image, _, _ = g_frame
    factor, zero = spread(slope, x), spread(0, x)
    for n in range(first, first + count):
        for i in range(height):
            a, b = x_start + n * x_image + i * x_row, g_start + n * g_image + i * g_row
            for c in range(0, channels, LANES):
                scale, shift, mean = load(scales, c), load(shifts, c), load(means, c)
                total = swung = zero
                for j in range(c, width * channels + c, channels):
                    value, d = load(x, a + j), load(g, b + j)
                    d = larger_or(value * scale + shift, zero, d, factor * d)
                    store(g, b + j, d, channels - c)
                    total = total + d
                    swung = swung + d * (value - mean)
                add_to(sums[0], c, total, channels - c)
                add_to(sums[1], c, swung, channels - c)


@njit(nogil=True, cache=True)
def input_gradient(x, x_frame, g, g_frame, out, out_frame, channels, first, count, scales, means, steadies, swings):
    """out = scale · (g − steady − (x − mean) · swing), for each channel; out may be g itself."""
    x_start, x_row, x_image, height, width = x_frame
    g_start, g_row, g_image, _, _ = g_frame
    out_start, out_row, out_image, _, _ = out_frame
    for n in range(first, first + count):
        for i in range(height):
            a, b = x_start + n * x_image + i * x_row, g_start + n * g_image + i * g_row
            o = out_start + n * out_image + i * out_row
            for c in range(0, channels, LANES):
                scale, mean, steady, swing = load(scales, c), load(means, c), load(steadies, c), load(swings, c)
                for j in range(c, width * channels + c, channels):
                    d = load(g, b + j) - steady - (load(x, a + j) - mean) * swing
                    store(out, o + j, scale * d, channels - c)
