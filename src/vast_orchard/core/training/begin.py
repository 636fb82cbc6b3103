"""How a recipe becomes a network, channel statistics and a running loop."""

from collections.abc import Iterator
from dataclasses import dataclass

from vast_orchard.core.network.layout import check_memory
from vast_orchard.core.network.network import Network
from vast_orchard.core.network.plan import plan
from vast_orchard.core.pictures.standardise import ChannelStatistics, scale_statistics
from vast_orchard.core.pictures.variation import check_colour
from vast_orchard.core.team import Team
from vast_orchard.core.training.loop import train
from vast_orchard.core.training.recipe import Recipe, resolved_recipe
from vast_orchard.core.training.values import EpochResult, Examples, StepResult, TrainingState

__all__ = ["Training", "begin"]


@dataclass(frozen=True, kw_only=True)
class Training:
    """A training ready to run: iterate `results` to let it happen."""

    recipe: Recipe  # its network closed
    network: Network
    statistics: ChannelStatistics  # of the training pictures only
    results: Iterator[StepResult | EpochResult]


def begin(
    recipe: Recipe,
    classes: int,
    training: Examples,
    validation: Examples | None,
    state: TrainingState | None = None,
    *,
    team: Team | None = None,
    memory_bytes: int | None = None,
) -> Training:
    """Build the network for `classes` classes and set up its training.

    Parameters
    ----------
    recipe : Recipe
    classes : int
    training : Examples
    validation : Examples or None
    state : TrainingState, optional
        Of an epoch to go on from.
    team : Team, optional
        Threads; their number changes no bit of the result.
    memory_bytes : int, optional
        What the training may take; not looked at by default.

    Raises
    ------
    SettingError, DescriptionError, ShapeError
        The ingredients do not fit each other.
    MemoryShortError
        The training would need more than `memory_bytes`.
    """
    recipe = resolved_recipe(recipe, classes)
    description = recipe.network
    plan(description, classes)
    check_colour(recipe.variation, recipe.preprocessing.channels)
    if memory_bytes is not None:
        check_memory(description, min(recipe.settings.batch_size, len(training)), memory_bytes)
    team = team or Team(1)
    network = Network(description, recipe.settings.seed, team=team)
    statistics = scale_statistics(training.pixels, recipe.preprocessing.scale)
    results = train(network, training, validation, statistics, recipe.variation, recipe.settings, state, team)
    return Training(recipe=recipe, network=network, statistics=statistics, results=results)
