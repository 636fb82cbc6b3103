"""Planes: a batch of feature maps with room for edge around each, so that no kernel ever copies to pad."""

from dataclasses import dataclass

import numpy as np

from vast_orchard.core.arrays import Array, FloatArray

__all__ = ["NO_HALO", "Halo", "Plane", "make_plane", "padded", "padded_length", "plane_of"]

# Kernels load whole vectors, also at the last channel of the last pixel: this many values may be read behind it.
_SLACK = 64


@dataclass(frozen=True, kw_only=True)
class Halo:
    """Zeros around a feature map, in pixels."""

    top: int = 0
    bottom: int = 0
    left: int = 0
    right: int = 0

    def __or__(self, other: "Halo") -> "Halo":
        """The smallest halo that covers both."""
        return Halo(
            top=max(self.top, other.top),
            bottom=max(self.bottom, other.bottom),
            left=max(self.left, other.left),
            right=max(self.right, other.right),
        )


NO_HALO = Halo()


class Plane:
    """Feature maps (N, H, W, C) inside an array (N, top + H + bottom, left + W + right, C).

    The halo is zero when the plane is made and nothing writes to it afterwards.

    Attributes
    ----------
    values : ndarray, shape (N, padded height, padded width, C), C-contiguous
    inside : ndarray, shape (N, H, W, C)
        View of the feature maps without the halo.
    flat : ndarray, shape (M,)
        The same memory as one row, and some slack behind it.
    frame : tuple of int
        How kernels walk `flat`: offset of the first pixel, values from one row and from one image to the next, height
        and width of the feature maps.
    halo : Halo
    image : int
        Values from one image of the batch to the next.
    """

    # Attributes and not properties: kernels take them thousands of times a second.
    def __init__(self, values: FloatArray, flat: FloatArray, halo: Halo) -> None:
        self.values, self.flat, self.halo = values, flat, halo
        _, rows, columns, self.channels = values.shape
        self.inside = values[:, halo.top : rows - halo.bottom, halo.left : columns - halo.right]
        self.size = (self.inside.shape[1], self.inside.shape[2])
        self.image = rows * columns * self.channels
        first = (halo.top * columns + halo.left) * self.channels
        self.frame = (first, columns * self.channels, self.image, *self.size)

    def offsets(self, rows: Array, columns: Array) -> Array:
        """Places in one image's values of the pixels at `rows` × `columns`, counted without the halo."""
        _, _, width, channels = self.values.shape
        return ((rows[:, None] + self.halo.top) * width + columns[None, :] + self.halo.left) * channels


def make_plane(
    count: int, shape: tuple[int, int, int], halo: Halo = NO_HALO, dtype: np.dtype[np.floating] | None = None
) -> Plane:
    """A plane of zeros for `count` feature maps of `shape` (H, W, C); float32 unless told otherwise."""
    height, width, channels = shape
    padded = (count, halo.top + height + halo.bottom, halo.left + width + halo.right, channels)
    size = int(np.prod(padded, dtype=np.int64))
    flat = np.zeros(padded_length(size), dtype or np.float32)
    return Plane(flat[:size].reshape(padded), flat, halo)


def plane_of(x: FloatArray, halo: Halo = NO_HALO) -> Plane:
    """A copy of x (N, H, W, C) as a plane. Of the floating dtype of x."""
    plane = make_plane(len(x), (x.shape[1], x.shape[2], x.shape[3]), halo, x.dtype)
    plane.inside[:] = x
    return plane


def padded_length(length: int) -> int:
    """A length with the slack that kernels may read behind it."""
    return length + _SLACK


def padded(values: FloatArray, dtype: np.dtype[np.floating]) -> FloatArray:
    """Numbers of shape (C,) with the slack that kernels may read behind them. Of their floating dtype."""
    out = np.zeros(padded_length(len(values)), dtype)
    out[: len(values)] = values
    return out
