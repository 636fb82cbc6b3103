"""A search carried out in one process, a trial after the other: who trains next, until nothing is left to do."""

import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from typing import Any

from vast_orchard.core.planning.halving import promoted

__all__ = ["Leg", "Tried", "search"]


@dataclass(kw_only=True)
class Tried:
    """A trial and what it has reached."""

    trial: int  # from 1
    values: dict[str, Any]
    reached: dict[int, float] = field(default_factory=dict)  # score by rung, the higher the better
    heading: int = 0  # the rung that it goes to, or rests at

    @property
    def score(self) -> float:
        """At the highest rung that it reached; −infinity where it failed or has none."""
        return self.reached[max(self.reached)] if self.reached else -math.inf


@dataclass(frozen=True, kw_only=True)
class Leg:
    """What is to be trained next: a trial up to an epoch. Whoever trains it says with `reach` how well it did."""

    tried: Tried
    until: int  # epoch

    def reach(self, score: float) -> None:
        """It got there, with this score; −infinity if it failed."""
        self.tried.reached[self.tried.heading] = score


def search(values: Sequence[dict[str, Any]], rungs: Sequence[int], factor: int, *, waits: bool) -> Iterator[Leg]:
    """The legs of a search in their order; each is to be trained before the next is asked for.

    Parameters
    ----------
    values : sequence of dict
        Of each trial.
    rungs : sequence of int
        Epochs after which trials rest, the whole budget last; with one rung none is dropped.
    factor : int
        One of so many goes on.
    waits : bool
        Rungs are judged as a whole.

    Yields
    ------
    Leg
    """
    tried: list[Tried] = []
    while True:
        begun = len(tried) == len(values)
        reached, heading = [one.reached for one in tried], [one.heading for one in tried]
        going_on = promoted(reached, heading, len(rungs), factor, waits=waits, begun=begun) if len(rungs) > 1 else []
        if going_on:
            # A rung that was judged as a whole goes on as a whole.
            for n in going_on if waits else going_on[:1]:
                tried[n].heading = max(tried[n].reached) + 1
                yield Leg(tried=tried[n], until=rungs[tried[n].heading])
        elif not begun:
            tried.append(Tried(trial=len(tried) + 1, values=values[len(tried)]))
            yield Leg(tried=tried[-1], until=rungs[0])
        else:
            return
