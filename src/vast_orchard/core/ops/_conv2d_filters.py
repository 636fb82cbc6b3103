"""The ways to the gradient of a convolution's filters: directly, channel by channel, and by minimal filtering."""

from typing import Protocol

import numpy as np

from vast_orchard.core.arrays import FloatArray
from vast_orchard.core.ops._conv2d_kernels import correlate, correlate_channelwise
from vast_orchard.core.ops._conv2d_tables import Correlation, Gathering
from vast_orchard.core.ops._conv2d_ways import TileRoom, is_channelwise, is_minimal, row_of
from vast_orchard.core.ops._tile import LANES, POSITIONS
from vast_orchard.core.ops._winograd_kernels import gather_filters, winograd_filters
from vast_orchard.core.plane import Plane

__all__ = ["FilterWay", "make_filter_way"]

# Rows of positions that are summed at a time: what both operands may hold of a first-level cache.
_ROWS_BYTES = 24 * 1024

# G of F(2×2, 3×3), Lavin & Gray 2016, eq. 7.
_G = np.array([[1, 0, 0], [0.5, 0.5, 0.5], [0.5, -0.5, 0.5], [0, 0, 1]])


class FilterWay(Protocol):
    """One way to sum the gradient of filters (kh, kw, C / groups, F)."""

    def empty(self, parts: int) -> FloatArray:
        """Zeros (parts, …) to add to."""

    def add(self, first: int, count: int, sums: FloatArray) -> None:
        """Add images `first` to `first + count` to one part of `empty`."""

    def finish(self, sums: FloatArray, out: FloatArray) -> None:
        """From a sum of parts, flat, to the gradient `out`."""


def _zeros(shape: tuple[int, ...], dtype: np.dtype[np.floating]) -> FloatArray:
    """Behind them whole vectors may be read."""
    size = int(np.prod(shape))
    return np.zeros(size + 4 * LANES, dtype)[:size].reshape(shape)


def _offsets(count: int, step: int) -> FloatArray:
    # A tile reads the offsets of all its rows, also of those that it will not write.
    return np.minimum(np.arange(count + POSITIONS), count - 1).astype(np.int64) * step


class _Direct:
    """For each value under the kernel, a sum over rows of positions."""

    def __init__(
        self, tables: Correlation, groups: int, x: Plane, gradient: Plane, shape: tuple[int, int, int, int]
    ) -> None:
        self._tables, self._groups, self._x, self._gradient, self._shape = tables, groups, x, gradient, shape
        self._values = shape[0] * shape[1] * shape[2]  # under the kernel, of one group
        self._out_at = _offsets(self._values, shape[3])
        a_run = tables.length * (tables.source_step + tables.gradient_step) * x.values.itemsize
        self._at_once = max(1, _ROWS_BYTES // a_run)

    def empty(self, parts: int) -> FloatArray:
        return _zeros((parts, *self._shape), self._x.values.dtype)

    def add(self, first: int, count: int, sums: FloatArray) -> None:
        x, g, t = self._x, self._gradient, self._tables
        runs, length = (count * t.runs, t.length) if t.runs else (1, count)
        channels, filters, flat = self._shape[2], self._shape[3] // self._groups, sums.reshape(-1)
        x_runs, g_runs, from_x, from_g = t.source_runs[:runs], t.gradient_runs[:runs], first * x.image, first * g.image
        if is_channelwise(self._groups, x.channels, g.channels):
            correlate_channelwise(
                flat, self._out_at, self._values, x.flat, from_x, t.source_at, x_runs, t.source_step,
                g.flat, from_g, g_runs, t.gradient_step, length, self._at_once, self._groups,
            )  # fmt: skip
            return
        for group in range(self._groups):
            correlate(
                flat, group * filters, self._out_at, self._values,
                x.flat, from_x + group * channels, t.source_at, x_runs, t.source_step,
                g.flat, from_g + group * filters, g_runs, t.gradient_step,
                length, self._at_once, filters, row_of(filters),
            )  # fmt: skip

    def finish(self, sums: FloatArray, out: FloatArray) -> None:
        out.reshape(-1)[:] = sums


class _Minimal:
    """Sums over transformed tiles, transformed back at the end."""

    def __init__(self, forward: Gathering, x: Plane, gradient: Plane) -> None:
        self._x, self._gradient = x, gradient
        self._frame = (int(forward.source_at[0]), *x.frame[1:])
        self._tiling = (gradient.size[0] // 2, gradient.size[1] // 2)
        self._room = TileRoom(x, gradient)
        self._sum_at, self._c_at = _offsets(x.channels, gradient.channels), _offsets(x.channels, 1)
        self._g = _G.astype(x.values.dtype)

    def empty(self, parts: int) -> FloatArray:
        return _zeros((parts, 16, self._x.channels, self._gradient.channels), self._x.values.dtype)

    def add(self, first: int, count: int, sums: FloatArray) -> None:
        x, g, room = self._x, self._gradient, self._room
        winograd_filters(
            x.flat, self._frame, g.flat, g.frame, self._tiling, first, count, x.channels, g.channels,
            row_of(g.channels), room.tiles, sums.reshape(-1), self._sum_at, self._c_at, *room.memory(),
        )  # fmt: skip

    def finish(self, sums: FloatArray, out: FloatArray) -> None:
        gather_filters(sums.reshape(16, self._x.channels, self._gradient.channels), self._g, out)


def make_filter_way(
    tables: Correlation,
    forward: Gathering,
    groups: int,
    x: Plane,
    gradient: Plane,
    shape: tuple[int, int, int, int],
) -> FilterWay:
    """The fastest way that applies, for filters of `shape`; `forward` are the tables of the convolution itself."""
    if is_minimal(forward, groups, x, gradient):
        return _Minimal(forward, x, gradient)
    return _Direct(tables, groups, x, gradient, shape)
