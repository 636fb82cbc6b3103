"""The losses of steps as a line of few points."""

from collections.abc import Sequence

__all__ = ["StepLine", "few_points"]

_POINTS = 40  # at most


def few_points(losses: Sequence[float]) -> list[float]:
    """The losses of some steps as a line of at most 40 points, each the mean of equally many."""
    size = -(-len(losses) // _POINTS) or 1
    parts = [losses[first : first + size] for first in range(0, len(losses), size)]
    return [float(f"{sum(part) / len(part):.4g}") for part in parts]


class StepLine:
    """The losses of an epoch's steps as a line of few points."""

    def __init__(self, steps: int) -> None:
        self._size = -(-max(1, steps - 1) // (_POINTS - 1))
        self._means: list[float] = []
        self._open: list[float] = []

    def add(self, loss: float) -> None:
        """After a step; the first one stands alone, as nothing has been learnt before it."""
        self._open.append(loss)
        if not self._means or len(self._open) == self._size:
            self._close()

    def points(self) -> tuple[float, ...]:
        """So far."""
        if self._open:
            self._close()
        return tuple(self._means)

    def _close(self) -> None:
        self._means.append(float(f"{sum(self._open) / len(self._open):.4g}"))
        self._open = []
