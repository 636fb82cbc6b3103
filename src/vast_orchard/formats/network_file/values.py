"""What stands behind a name while a graph is read: a layer's output in the order of the file, or a constant."""

from dataclasses import dataclass, field

import numpy as np

from vast_orchard.core.arrays import Array, FloatArray
from vast_orchard.core.network.layers import INPUT
from vast_orchard.core.network.plan import Shape

__all__ = ["Affine", "Mistake", "Value", "constant_by_channel"]


class Mistake(Exception):  # noqa: N818, never leaves this package
    """Why a node cannot be taken."""


@dataclass(frozen=True, kw_only=True)
class Affine:
    """value · times + plus, by channel; what a file does to the pictures before all else."""

    times: FloatArray  # (C,), float64
    plus: FloatArray

    def then(self, times: FloatArray, plus: FloatArray) -> "Affine":
        """Both, one after the other."""
        return Affine(times=self.times * times, plus=self.plus * times + plus)


@dataclass(frozen=True, kw_only=True)
class Value:
    """An output of a layer."""

    id: str  # of the layer
    shape: Shape  # height, width, channels, or features
    last: bool = False  # of maps: whether channels are the last axis in the file
    # Of features: for each place in the core its place in the file, where these differ.
    order: Array | None = field(default=None)
    least: float = -np.inf  # no value is smaller
    affine: Affine | None = None  # of the picture alone
    softmax: bool = False

    @property
    def is_picture(self) -> bool:
        """Whether nothing but an affine step was done to it."""
        return self.id == INPUT

    @property
    def maps(self) -> bool:
        """Whether it has height and width."""
        return len(self.shape) == 3

    @property
    def channels(self) -> int:
        """Channels, or features."""
        return self.shape[-1]

    @property
    def three(self) -> tuple[int, int, int]:
        """Height, width and channels of maps."""
        height, width, channels = self.shape
        return height, width, channels

    @property
    def in_file(self) -> tuple[int, ...]:
        """Its sides as the file has them; 0 for the number of pictures."""
        if not self.maps:
            return 0, self.shape[0]
        height, width, channels = self.three
        return (0, height, width, channels) if self.last else (0, channels, height, width)


def constant_by_channel(constant: Array, value: Value) -> FloatArray:
    """A constant that is joined to a value by broadcasting, as (channels,) in the core's order, float64.

    Raises
    ------
    Mistake
        It is not the same over height and width.
    """
    found = np.asarray(constant, np.float64)
    if found.size == 1:
        return np.full(value.channels, float(found.reshape(())))
    sides = list(found.shape)
    while sides and sides[0] == 1 and len(sides) > (3 if value.maps else 1):
        sides.pop(0)
    if value.maps:
        wanted = [1, 1, value.channels] if value.last else [value.channels, 1, 1]
        # Channels last may be said by their axis alone.
        if sides != wanted and not (value.last and sides == [value.channels]):
            raise Mistake(f"joins a constant of shape {list(found.shape)} to maps of {value.channels} channels")
        return found.reshape(-1)
    if sides != [value.channels]:
        raise Mistake(f"joins a constant of shape {list(found.shape)} to {value.channels} values")
    flat = found.reshape(-1)
    return flat if value.order is None else flat[value.order]
