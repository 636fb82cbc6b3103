"""Compiled loops of convolution and its gradients: tile after tile over tables of offsets; only arithmetic."""

from numba import njit

from vast_orchard.core.ops._tile import LANES, POSITIONS, make_tile

__all__ = ["correlate", "correlate_channelwise", "gather", "gather_channelwise", "pack", "pack_turned"]

_tile_1, _tile_2, _tile_3 = make_tile(1), make_tile(2), make_tile(3)
_tile_channelwise = make_tile(1, channelwise=True)


@njit(nogil=True, cache=True)
def gather(out, out_base, out_at, positions, x, x_base, x_at, x_runs, weights, w_runs, length, bias, filters, slope):
    """At each position, the sum over runs of `x` times `weights` (blocks, steps, row), plus bias, into `out`."""
    blocks, steps, row = weights.shape
    flat = weights.reshape(-1)
    runs = len(x_runs)
    for block in range(blocks):
        lanes = filters - block * row
        o, c, w = out_base + block * row, block * row, block * steps * row
        for first in range(0, positions, POSITIONS):
            left = positions - first
            if row == LANES:
                _tile_1(out, o, out_at, first, left, lanes, bias, c, 0,
                        x, x_base, x_at, x_runs, 1, flat, w, w_runs, row, runs, length, slope)  # fmt: skip
            elif row == 2 * LANES:
                _tile_2(out, o, out_at, first, left, lanes, bias, c, 0,
                        x, x_base, x_at, x_runs, 1, flat, w, w_runs, row, runs, length, slope)  # fmt: skip
            else:
                _tile_3(out, o, out_at, first, left, lanes, bias, c, 0,
                        x, x_base, x_at, x_runs, 1, flat, w, w_runs, row, runs, length, slope)  # fmt: skip


@njit(nogil=True, cache=True)
def correlate(out, out_base, out_at, taps, x, x_base, x_at, x_runs, x_step, g, g_base, g_runs, g_step,
              length, at_once, filters, row):  # fmt: skip
    """Add to `out` the sum over runs of each tap's `x` times the row of `g`: the gradient of filters.

    `at_once` runs are summed before the next tile has its turn, so that they are still in the first-level cache.
    """
    one = out.dtype.type(1)
    for run in range(0, len(x_runs), at_once):
        a_runs, b_runs = x_runs[run : run + at_once], g_runs[run : run + at_once]
        runs = len(a_runs)
        for c in range(0, filters, row):
            o, b, lanes = out_base + c, g_base + c, filters - c
            for first in range(0, taps, POSITIONS):
                left = taps - first
                if row == LANES:
                    _tile_1(out, o, out_at, first, left, lanes, out, o, 1,
                            x, x_base, x_at, a_runs, x_step, g, b, b_runs, g_step, runs, length, one)  # fmt: skip
                elif row == 2 * LANES:
                    _tile_2(out, o, out_at, first, left, lanes, out, o, 1,
                            x, x_base, x_at, a_runs, x_step, g, b, b_runs, g_step, runs, length, one)  # fmt: skip
                else:
                    _tile_3(out, o, out_at, first, left, lanes, out, o, 1,
                            x, x_base, x_at, a_runs, x_step, g, b, b_runs, g_step, runs, length, one)  # fmt: skip


@njit(nogil=True, cache=True)
def gather_channelwise(out, out_base, out_at, positions, x, x_base, x_at, taps, weights, bias, channels, slope, w_runs):
    """At each position, the sum over taps of `x` times `weights` (taps, padded channels), channel by channel."""
    flat = weights.reshape(-1)
    for c in range(0, channels, LANES):
        for first in range(0, positions, POSITIONS):
            _tile_channelwise(out, out_base + c, out_at, first, positions - first, channels - c, bias, c, 0,
                              x, x_base + c, x_at, taps, 0, flat, c, w_runs, 0, len(taps), 1, slope)  # fmt: skip


@njit(nogil=True, cache=True)
def correlate_channelwise(out, out_at, taps, x, x_base, x_at, x_runs, x_step, g, g_base, g_runs, g_step,
                          length, at_once, channels):  # fmt: skip
    """Add to `out` (taps, channels) the sum over runs of `x` times `g`, channel by channel."""
    one = out.dtype.type(1)
    for run in range(0, len(x_runs), at_once):
        a_runs, b_runs = x_runs[run : run + at_once], g_runs[run : run + at_once]
        for c in range(0, channels, LANES):
            for first in range(0, taps, POSITIONS):
                _tile_channelwise(out, c, out_at, first, taps - first, channels - c, out, c, 1, x, x_base + c, x_at,
                                  a_runs, x_step, g, g_base + c, b_runs, g_step, len(a_runs), length, one)  # fmt: skip


@njit(nogil=True, cache=True)
def pack(weights, first, packed):
    """Columns of `weights` (steps, all filters) from `first` on, as rows of whole vectors (blocks, steps, row)."""
    blocks, steps, row = packed.shape
    for block in range(blocks):
        for step in range(steps):
            for lane in range(row):
                column = block * row + lane
                packed[block, step, lane] = weights[step, first + column] if column < weights.shape[1] - first else 0


@njit(nogil=True, cache=True)
def pack_turned(weights, first, filters, taps, packed):
    """For the input's gradient: `weights` (kh, kw, C, F) as (blocks, taps · filters, row of channels)."""
    blocks, _, row = packed.shape
    channels = weights.shape[2]
    for block in range(blocks):
        for tap in range(len(taps)):
            r, s = taps[tap, 0], taps[tap, 1]
            for f in range(filters):
                for lane in range(row):
                    c = block * row + lane
                    packed[block, tap * filters + f, lane] = weights[r, s, c, first + f] if c < channels else 0
