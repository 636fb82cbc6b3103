"""Where the loss on validation turned."""

import math
from collections.abc import Sequence

import numpy as np

__all__ = ["turning_epoch"]

# Medians of so many epochs tell it, and the lowest must lie as many epochs back.
_OVER = 5


def turning_epoch(losses: Sequence[float], first: int = 1) -> int | None:
    """The middle epoch of the lowest median of five losses, if validation turned there.

    It did once that median lies five epochs back and the newest one is above it by more than the standard error of
    their difference, so that single leaps turn nothing. The spread is that of the losses around the medians they belong
    to; a median of n normal values has the variance π/2 · σ²/n (Kenney & Keeping 1962), a difference of two twice that.

    Parameters
    ----------
    losses : sequence of float
        On validation, epoch by epoch.
    first : int
        Number of the first epoch among them.
    """
    if len(losses) < 2 * _OVER:
        return None
    windows = np.lib.stride_tricks.sliding_window_view(np.asarray(losses, np.float64), _OVER)
    medians = np.median(windows, axis=1)
    lowest = int(medians.argmin())
    if len(medians) - 1 - lowest < _OVER:
        return None
    middle = _OVER // 2
    spread = math.sqrt(float(np.mean((windows[:, middle] - medians) ** 2)))
    error = spread * math.sqrt(math.pi / 2 / _OVER * 2)
    return first + lowest + middle if medians[-1] - medians[lowest] > error else None
