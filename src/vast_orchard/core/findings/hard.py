"""What makes a picture hard to see, each kind by one measure that is held against the picture's class."""

from collections.abc import Mapping

import numpy as np

from vast_orchard.core.arrays import Array, FloatArray
from vast_orchard.core.findings.beyond import Beyond, beyond
from vast_orchard.core.findings.kinds import HARD, HardKind

__all__ = ["hard_to_see"]


def hard_to_see(measures: Mapping[str, FloatArray], classes: Array) -> dict[str, Beyond]:
    """Which pictures are hard to see, by kind.

    Parameters
    ----------
    measures : mapping of str to ndarray, shape (N,), float
        By the names in `HARD`; NaN of a picture that could not be measured, which is never named.
    classes : ndarray, shape (N,), int
        A class that is dark by nature is held against itself.
    """
    return {name: _kind(kind, np.asarray(measures[kind.measure], np.float64), classes) for name, kind in HARD.items()}


def _kind(kind: HardKind, plain: FloatArray, classes: Array) -> Beyond:
    values = plain if kind.scale == "plain" else np.log(np.maximum(plain + kind.shift, 1e-6))
    if kind.scale == "both":
        # Far from the shape of its class either way.
        for label in np.unique(classes):
            own = classes == label
            values[own] = np.abs(values[own] - np.median(values[own]))
    return beyond(values if kind.high else -values, classes, kind.least)
