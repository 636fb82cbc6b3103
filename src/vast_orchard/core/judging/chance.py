"""How often chance alone gives at least so many: tails of two counting distributions, exactly."""

import math

__all__ = ["binomial_tail", "hypergeometric_tail"]


def _log_choose(count: int, part: int) -> float:
    return math.lgamma(count + 1) - math.lgamma(part + 1) - math.lgamma(count - part + 1)


def binomial_tail(found: int, count: int, share: float) -> float:
    """At least `found` of `count`, each by itself with probability `share`."""
    if found <= 0 or share >= 1:
        return 1.0
    if share <= 0 or found > count:
        return 0.0
    hit, miss = math.log(share), math.log1p(-share)
    terms = (math.exp(_log_choose(count, n) + n * hit + (count - n) * miss) for n in range(found, count + 1))
    return min(1.0, math.fsum(terms))


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
    return min(1.0, math.fsum(terms))
