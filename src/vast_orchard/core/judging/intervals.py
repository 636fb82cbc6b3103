"""How far a share counted on few pictures may be from the truth."""

import math

__all__ = ["wilson_interval"]

# The 97.5th percentile of the normal distribution, for intervals of 95 %.
_Z = 1.959963984540054


def wilson_interval(right: int, count: int) -> tuple[float, float]:
    """The 95 % score interval of a proportion (Wilson 1927, "Probable inference"); (0, 1) for no pictures."""
    if not count:
        return 0.0, 1.0
    share, spread = right / count, _Z * _Z / count
    middle = (share + spread / 2) / (1 + spread)
    half = _Z * math.sqrt(share * (1 - share) / count + spread / (4 * count)) / (1 + spread)
    return max(0.0, middle - half), min(1.0, middle + half)
