"""Max pooling over square, non-overlapping windows, and global average pooling."""

import numpy as np

from vast_orchard.core.arrays import FloatArray, check_rank
from vast_orchard.core.ops._pooling_kernels import route_to_maxima, window_maxima
from vast_orchard.errors import ShapeError

__all__ = ["global_average_pool", "global_average_pool_backward", "max_pool", "max_pool_backward"]


def _windows(x: FloatArray, size: int) -> FloatArray:
    # Rows and columns that fill no whole window are left out, as in ONNX MaxPool with ceil_mode 0.
    count, height, width, channels = x.shape
    rows, columns = height // size, width // size
    whole = np.ascontiguousarray(x[:, : rows * size, : columns * size])
    return whole.reshape(count, rows, size, columns, size, channels)


def max_pool(x: FloatArray, size: int = 2) -> FloatArray:
    """Largest value of each `size`×`size` window.

    Parameters
    ----------
    x : ndarray, shape (N, H, W, C)
    size : int
        Side and step of the window, in pixels.

    Returns
    -------
    ndarray, shape (N, H // size, W // size, C)

    Raises
    ------
    ShapeError
        The picture is smaller than one window.
    """
    check_rank("x", x, 4, "(N, H, W, C)")
    if min(x.shape[1:3]) < size or size < 1:
        raise ShapeError(
            f"A {size}×{size} window does not fit into {x.shape[1]}×{x.shape[2]}.",
            "Remove the pooling or enlarge x.",
        )
    windows = _windows(x, size)
    out = np.empty((windows.shape[0], windows.shape[1], windows.shape[3], windows.shape[5]), x.dtype)
    window_maxima(windows, out)
    return out


def max_pool_backward(x: FloatArray, maxima: FloatArray, grad: FloatArray, size: int = 2) -> FloatArray:
    """Gradient of `max_pool`; of equal maxima the first in row order receives it.

    Parameters
    ----------
    x, size
        As given to `max_pool`.
    maxima, grad : ndarray, shape (N, H', W', C)
        The result of `max_pool`, and the gradient with respect to it.

    Returns
    -------
    ndarray, shape of x
    """
    windows = _windows(x, size)
    routed = np.empty_like(windows)
    route_to_maxima(windows, maxima, grad, routed)
    whole = routed.reshape(x.shape[0], windows.shape[1] * size, windows.shape[3] * size, x.shape[3])
    if whole.shape == x.shape:
        return whole
    out = np.zeros_like(x)
    out[:, : whole.shape[1], : whole.shape[2]] = whole
    return out


def global_average_pool(x: FloatArray) -> FloatArray:
    """Mean over height and width: (N, H, W, C) to (N, C)."""
    check_rank("x", x, 4, "(N, H, W, C)")
    return x.mean(axis=(1, 2), dtype=x.dtype)


def global_average_pool_backward(shape: tuple[int, ...], grad: FloatArray) -> FloatArray:
    """Gradient of `global_average_pool` for an input of `shape` (N, H, W, C)."""
    return np.broadcast_to((grad / (shape[1] * shape[2]))[:, None, None, :], shape).astype(grad.dtype)
