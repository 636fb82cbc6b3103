"""The ingredients of a training together, as values."""

from collections.abc import Mapping
from dataclasses import asdict, dataclass, field, replace
from typing import Any

from vast_orchard.core.network.description import (
    NetworkDescription,
    description_from_json,
    description_to_json,
    resolved,
)
from vast_orchard.core.network.ready import DEFAULT_NETWORK, ready_network
from vast_orchard.core.pictures.preprocessing import Preprocessing, preprocessing_from_json, preprocessing_to_json
from vast_orchard.core.pictures.variation import Variation, variation_from_json
from vast_orchard.core.training.settings import TrainingSettings
from vast_orchard.core.training.start import Start
from vast_orchard.core.watching.watch import Watch, watch_from_json, watch_to_json
from vast_orchard.upgrades.recipe import RECIPE_VERSION

__all__ = ["Recipe", "recipe_from_json", "recipe_to_json", "resolved_recipe"]


def _default_network() -> NetworkDescription:
    return ready_network(DEFAULT_NETWORK)


@dataclass(frozen=True, kw_only=True)
class Recipe:
    """Everything about a training but its pictures."""

    network: NetworkDescription = field(default_factory=_default_network)
    preprocessing: Preprocessing = field(default_factory=Preprocessing)
    variation: Variation = field(default_factory=Variation)
    settings: TrainingSettings = field(default_factory=TrainingSettings)
    start: Start | None = None  # None: from weights drawn by chance
    watch: Watch = field(default_factory=Watch)


def resolved_recipe(recipe: Recipe, classes: int) -> Recipe:
    """The recipe with its network resolved for what it sees and for so many classes: complete in itself.

    Blocks are written out: what a run held stays what it was, whatever a later version makes of a block.

    Raises
    ------
    DescriptionError
        The network is made for pictures of another shape, or a number of a block is out of its range.
    """
    network = resolved(recipe.network, recipe.preprocessing.input_shape, classes)
    return replace(recipe, network=replace(network, layers=network.flat))


def recipe_to_json(recipe: Recipe) -> dict[str, Any]:
    """The recipe as plain JSON values."""
    # Said only where there is one, so that a stored recipe is to the letter what the same recipe is today.
    start = {"start": asdict(recipe.start)} if recipe.start else {}
    watch = watch_to_json(recipe.watch)
    return {
        "version": RECIPE_VERSION,
        "network": description_to_json(recipe.network),
        "preprocessing": preprocessing_to_json(recipe.preprocessing),
        "variation": asdict(recipe.variation),
        "settings": asdict(recipe.settings),
        **start,
        **({"watch": watch} if watch else {}),
    }


def recipe_from_json(data: Mapping[str, Any]) -> Recipe:
    """Read what `recipe_to_json` wrote; a network may also be a ready one's name.

    Raises
    ------
    SettingError, DescriptionError
        A value is out of its range, or there is no such network.
    """
    network = data["network"]
    return Recipe(
        network=ready_network(network) if isinstance(network, str) else description_from_json(network),
        preprocessing=preprocessing_from_json(data["preprocessing"]),
        variation=variation_from_json(data["variation"]),
        settings=TrainingSettings(**data["settings"]),
        start=Start(**data["start"]) if data.get("start") else None,
        watch=watch_from_json(data.get("watch") or {}),
    )
