"""Planes: a batch of feature maps with room for padding around each, so that no kernel ever copies to pad."""

from dataclasses import dataclass

import numpy as np

from vast_orchard.core.arrays import Array, FloatArray

__all__ = ["NO_HALO", "Halo", "Plane", "make_plane", "padded", "padded_length"]

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


@dataclass(frozen=True, eq=False, kw_only=True)
class Plane:
    """Feature maps (N, H, W, C) inside an array (N, top + H + bottom, left + W + right, C).

    The halo is zero when the plane is made and nothing writes to it afterwards.
    """

    values: FloatArray  # (N, padded height, padded width, C), C-contiguous
    flat: FloatArray  # the same memory as one row, and some slack behind it
    halo: Halo

    @property
    def inside(self) -> FloatArray:
        """View of the feature maps without the halo."""
        h, (_, rows, columns, _) = self.halo, self.values.shape
        return self.values[:, h.top : rows - h.bottom, h.left : columns - h.right]

    @property
    def frame(self) -> tuple[int, int, int, int, int]:
        """How kernels walk `flat`: offset of the first pixel, values from one row and from one image to the next,
        height and width of the feature maps."""
        _, _, columns, channels = self.values.shape
        _, height, width, _ = self.inside.shape
        first = (self.halo.top * columns + self.halo.left) * channels
        return first, columns * channels, self.image, height, width

    @property
    def channels(self) -> int:
        """Values of a pixel."""
        return int(self.values.shape[3])

    @property
    def size(self) -> tuple[int, int]:
        """Height and width of the feature maps."""
        _, height, width, _ = self.inside.shape
        return height, width

    @property
    def image(self) -> int:
        """Values from one image of the batch to the next."""
        _, rows, columns, channels = self.values.shape
        return rows * columns * channels

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
    return Plane(values=flat[:size].reshape(padded), flat=flat, halo=halo)


def padded_length(length: int) -> int:
    """A length with the slack that kernels may read behind it."""
    return length + _SLACK


def padded(values: FloatArray, dtype: np.dtype[np.floating]) -> FloatArray:
    """Numbers of shape (C,) with the slack that kernels may read behind them."""
    out = np.zeros(padded_length(len(values)), dtype)
    out[: len(values)] = values
    return out
