"""The queue of trainings with when each is expected to begin and to end."""

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


def timed_queue(queue: Sequence[QueuedRun], pace: float | None) -> list[dict[str, Any]]:
    """What trains and waits, in its order, as plain values.

    Parameters
    ----------
    queue : sequence of QueuedRun
    pace : float or None
        Of this machine, if it is known: without it nothing is told of what waits.

    Returns
    -------
    list of dict
        Besides what a run is, `begins_s` and `ends_s`: seconds from now; None where they cannot be told, and of what is
        held.
    """
    free: float | None = 0.0  # when the worker is free again
    found = []
    for entry in queue:
        begins = ends = None
        if not entry.held:
            begins, takes = free, entry.left_s if entry.training else _takes(entry, pace)
            free = ends = None if begins is None or takes is None else begins + takes
        told = {name: getattr(entry, name) for name in _TOLD}
        found.append({**told, "epochs": entry.recipe["settings"]["epochs"], "begins_s": begins, "ends_s": ends})
    return found


def _takes(entry: QueuedRun, pace: float | None) -> float | None:
    if pace is None:
        return None
    recipe = recipe_from_json(entry.recipe)
    counts = (entry.counts.get(SetName.TRAINING, 0), entry.counts.get(SetName.VALIDATION, 0))
    return recipe_time(recipe, pace, *counts).epoch_s * (recipe.settings.epochs - entry.epochs_done)
