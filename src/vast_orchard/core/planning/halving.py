"""Early dropping: trials rest at rungs of their budget, and only the best of a rung go on to the next."""

import math
from collections.abc import Mapping, Sequence

from vast_orchard.errors import SettingError

__all__ = ["promoted", "rungs_of", "trials_at_rungs"]


def rungs_of(epochs: int, least: int, factor: int) -> tuple[int, ...]:
    """Epochs after which trials rest, the last of which is the whole budget.

    Parameters
    ----------
    epochs : int
        Of the whole budget.
    least : int
        Of the first rung, about: each rung is a factor of the next.
    factor : int
        1 over the share that goes on; 3 or 4 is usual (Li et al. 2020, section 3.1).

    Raises
    ------
    SettingError
    """
    if not 2 <= factor <= 10:
        raise SettingError(f"One of {factor} is to go on.", "Let one of 2 to 10 go on; 3 or 4 is usual.")
    if not 1 <= least <= epochs:
        raise SettingError(f"The first rung is at epoch {least} of {epochs}.", f"Choose 1 to {epochs}.")
    found = [epochs]
    while round(found[0] / factor) >= least and round(found[0] / factor) < found[0]:
        found.insert(0, round(found[0] / factor))
    return tuple(found)


def trials_at_rungs(trials: int, rungs: int, factor: int) -> tuple[int, ...]:
    """About how many trials reach each rung."""
    found = [trials]
    for _ in range(rungs - 1):
        found.append(max(1, found[-1] // factor))
    return tuple(found)


def promoted(
    reached: Sequence[Mapping[int, float]], heading: Sequence[int], rungs: int, factor: int, *, waits: bool, begun: bool
) -> list[int]:
    """Trials that go on to their next rung now, those on upper rungs first, of a rung the best first.

    Without waiting, a trial goes on as soon as it is among the best share of those that reached its rung so far (Li et
    al. 2020, "A system for massively parallel hyperparameter tuning", algorithm 2): who goes on depends on the order of
    arrival. With waiting, a rung is judged only when nobody is under way to it any more (Jamieson & Talwalkar 2016,
    "Non-stochastic best arm identification"), and the order has no say.

    Where the share of a rung comes to less than one trial its best one goes on nevertheless, once nothing else is left
    to do, so that at least one gets the whole budget.

    Parameters
    ----------
    reached : sequence of mapping of int to float
        Of each trial, in the order of its number, its score by the rungs that it has reached, from 0; the higher is the
        better. What failed has −infinity there.
    heading : sequence of int
        The rung that each trial goes to, or rests at.
    rungs : int
    factor : int
        1 over the share that goes on.
    waits : bool
        Whether rungs are judged as a whole.
    begun : bool
        No further trial will begin.
    """
    under_way = any(rung not in scores for scores, rung in zip(reached, heading, strict=True))
    highest = max((max(scores, default=-1) for scores in reached), default=-1)
    if waits:
        if under_way or not begun or not 0 <= highest < rungs - 1:
            return []
        return _best(reached, highest, max(1, sum(highest in scores for scores in reached) // factor))
    found = []
    for rung in range(rungs - 2, -1, -1):
        best = _best(reached, rung, sum(rung in scores for scores in reached) // factor)
        found += [n for n in best if heading[n] == rung]
    if not found and begun and not under_way and 0 <= highest < rungs - 1:
        return _best(reached, highest, 1)
    return found


def _best(reached: Sequence[Mapping[int, float]], rung: int, count: int) -> list[int]:
    """The best trials of a rung, of equal ones the first; none that failed."""
    here = [n for n, scores in enumerate(reached) if math.isfinite(scores.get(rung, -math.inf))]
    return sorted(here, key=lambda n: (-reached[n][rung], n))[:count]
