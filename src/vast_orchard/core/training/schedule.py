"""The learning rate over the steps of a training."""

import math

__all__ = ["cosine_rate"]

# Adam's second moment is a poor estimate in the first steps; a short linear start keeps them small
# (Goyal et al. 2017, section 2.2).
_WARM_UP = 0.05


def cosine_rate(step: int, steps: int, peak: float) -> float:
    """Rate at `step` of `steps`: a linear rise over the first twentieth, then half a cosine down to zero.

    Loshchilov & Hutter 2017, "SGDR", eq. 5, with one period and a final rate of zero.
    """
    rise = max(1, int(steps * _WARM_UP))
    if step < rise:
        return peak * (step + 1) / rise
    return peak * 0.5 * (1 + math.cos(math.pi * (step - rise) / max(1, steps - rise)))
