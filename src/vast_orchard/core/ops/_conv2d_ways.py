"""The ways to convolve one plane into another: directly, channel by channel, and by minimal filtering.

Each takes filters in, in the order in which it walks them, and then convolves any part of a batch. The input's gradient
is such a convolution too, of the output's gradient with the filters turned.
"""

import threading
from typing import Protocol

import numpy as np

from vast_orchard.core.arrays import FloatArray
from vast_orchard.core.ops._conv2d_kernels import gather, gather_channelwise, pack, pack_turned
from vast_orchard.core.ops._conv2d_tables import Gathering
from vast_orchard.core.ops._tile import LANES, POSITIONS
from vast_orchard.core.ops._winograd_kernels import transform_filters, winograd
from vast_orchard.core.plane import Plane, padded_length

__all__ = ["TileRoom", "Way", "is_channelwise", "is_minimal", "make_way", "row_of", "whole_row"]

# Below this many channels on either side the transforms cost what the products save (bench/convolution.py).
_MINIMAL_CHANNELS = 32

# What transformed tiles and their products may take of the second-level cache.
_TILE_BYTES = 512 * 1024


def row_of(values: int) -> int:
    """Values that a tile computes side by side: one to three vectors, whichever leaves the fewest lanes idle."""
    vectors = -(-values // LANES)
    return LANES * min((1, 2, 3), key=lambda n: (-(-vectors // n) * n, -n))


def whole_row(values: int) -> int:
    """`values`, rounded up to whole vectors."""
    return -(-values // LANES) * LANES


def is_channelwise(groups: int, channels: int, filters: int) -> bool:
    """Whether each channel has one filter of its own."""
    return 1 < groups == channels == filters


def is_minimal(tables: Gathering, groups: int, source: Plane, target: Plane) -> bool:
    """Whether minimal filtering applies and pays: 3×3 kernels at stride 1, even sizes, enough channels."""
    height, width = target.size
    three = len(tables.runs) == 3 and len(tables.taps) == 9 and tables.length == 3 * source.channels
    even = height % 2 == width % 2 == 0 and tables.positions == height * width
    return three and even and groups == 1 and min(source.channels, target.channels) >= _MINIMAL_CHANNELS


class Way(Protocol):
    """One way to convolve."""

    def load(self, weights: FloatArray, bias: FloatArray | None) -> None:
        """Take over filters (kh, kw, C / groups, F) and bias; needed again whenever they change."""

    def run(self, first: int, count: int, slope: float) -> None:
        """Convolve images `first` to `first + count`, then max(y, slope · y)."""


class _Direct:
    """Sums over runs of neighbouring values."""

    def __init__(self, tables: Gathering, groups: int, source: Plane, target: Plane, *, turned: bool) -> None:
        self._tables, self._groups, self._source, self._target = tables, groups, source, target
        self._turned, dtype = turned, target.values.dtype
        self._in, self._out = source.channels // groups, target.channels // groups
        row, steps = row_of(self._out), len(tables.runs) * tables.length
        self._weights = np.zeros((groups, -(-self._out // row), steps, row), dtype)
        self._runs = np.arange(len(tables.runs), dtype=np.int64) * tables.length * row
        self._bias = np.zeros((groups, self._weights.shape[1] * row), dtype)

    def load(self, weights: FloatArray, bias: FloatArray | None) -> None:
        for group in range(self._groups):
            if self._turned:
                pack_turned(weights, group * self._in, self._in, self._tables.taps, self._weights[group])
            else:
                pack(weights.reshape(-1, weights.shape[3]), group * self._out, self._weights[group])
        if bias is not None:
            self._bias[:, : self._out] = bias.reshape(self._groups, self._out)

    def run(self, first: int, count: int, slope: float) -> None:
        x, y, t = self._source, self._target, self._tables
        for group in range(self._groups):
            gather(
                y.flat, first * y.image + group * self._out, t.target_at, count * t.positions,
                x.flat, first * x.image + group * self._in, t.source_at, t.runs,
                self._weights[group], self._runs, t.length, self._bias[group], self._out, y.values.dtype.type(slope),
            )  # fmt: skip


class _Channelwise:
    """One filter for each channel."""

    def __init__(self, tables: Gathering, source: Plane, target: Plane) -> None:
        self._tables, self._source, self._target = tables, source, target
        whole = whole_row(target.channels)
        self._weights = np.zeros((len(tables.taps), whole), target.values.dtype)
        self._runs = np.arange(len(tables.taps), dtype=np.int64) * whole
        self._bias = np.zeros(whole, target.values.dtype)

    def load(self, weights: FloatArray, bias: FloatArray | None) -> None:
        channels = self._target.channels
        rows, columns = self._tables.taps.T
        self._weights[:, :channels] = weights[rows, columns, 0]
        if bias is not None:
            self._bias[:channels] = bias

    def run(self, first: int, count: int, slope: float) -> None:
        x, y, t = self._source, self._target, self._tables
        gather_channelwise(
            y.flat, first * y.image, t.target_at, count * t.positions, x.flat, first * x.image, t.source_at, t.runs,
            self._weights, self._bias, y.channels, y.values.dtype.type(slope), self._runs,
        )  # fmt: skip


class TileRoom:
    """Room for transformed tiles of two planes, and for each thread its own memory to write them to."""

    _memory = threading.local()

    def __init__(self, first: Plane, second: Plane) -> None:
        a_tile = 16 * (first.channels + second.channels) * first.values.itemsize
        self.tiles = max(POSITIONS, _TILE_BYTES // a_tile // POSITIONS * POSITIONS)
        self._sizes = [padded_length(16 * (self.tiles * plane.channels + LANES)) for plane in (first, second)]
        self._dtype = first.values.dtype

    def offsets(self, plane: Plane) -> FloatArray:
        """Where each tile's channels begin."""
        return np.minimum(np.arange(self.tiles + POSITIONS), self.tiles - 1).astype(np.int64) * plane.channels

    def memory(self) -> tuple[FloatArray, FloatArray]:
        """This thread's memory for tiles of the first and of the second plane."""
        held = self._memory.__dict__
        key = self._dtype.char
        if key not in held or held[key].size < sum(self._sizes):
            held[key] = np.zeros(sum(self._sizes), self._dtype)
        return held[key][: self._sizes[0]], held[key][self._sizes[0] : sum(self._sizes)]


class _Minimal:
    """Minimal filtering of 3×3 kernels."""

    def __init__(self, tables: Gathering, source: Plane, target: Plane, *, turned: bool) -> None:
        self._source, self._target, self._turned = source, target, turned
        # The first window's corner, padding included.
        self._frame = (int(tables.source_at[0] + tables.runs[0]), *source.frame[1:])
        self._tiling = (target.size[0] // 2, target.size[1] // 2)
        row, dtype = row_of(target.channels), target.values.dtype
        self._weights = np.zeros((16, -(-target.channels // row), source.channels, row), dtype)
        self._bias = np.zeros(padded_length(target.channels) + 4 * LANES, dtype)
        self._room = TileRoom(source, target)
        self._source_at, self._target_at = self._room.offsets(source), self._room.offsets(target)

    def load(self, weights: FloatArray, bias: FloatArray | None) -> None:
        if self._turned:
            weights = weights[::-1, ::-1].transpose(0, 1, 3, 2)
        room = np.empty(weights.size + LANES, weights.dtype)
        room[: weights.size].reshape(weights.shape)[...] = weights
        transform_filters(room, (*weights.shape[2:], self._weights.shape[3]), self._weights.reshape(-1))
        if bias is not None:
            self._bias[: self._target.channels] = bias

    def run(self, first: int, count: int, slope: float) -> None:
        x, y, room = self._source, self._target, self._room
        winograd(
            x.flat, self._frame, y.flat, y.frame, self._tiling, first, count, self._weights, self._bias, slope,
            room.tiles, self._source_at, self._target_at, *room.memory(),
        )  # fmt: skip


def make_way(tables: Gathering, groups: int, source: Plane, target: Plane, *, turned: bool) -> Way:
    """The fastest way that applies; `turned` for the input's gradient."""
    if is_channelwise(groups, source.channels, target.channels):
        # The tables name the taps in their order, turned or not.
        return _Channelwise(tables, source, target)
    if is_minimal(tables, groups, source, target):
        return _Minimal(tables, source, target, turned=turned)
    return _Direct(tables, groups, source, target, turned=turned)
