"""The ingredients of a training together, as values."""

from dataclasses import asdict, dataclass, field
from typing import Any

from vast_orchard.core.network.ready import DEFAULT_NETWORK
from vast_orchard.core.pictures.preprocessing import Preprocessing, preprocessing_from_json
from vast_orchard.core.pictures.variation import Variation, variation_from_json
from vast_orchard.core.training.values import TrainingSettings

__all__ = ["Recipe", "recipe_from_json", "recipe_to_json"]


# Optimizers by the names under which version 0.1 stored them.
_FORMER = {"momentum": "sgd"}


@dataclass(frozen=True, kw_only=True)
class Recipe:
    """Everything about a training but its pictures."""

    network: str = DEFAULT_NETWORK
    preprocessing: Preprocessing = field(default_factory=Preprocessing)
    variation: Variation = field(default_factory=Variation)
    settings: TrainingSettings = field(default_factory=TrainingSettings)


def recipe_to_json(recipe: Recipe) -> dict[str, Any]:
    """The recipe as plain JSON values."""
    return asdict(recipe)


def recipe_from_json(data: dict[str, Any]) -> Recipe:
    """Read what `recipe_to_json` wrote."""
    settings = dict(data["settings"])
    settings["optimizer"] = _FORMER.get(settings["optimizer"], settings["optimizer"])
    return Recipe(
        network=data["network"],
        preprocessing=preprocessing_from_json(data["preprocessing"]),
        variation=variation_from_json(data["variation"]),
        settings=TrainingSettings(**settings),
    )
