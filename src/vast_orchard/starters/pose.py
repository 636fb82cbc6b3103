"""Where and how a figure stands in its picture, and the layer that it becomes there."""

from dataclasses import dataclass

import numpy as np

from vast_orchard.core.arrays import Array, FloatArray

__all__ = ["Layer", "Pose"]


@dataclass(frozen=True, kw_only=True, eq=False)
class Layer:
    """A figure as drawn, before it has colours. All of shape (side, side), float32."""

    cover: FloatArray  # 0 where the ground shows, 1 where the figure does
    mix: FloatArray  # 0 in the figure's first colour, 1 in its second
    shade: FloatArray  # what its colours are multiplied by


@dataclass(frozen=True, kw_only=True, eq=False)
class Pose:
    """From a figure's own plane, in which it fills -1 to 1, to pixels of its picture."""

    matrix: Array  # (2, 2): pixels a unit
    place: Array  # (2,): the figure's middle, in pixels
    side: int  # of the picture

    @property
    def unit(self) -> float:
        """Pixels a unit, in the mean of directions."""
        return float(np.sqrt(abs(np.linalg.det(self.matrix))))

    def placed(self, points: Array) -> list[tuple[float, float]]:
        """Points of the figure (N, 2) as those of the picture, for a pen."""
        return [(float(x), float(y)) for x, y in points @ self.matrix.T + self.place]

    def plane(self) -> tuple[Array, Array]:
        """For each pixel (side, side) where it lies in the figure's own plane: x and y."""
        rows, columns = np.mgrid[0 : self.side, 0 : self.side].astype(np.float32) + 0.5
        inverse = np.linalg.inv(self.matrix).astype(np.float32)
        x, y = columns - np.float32(self.place[0]), rows - np.float32(self.place[1])
        return inverse[0, 0] * x + inverse[0, 1] * y, inverse[1, 0] * x + inverse[1, 1] * y
