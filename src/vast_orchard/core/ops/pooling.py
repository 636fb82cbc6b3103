"""Max and average pooling over square windows, and global average pooling, on NHWC arrays."""

import numpy as np

from vast_orchard.core.arrays import Array, FloatArray, check_floating, check_rank
from vast_orchard.core.ops import _pooling_kernels as kernels
from vast_orchard.core.ops.window import Window
from vast_orchard.core.plane import NO_HALO, Plane, make_plane, padded_length, plane_of
from vast_orchard.errors import ShapeError

__all__ = [
    "Steps",
    "average_pool",
    "average_pool_backward",
    "global_average_pool",
    "global_average_pool_backward",
    "max_pool",
    "max_pool_backward",
    "pooling_steps",
]

Steps = tuple[int, int, int, int, int, int]


def pooling_steps(window: tuple[Window, Window], size: tuple[int, int]) -> Steps:
    """Size, stride and padding before, for rows and then for columns, as kernels take them."""
    rows, columns = window
    return (
        rows.size, rows.stride, rows.pads(size[0])[0],
        columns.size, columns.stride, columns.pads(size[1])[0],
    )  # fmt: skip


def _window(x: FloatArray, size: int, stride: int, edge: str) -> tuple[Window, tuple[int, int]]:
    """The window, and height and width of the result."""
    check_rank("x", x, 4, "(N, H, W, C)")
    check_floating("x", x)
    window = Window(size=size, stride=stride or size, edge=edge)
    height, width = window.count(x.shape[1]), window.count(x.shape[2])
    if min(height, width) < 1:
        raise ShapeError(
            f"A {size}×{size} window does not fit into {x.shape[1]}×{x.shape[2]}.",
            "Remove the pooling or enlarge x.",
        )
    return window, (height, width)


def _empty_like(x: FloatArray, size: tuple[int, int]) -> Plane:
    return make_plane(len(x), (*size, x.shape[3]), NO_HALO, x.dtype)


def max_pool(x: FloatArray, size: int = 2, *, stride: int = 0, edge: str = "cut") -> tuple[FloatArray, Array]:
    """Largest value of each `size`×`size` window.

    Parameters
    ----------
    x : ndarray, shape (N, H, W, C), float32 or float64
    size : int
        Side of the window in pixels, at most 15.
    stride : int
        Pixels from one window to the next; 0 means the size.
    edge : {"cut", "keep"}

    Returns
    -------
    tuple of ndarray, shape (N, H', W', C), and ndarray of uint8
        The values, and for `max_pool_backward` which of its window each one was; of equal values the first.

    Raises
    ------
    ShapeError
        No window fits into the picture.
    """
    window, found = _window(x, size, stride, edge)
    source, target = plane_of(x), _empty_like(x, found)
    winners = np.zeros(padded_length(target.values.size), np.uint8)
    kernels.max_windows(
        source.flat, source.frame, target.flat, target.frame, x.shape[3], 0, len(x),
        pooling_steps((window, window), source.size), winners,
    )  # fmt: skip
    return target.values, winners


def max_pool_backward(
    winners: Array, grad: FloatArray, shape: tuple[int, ...], size: int = 2, *, stride: int = 0, edge: str = "cut"
) -> FloatArray:
    """Gradient of `max_pool` with respect to x of `shape`, which goes to the winner of each window.

    Parameters
    ----------
    winners : ndarray of uint8
        From `max_pool`.
    grad : ndarray, shape (N, H', W', C)
        Gradient with respect to the values.
    shape, size, stride, edge
        Of x, and as given to `max_pool`.
    """
    window = Window(size=size, stride=stride or size, edge=edge)
    gradient, target = plane_of(grad), make_plane(shape[0], (shape[1], shape[2], shape[3]), NO_HALO, grad.dtype)
    kernels.max_backward(
        winners, gradient.flat, gradient.frame, target.flat, target.frame, shape[3], 0, shape[0],
        pooling_steps((window, window), target.size),
    )  # fmt: skip
    return target.values


def average_pool(x: FloatArray, size: int = 2, *, stride: int = 0, edge: str = "cut") -> FloatArray:
    """Mean of each `size`×`size` window, without its padding; parameters and errors as of `max_pool`.

    Shapes and dtypes as there: (N, H, W, C), floating.
    """
    window, found = _window(x, size, stride, edge)
    source, target = plane_of(x), _empty_like(x, found)
    kernels.average_windows(
        source.flat, source.frame, target.flat, target.frame, x.shape[3], 0, len(x),
        pooling_steps((window, window), source.size),
    )  # fmt: skip
    return target.values


def average_pool_backward(
    grad: FloatArray, shape: tuple[int, ...], size: int = 2, *, stride: int = 0, edge: str = "cut"
) -> FloatArray:
    """Gradient of `average_pool` with respect to x of `shape`. Floating, of the dtype of `grad`."""
    window = Window(size=size, stride=stride or size, edge=edge)
    gradient, target = plane_of(grad), make_plane(shape[0], (shape[1], shape[2], shape[3]), NO_HALO, grad.dtype)
    kernels.average_backward(
        gradient.flat, gradient.frame, target.flat, target.frame, shape[3], 0, shape[0],
        pooling_steps((window, window), target.size),
    )  # fmt: skip
    return target.values


def global_average_pool(x: FloatArray) -> FloatArray:
    """Mean over height and width: (N, H, W, C) to (N, C). Of the floating dtype of x."""
    check_rank("x", x, 4, "(N, H, W, C)")
    check_floating("x", x)
    source, target = plane_of(x), _empty_like(x, (1, 1))
    kernels.global_mean(source.flat, source.frame, x.shape[3], target.flat, 0, len(x))
    return target.values[:, 0, 0]


def global_average_pool_backward(shape: tuple[int, ...], grad: FloatArray) -> FloatArray:
    """Gradient of `global_average_pool` for an input of `shape` (N, H, W, C).

    Floating, of the dtype of `grad`, which has shape (N, C).
    """
    gradient = plane_of(grad[:, None, None])
    target = make_plane(shape[0], (shape[1], shape[2], shape[3]), NO_HALO, grad.dtype)
    kernels.spread_mean(gradient.flat, target.flat, target.frame, shape[3], 0, shape[0])
    return target.values
