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
    known = np.isfinite(plain)
    values = plain[known]
    if kind.scale != "plain":
        values = np.log(np.maximum(values + kind.shift, 1e-6))
    if kind.scale == "both":
        # Far from the shape of its class either way.
        own = classes[known]
        middles = {label: float(np.median(values[own == label])) for label in np.unique(own)}
        values = np.abs(values - np.array([middles[label] for label in own.tolist()]))
    found = beyond(values if kind.high else -values, classes[known], kind.least)
    far, named = np.zeros(len(plain)), np.zeros(len(plain), bool)
    far[known], named[known] = found.far, found.named
    return Beyond(far=far, limit=found.limit, named=named, expected=found.expected)
