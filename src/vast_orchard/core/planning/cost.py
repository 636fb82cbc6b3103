"""What a plan will cost, in epochs, before and while it runs."""

import itertools
from collections.abc import Sequence
from dataclasses import dataclass

from vast_orchard.core.planning.halving import trials_at_rungs

__all__ = ["PlanCost", "search_cost"]


@dataclass(frozen=True, kw_only=True)
class PlanCost:
    """Trainings of a search and their epochs, counted as whole ones of a mean trial."""

    trials: int
    rungs: tuple[int, ...]  # epochs after which trials rest; one rung: none is dropped
    at_rungs: tuple[int, ...]  # trials that reach each, about
    epochs: int  # of all trials together
    seconds: float | None = None  # None: the pace of this machine is not known yet


def search_cost(trials: int, rungs: Sequence[int], factor: int, epoch_s: float | None, at_once: int) -> PlanCost:
    """What a search comes to.

    Parameters
    ----------
    trials : int
    rungs : sequence of int
        Epochs after which trials rest, the whole budget last.
    factor : int
        1 over the share that goes on.
    epoch_s : float or None
        Seconds of an epoch of a mean trial.
    at_once : int
        Trainings side by side, for each of which `epoch_s` holds.
    """
    counts = trials_at_rungs(trials, len(rungs), factor)
    steps = [rungs[0], *(after - before for before, after in itertools.pairwise(rungs))]
    epochs = sum(count * more for count, more in zip(counts, steps, strict=True))
    seconds = None if epoch_s is None else epochs * epoch_s / min(at_once, max(1, trials))
    return PlanCost(trials=trials, rungs=tuple(rungs), at_rungs=counts, epochs=epochs, seconds=seconds)
