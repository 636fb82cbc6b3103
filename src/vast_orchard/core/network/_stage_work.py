"""What a program asks of a stage, and the planes between which it works.

A stage works on any part of a batch, images `first` to `first + count`, which belongs to one shard; parts of different
shards may run at the same time.
"""

from dataclasses import dataclass

import numpy as np

from vast_orchard.core.plane import Plane

__all__ = ["Joints", "StageWork"]


@dataclass(frozen=True, kw_only=True, eq=False)
class Joints:
    """The planes between which a stage works."""

    x: tuple[Plane, ...]  # its inputs
    y: Plane  # its output
    gradient: Plane | None  # with respect to the output; None at inference
    x_gradients: tuple[Plane | None, ...]  # with respect to each input; None where nobody asks
    images: int  # most images of one call


class StageWork:
    """What a program asks of a stage."""

    def __init__(self, joints: Joints) -> None:
        self._x, self._y = joints.x[0], joints.y
        self._gradient, self._x_gradient = joints.gradient, joints.x_gradients[0]

    def load(self) -> None:
        """Take over the present weights."""

    def start(self, random: np.random.Generator) -> None:
        """Begin a training step."""

    def forward(self, first: int, count: int, shard: int) -> None:
        """Compute a part of the output."""
        raise NotImplementedError

    def backward(self, first: int, count: int, shard: int) -> None:
        """Compute a part of the input's gradient and add to those of the weights."""
        raise NotImplementedError

    def collect(self) -> None:
        """Add up what the shards found for the weights."""
