"""Sliding windows: how many there are, the padding that they need, and where gradients come from."""

from dataclasses import dataclass

import numpy as np

from vast_orchard.core.arrays import Array
from vast_orchard.core.plane import Halo
from vast_orchard.errors import ShapeError

__all__ = ["Window", "forward_halo", "gradient_halo", "phase_of"]


@dataclass(frozen=True, kw_only=True)
class Window:
    """The windows of a convolution or pooling along one axis."""

    size: int  # values in a window
    stride: int = 1  # from one window to the next
    dilation: int = 1  # from one value of a window to the next
    edge: str = "keep"  # "keep" or "cut"

    def __post_init__(self) -> None:
        if self.edge not in ("keep", "cut"):
            raise ShapeError(f"edge is {self.edge!r}.", "Use 'keep' or 'cut'.")
        if min(self.size, self.stride, self.dilation) < 1:
            raise ShapeError(
                f"A window has size {self.size}, stride {self.stride} and dilation {self.dilation}.",
                "Use whole numbers of at least 1.",
            )

    @property
    def extent(self) -> int:
        """Pixels from the first to the last value of a window, both included."""
        return (self.size - 1) * self.dilation + 1

    def count(self, length: int) -> int:
        """Windows over an axis of `length`; below 1 when none fits.

        Dumoulin & Visin 2016, "A guide to convolution arithmetic for deep learning", relationships 6 and 8; "keep"
        gives the number of strides that start inside, as ONNX `SAME_UPPER` does.
        """
        if self.edge == "keep":
            return -(-length // self.stride)
        return (length - self.extent) // self.stride + 1

    def pads(self, length: int) -> tuple[int, int]:
        """Zeros before and after an axis of `length`; of an odd number the larger half comes after."""
        if self.edge == "cut":
            return 0, 0
        whole = max((self.count(length) - 1) * self.stride + self.extent - length, 0)
        return whole // 2, whole - whole // 2


def forward_halo(window: tuple[Window, Window], size: tuple[int, int]) -> Halo:
    """Zeros that an input of `size` needs around it."""
    (top, bottom), (left, right) = (axis.pads(length) for axis, length in zip(window, size, strict=True))
    return Halo(top=top, bottom=bottom, left=left, right=right)


def phase_of(axis: Window, length: int, phase: int) -> tuple[Array, Array, Array]:
    """Of every `stride`-th place of an axis from `phase` on: the kernel's values that reach them, and from where.

    Each of shape (n,), int64.

    A place y is reached by value r from window (y + pad − r · dilation) / stride, where that is whole. Values are
    returned in the order of rising windows.
    """
    before, _ = axis.pads(length)
    values = np.arange(axis.size)[::-1]
    reach = phase + before - values * axis.dilation
    fits = reach % axis.stride == 0
    places = np.arange(phase, length, axis.stride)
    return places, values[fits], reach[fits] // axis.stride


def gradient_halo(window: tuple[Window, Window], size: tuple[int, int]) -> Halo:
    """Zeros that the gradient of an output needs around it, for an input of `size`."""
    before, after = [0, 0], [0, 0]
    for n, (axis, length) in enumerate(zip(window, size, strict=True)):
        for phase in range(min(axis.stride, length)):
            places, _, windows = phase_of(axis, length, phase)
            if len(windows):
                before[n] = max(before[n], -int(windows.min()))
                after[n] = max(after[n], len(places) - 1 + int(windows.max()) - (axis.count(length) - 1))
    return Halo(top=before[0], bottom=after[0], left=before[1], right=after[1])
