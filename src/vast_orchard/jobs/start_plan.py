"""What a training would take over from a model, what of it would learn in which phase, and what to think about."""

from collections.abc import Sequence
from dataclasses import asdict
from typing import Any

from vast_orchard.core.network.description import description_to_json, opened
from vast_orchard.core.network.network import Network
from vast_orchard.core.network.plan import plan
from vast_orchard.core.network.take_over import TakenOver
from vast_orchard.core.pictures.preprocessing import preprocessing_to_json
from vast_orchard.core.training.duration import recipe_time
from vast_orchard.core.training.phases import Phase, begin_from, check_origin, phases_of
from vast_orchard.core.training.recipe import Recipe, resolved_recipe
from vast_orchard.core.training.start import RATE_FACTOR
from vast_orchard.errors import OrchardError
from vast_orchard.formats.model_file import Model, origin_of, weights_digest

__all__ = ["model_facts", "start_plan"]


def model_facts(model: Model) -> dict[str, Any]:
    """A model to start from, as plain values; its network open for other pictures and classes."""
    return {
        "digest": weights_digest(model.weights),
        "network": description_to_json(opened(model.description, len(model.classes))),
        "classes": list(model.classes),
        "preprocessing": preprocessing_to_json(model.preprocessing),
        "statistics": asdict(model.statistics),
        "parameters": plan(model.description).parameters,
        "rate_factor": RATE_FACTOR,
    }


def start_plan(
    recipe: Recipe, model: Model, classes: Sequence[str], *, training: int, validation: int, pace: float | None
) -> dict[str, Any]:
    """Layer by layer and phase by phase.

    Parameters
    ----------
    recipe : Recipe
        With its start.
    model : Model
        What it starts from.
    classes : sequence of str
        Names, in the order of the outputs.
    training, validation : int
        Pictures in these sets.
    pace : float or None
        Of this machine, if it is known.

    Raises
    ------
    SettingError, DescriptionError
        Nothing can be taken over. What else is wrong stands in the answer's `failure`, beside the layers.
    """
    origin = origin_of(model)
    assert recipe.start is not None
    check_origin(origin, recipe.preprocessing, recipe.start)
    whole = resolved_recipe(recipe, len(classes))
    network = Network(whole.network)
    taken = begin_from(network, origin, tuple(classes))
    failure: dict[str, str] | None = None
    phases: tuple[Phase, ...] = ()
    try:
        phases = phases_of(recipe.start, taken, whole.network, recipe.settings.epochs)
    except OrchardError as error:
        failure = {"what": error.what, "mend": error.mend}
    return {
        "layers": _layers(network, taken),
        "unused": list(taken.unused),
        "statistics_kept": not recipe.start.new_statistics,
        "phases": [_phase(network, phase, whole, training, validation, pace) for phase in phases],
        "doubts": _doubts(recipe, model),
        "failure": failure,
    }


def _layers(network: Network, taken: TakenOver) -> list[dict[str, Any]]:
    why = dict(taken.left)
    return [
        {
            "id": entry.id,
            "kind": entry.kind,
            "shape": list(entry.shape),
            "parameters": entry.parameters,
            "taken": entry.id in taken.taken,
            "why": why.get(entry.id, ""),
        }
        for entry in plan(network.description).layers
    ]


def _phase(
    network: Network, phase: Phase, recipe: Recipe, training: int, validation: int, pace: float | None
) -> dict[str, Any]:
    entries = plan(network.description).layers
    learning = [entry for entry in entries if entry.place in phase.learning.learns]
    seconds = None
    if pace is not None and training:
        seconds = phase.epochs * recipe_time(recipe, pace, training, validation, phase.learning.cut).epoch_s
    return {
        "first": phase.first,
        "epochs": phase.epochs,
        "layers": [entry.id for entry in learning],
        "parameters": sum(entry.parameters for entry in learning),
        "frozen_to": entries[phase.learning.cut - 1].id if phase.learning.cut else "",
        "seconds": seconds,
    }


def _doubts(recipe: Recipe, model: Model) -> list[str]:
    """What is allowed, and still works against what was learnt."""
    own, there, found = recipe.preprocessing, model.preprocessing, []
    if own.size != there.size:
        found.append(
            f"It has learnt on {there.size} pixels, and this training shows {own.size}: things look larger or smaller."
        )
    if own.scale != there.scale:
        found.append(
            f"It has learnt on values scaled to {_SCALES[there.scale]}, and these are scaled to {_SCALES[own.scale]}: "
            "its statistics cannot be kept."
        )
    elif recipe.start is not None and recipe.start.new_statistics:
        found.append("It has learnt on pictures standardised by its statistics, and these are by their own.")
    if own.fit != there.fit:
        found.append("Pictures are brought to the square in another way than it has learnt.")
    return found


_SCALES = {"deviation": "mean and deviation", "unit": "0 to 1", "signed": "-1 to 1"}
