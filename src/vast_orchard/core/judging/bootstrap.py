"""How far a figure that is no share may be from the truth: by drawing the pictures again."""

import numpy as np
from scipy.special import ndtr, ndtri

from vast_orchard.core.arrays import FloatArray

__all__ = ["bootstrap_interval"]

_ENDS = (0.025, 0.975)


def bootstrap_interval(value: float, drawn: FloatArray, without: FloatArray) -> tuple[float, float] | None:
    """The 95 % interval of a figure by drawing the pictures again, corrected for bias and acceleration.

    Efron 1987, "Better bootstrap confidence intervals". Plain percentiles hold the truth too seldom where a figure is
    close to 1: at 200 pictures 0.90 instead of 0.95 for weighted precision.

    Parameters
    ----------
    value : float
        The figure on all pictures.
    drawn : ndarray, shape (B,), float64
        The figure on each set of pictures drawn with replacement.
    without : ndarray, shape (G,), float64
        The figure with each picture, or group of copies, left out.

    Returns
    -------
    tuple of float, or None
        None where all drawn sets agree, as without a single error: then drawing again tells nothing.
    """
    if drawn.min() == drawn.max():
        return None
    below = ((drawn < value).mean() + (drawn <= value).mean()) / 2
    least = 1 / (2 * len(drawn))
    bias = ndtri(np.clip(below, least, 1 - least))
    apart = without.mean() - without
    spread = float((apart**2).sum())
    acceleration = float((apart**3).sum()) / (6 * spread**1.5) if spread > 0 else 0.0
    shares = [ndtr(bias + (bias + z) / (1 - acceleration * (bias + z))) for z in ndtri(_ENDS)]
    low, high = np.quantile(drawn, shares)
    return float(low), float(high)
