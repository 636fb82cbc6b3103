"""The ingredients of a training together, and how they become a network, statistics and a running loop."""

from collections.abc import Iterator
from dataclasses import asdict, dataclass, field
from typing import Any

from vast_orchard.core.network.network import Network
from vast_orchard.core.network.ready import DEFAULT_NETWORK, ready_network
from vast_orchard.core.pictures.preprocessing import Preprocessing
from vast_orchard.core.pictures.standardise import ChannelStatistics, channel_statistics
from vast_orchard.core.pictures.variation import Variation
from vast_orchard.core.training.loop import train
from vast_orchard.core.training.values import (
    EpochResult,
    Examples,
    StepResult,
    TrainingSettings,
    TrainingState,
)

__all__ = ["Recipe", "Training", "begin", "recipe_from_json", "recipe_to_json"]


@dataclass(frozen=True, kw_only=True)
class Recipe:
    """Everything about a training but its pictures."""

    network: str = DEFAULT_NETWORK
    preprocessing: Preprocessing = field(default_factory=Preprocessing)
    variation: Variation = field(default_factory=Variation)
    settings: TrainingSettings = field(default_factory=TrainingSettings)


@dataclass(frozen=True, kw_only=True)
class Training:
    """A training ready to run: iterate `results` to let it happen."""

    network: Network
    statistics: ChannelStatistics  # of the training pictures only
    results: Iterator[StepResult | EpochResult]


def begin(
    recipe: Recipe, classes: int, training: Examples, validation: Examples, state: TrainingState | None = None
) -> Training:
    """Build the network for `classes` classes and set up its training.

    Raises
    ------
    SettingError, DescriptionError, ShapeError
        The ingredients do not fit each other.
    """
    description = ready_network(recipe.network, recipe.preprocessing.input_shape, classes)
    network = Network(description, recipe.settings.seed)
    statistics = channel_statistics(training.pixels)
    results = train(network, training, validation, statistics, recipe.variation, recipe.settings, state)
    return Training(network=network, statistics=statistics, results=results)


def recipe_to_json(recipe: Recipe) -> dict[str, Any]:
    """The recipe as plain JSON values."""
    return asdict(recipe)


def recipe_from_json(data: dict[str, Any]) -> Recipe:
    """Read what `recipe_to_json` wrote."""
    before = data["preprocessing"]
    return Recipe(
        network=data["network"],
        preprocessing=Preprocessing(**{**before, "ground": tuple(before["ground"])}),
        variation=Variation(**data["variation"]),
        settings=TrainingSettings(**data["settings"]),
    )
