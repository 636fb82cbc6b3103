"""The queue of trainings with when each is expected to begin and to end."""

import math
from collections.abc import Sequence
from typing import Any

from vast_orchard.core.training.duration import recipe_time
from vast_orchard.core.training.recipe import recipe_from_json
from vast_orchard.store.values import QueuedRun
from vast_orchard.types import SetName

__all__ = ["timed_queue"]


# What is told of a run as it stands in the queue.
_TOLD = (
    "run_id", "job_id", "number", "name", "project_id", "project_name", "training", "held", "pausing", "epochs_done",
)  # fmt: skip


def timed_queue(queue: Sequence[QueuedRun], pace: float | None, at_once: int = 1) -> list[dict[str, Any]]:
    """What trains and waits, in its order, as plain values.

    Parameters
    ----------
    queue : sequence of QueuedRun
    pace : float or None
        Of this machine, if it is known: without it nothing is told of what waits.
    at_once : int
        Trainings that go on side by side.

    Returns
    -------
    list of dict
        Besides what a run is, `begins_s` and `ends_s`: seconds from now; None where they cannot be told, and of what is
        held.
    """
    free = [0.0] * at_once  # when each worker is free again; endless, where that cannot be told
    found = []
    for entry in queue:
        begins: float | None = None
        ends: float | None = None
        if not entry.held:
            worker = free.index(min(free))
            takes = entry.left_s if entry.training else _takes(entry, pace)
            begins = free[worker] if math.isfinite(free[worker]) else None
            ends = None if begins is None or takes is None else begins + takes
            free[worker] = math.inf if ends is None else ends
        told = {name: getattr(entry, name) for name in _TOLD}
        found.append({**told, "epochs": entry.recipe["settings"]["epochs"], "begins_s": begins, "ends_s": ends})
    return found


def _takes(entry: QueuedRun, pace: float | None) -> float | None:
    if pace is None:
        return None
    recipe = recipe_from_json(entry.recipe)
    counts = (entry.counts.get(SetName.TRAINING, 0), entry.counts.get(SetName.VALIDATION, 0))
    return recipe_time(recipe, pace, *counts).epoch_s * (recipe.settings.epochs - entry.epochs_done)
