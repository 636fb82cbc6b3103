"""Maxima of windows and the routing of gradients back to them; only arithmetic on given arrays."""

import numpy as np

from vast_orchard.core.arrays import FloatArray

__all__ = ["route_to_maxima", "window_maxima"]


def window_maxima(windows: FloatArray, out: FloatArray) -> None:
    """Maxima over axes 2 and 4 of `windows` (N, H', size, W', size, C) into `out` (N, H', W', C)."""
    size = windows.shape[2]
    np.copyto(out, windows[:, :, 0, :, 0])
    for row in range(size):
        for column in range(size):
            np.maximum(out, windows[:, :, row, :, column], out=out)


def route_to_maxima(windows: FloatArray, maxima: FloatArray, grad: FloatArray, out: FloatArray) -> None:
    """Put each window's gradient where its first maximum (in row order) stands in `out`, shaped like `windows`."""
    size = windows.shape[2]
    open_windows = np.ones(maxima.shape, bool)
    for row in range(size):
        for column in range(size):
            here = (windows[:, :, row, :, column] == maxima) & open_windows
            np.multiply(grad, here, out=out[:, :, row, :, column])
            open_windows &= ~here
