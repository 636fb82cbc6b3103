"""How often chance alone gives at least so many: tails of two counting distributions, exactly."""

import math
from collections.abc import Iterable

__all__ = ["binomial_tail", "hypergeometric_tail"]


# Of a sum in double precision.
_NOTHING = 1e-18


def _log_choose(count: int, part: int) -> float:
    return math.lgamma(count + 1) - math.lgamma(part + 1) - math.lgamma(count - part + 1)


def _summed(terms: Iterable[float], first: int, mean: float) -> float:
    """The sum of a distribution's terms from a number on; beyond the mean they fall, and the last ones say nothing."""
    total = 0.0
    for place, term in enumerate(terms, first):
        total += term
        if place > mean and term <= total * _NOTHING:
            break
    return min(1.0, total)


def binomial_tail(found: int, count: int, share: float) -> float:
    """At least `found` of `count`, each by itself with probability `share`."""
    if found <= 0 or share >= 1:
        return 1.0
    if share <= 0 or found > count:
        return 0.0
    hit, miss = math.log(share), math.log1p(-share)
    terms = (math.exp(_log_choose(count, n) + n * hit + (count - n) * miss) for n in range(found, count + 1))
    return _summed(terms, found, count * share)


def hypergeometric_tail(found: int, drawn: int, marked: int, count: int) -> float:
    """At least `found` marked ones among `drawn` of `count` that hold `marked` (Fisher 1935's exact test, one side)."""
    most = min(drawn, marked)
    least = max(0, drawn + marked - count)
    if found <= least:
        return 1.0
    whole = _log_choose(count, drawn)
    terms = (
        math.exp(_log_choose(marked, n) + _log_choose(count - marked, drawn - n) - whole)
        for n in range(found, most + 1)
    )
    return _summed(terms, found, drawn * marked / count)
