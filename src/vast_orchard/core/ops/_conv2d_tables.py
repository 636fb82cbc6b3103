"""Where the values of a convolution lie: tables of offsets that kernels walk, made once for a layer.

All three directions are sums over runs of neighbouring values, so stride, dilation, groups and padding are a matter of
tables and not of more kernels. Tables cover several images; a shorter call uses their beginning.
"""

from dataclasses import dataclass

import numpy as np

from vast_orchard.core.arrays import Array
from vast_orchard.core.ops._tile import POSITIONS
from vast_orchard.core.ops.window import Window, phase_of
from vast_orchard.core.plane import Plane

__all__ = ["Correlation", "Gathering", "correlation", "forward_gathering", "input_gatherings"]


@dataclass(frozen=True, eq=False, kw_only=True)
class Gathering:
    """A convolution's output, or one phase of its input's gradient: positions, and the runs that each sums."""

    positions: int  # of one image
    target_at: Array  # (images · positions + some,) offsets of positions in the plane written
    source_at: Array  # the same positions in the plane read
    runs: Array  # (runs,) offsets from a position to each of its runs
    length: int  # values of a run, of one group
    taps: Array  # (taps, 2) rows and columns of the kernel in the order of the runs


@dataclass(frozen=True, eq=False, kw_only=True)
class Correlation:
    """The gradient of filters: for each value under the kernel, a sum over all positions."""

    source_at: Array  # (values + some,) offsets of a value under the kernel in the plane read
    source_runs: Array  # (images · runs,) offsets of rows of positions in the plane read
    gradient_runs: Array  # the same rows in the gradient
    runs: int  # of one image; 0 when the images themselves are the positions of a single run
    length: int  # positions of a run
    source_step: int
    gradient_step: int


def _padded(table: Array) -> Array:
    # A tile reads the offsets of all its positions, also of those that it will not write.
    return np.concatenate([table, np.repeat(table[-1:], POSITIONS)]).astype(np.int64)


def _over_images(table: Array, images: int, image: int) -> Array:
    return (np.arange(images)[:, None] * image + table.reshape(1, -1)).ravel()


def _runs(rows: Array, columns: Array, width: int, values: int, whole: bool) -> tuple[Array, int]:
    """Offsets of runs, and values in each, for taps at `rows` × `columns` pixels from a position.

    Neighbouring taps of a row make one run when all channels of a pixel belong to it (`whole`).
    """
    if whole and np.all(np.diff(columns) == 1):
        return (rows * width + columns[0]) * values, len(columns) * values
    return ((rows[:, None] * width + columns[None, :]) * values).ravel(), values


def forward_gathering(window: tuple[Window, Window], groups: int, x: Plane, y: Plane, images: int) -> Gathering:
    """Tables that convolve plane `x` into plane `y`."""
    rows, columns = window
    (x_height, x_width), (height, width) = x.size, y.size
    starts = [
        np.arange(count) * axis.stride - axis.pads(length)[0]
        for axis, count, length in ((rows, height, x_height), (columns, width, x_width))
    ]
    down, across = (np.arange(axis.size) * axis.dilation for axis in window)
    channels = x.channels
    runs, length = _runs(down, across, x.values.shape[2], channels, groups == 1)
    return Gathering(
        positions=height * width,
        target_at=_padded(_over_images(y.offsets(np.arange(height), np.arange(width)), images, y.image)),
        source_at=_padded(_over_images(x.offsets(*starts), images, x.image)),
        runs=runs.astype(np.int64),
        length=length if groups == 1 else channels // groups,
        taps=np.stack(np.meshgrid(np.arange(rows.size), np.arange(columns.size), indexing="ij"), -1).reshape(-1, 2),
    )


def input_gatherings(
    window: tuple[Window, Window], groups: int, gradient: Plane, x_gradient: Plane, images: int
) -> list[Gathering]:
    """Tables that convolve the output's gradient into the input's, one for each phase of the stride.

    An empty list of runs means that no window reaches those positions.
    """
    rows, columns = window
    height, width = x_gradient.size
    filters = gradient.channels
    made = []
    for row_phase in range(min(rows.stride, height)):
        y, y_taps, y_windows = phase_of(rows, height, row_phase)
        for column_phase in range(min(columns.stride, width)):
            x, x_taps, x_windows = phase_of(columns, width, column_phase)
            if len(y_taps) and len(x_taps):
                runs, length = _runs(y_windows, x_windows, gradient.values.shape[2], filters, groups == 1)
            else:
                runs, length = np.zeros(0), 0
            places = gradient.offsets(np.arange(len(y)), np.arange(len(x)))
            made.append(
                Gathering(
                    positions=len(y) * len(x),
                    target_at=_padded(_over_images(x_gradient.offsets(y, x), images, x_gradient.image)),
                    source_at=_padded(_over_images(places, images, gradient.image)),
                    runs=runs.astype(np.int64),
                    length=length if groups == 1 else filters // groups,
                    taps=np.array([(r, s) for r in y_taps for s in x_taps], np.int64).reshape(-1, 2),
                )
            )
    return made


def correlation(window: tuple[Window, Window], groups: int, x: Plane, gradient: Plane, images: int) -> Correlation:
    """Tables that sum plane `x` times the output's gradient into the gradient of filters."""
    rows, columns = window
    forward = forward_gathering(window, groups, x, gradient, 1)
    height, width = gradient.size
    channels, filters = x.channels, gradient.channels
    down, across = np.arange(rows.size) * rows.dilation, np.arange(columns.size) * columns.dilation
    pixels = (down[:, None] * x.values.shape[2] + across[None, :]) * channels
    values = pixels.reshape(-1, 1) + np.arange(channels // groups)
    single = height * width == 1
    first_source, first_gradient = (table[: height * width : width] for table in (forward.source_at, forward.target_at))
    return Correlation(
        source_at=_padded(values.ravel()),
        source_runs=first_source if single else _over_images(first_source, images, x.image),
        gradient_runs=first_gradient if single else _over_images(first_gradient, images, gradient.image),
        runs=0 if single else height,
        length=width,
        source_step=x.image if single else columns.stride * channels,
        gradient_step=gradient.image if single else filters,
    )
