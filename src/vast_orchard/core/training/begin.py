"""How a recipe becomes a network, channel statistics and a running loop."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from vast_orchard.core.network.layout import check_memory
from vast_orchard.core.network.learning import remembered_values
from vast_orchard.core.network.network import Network
from vast_orchard.core.network.plan import plan
from vast_orchard.core.network.take_over import TakenOver
from vast_orchard.core.pictures.standardise import ChannelStatistics, scale_statistics
from vast_orchard.core.pictures.variation import check_colour
from vast_orchard.core.team import Team
from vast_orchard.core.training.loop import train
from vast_orchard.core.training.phases import Origin, Phase, begin_from, check_origin, phases_of
from vast_orchard.core.training.recipe import Recipe, resolved_recipe
from vast_orchard.core.training.repeated import Repeated
from vast_orchard.core.training.values import EpochResult, Examples, StepResult, TrainingState
from vast_orchard.core.watching.lookouts import check_watch
from vast_orchard.errors import SettingError

__all__ = ["Training", "begin"]


@dataclass(frozen=True, kw_only=True)
class Training:
    """A training ready to run: iterate `results` to let it happen."""

    recipe: Recipe  # its network closed
    network: Network
    statistics: ChannelStatistics  # of the training pictures only, or of those of the model that it starts from
    phases: tuple[Phase, ...]
    taken: TakenOver | None  # None: it starts from nothing
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
    origin: Origin | None = None,
    names: Sequence[str] = (),
    repeated: Repeated | None = None,
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
    origin : Origin, optional
        What `recipe.start` starts from.
    names : sequence of str
        Of the classes, by which outputs are taken over.
    repeated : Repeated, optional
        An earlier training whose course is gone through again on other pictures.

    Raises
    ------
    SettingError, DescriptionError, ShapeError
        The ingredients do not fit each other, or there is no `origin` where the recipe asks for one.
    MemoryShortError
        The training would need more than `memory_bytes`.
    """
    recipe = resolved_recipe(recipe, classes)
    description = recipe.network
    plan(description, classes)
    check_colour(recipe.variation, recipe.preprocessing.channels)
    check_watch(recipe.watch, description, validated=validation is not None)
    if memory_bytes is not None:
        check_memory(description, min(recipe.settings.batch_size, len(training)), memory_bytes)
    team = team or Team(1)
    network = Network(description, recipe.settings.seed, team=team)
    taken, statistics = None, None
    if recipe.start is not None:
        if origin is None:
            raise SettingError(f"{recipe.start.words} is not there to start from.", "Start from something else.")
        check_origin(origin, recipe.preprocessing, recipe.start)
        taken = begin_from(network, origin, tuple(names))
        statistics = None if recipe.start.new_statistics else origin.statistics
    statistics = statistics or scale_statistics(training.pixels, recipe.preprocessing.scale)
    phases = phases_of(recipe.start, taken, description, recipe.settings.epochs)
    if memory_bytes is not None:
        held = max(_remembered_bytes(recipe, phase, training, validation) for phase in phases)
        check_memory(description, min(recipe.settings.batch_size, len(training)), memory_bytes - held)
    results = train(
        network,
        training,
        validation,
        statistics,
        recipe.variation,
        recipe.settings,
        state,
        team,
        phases,
        recipe.watch,
        repeated,
    )
    return Training(recipe=recipe, network=network, statistics=statistics, phases=phases, taken=taken, results=results)


def _remembered_bytes(recipe: Recipe, phase: Phase, training: Examples, validation: Examples | None) -> int:
    """Of the frozen part's answers that a phase keeps in memory."""
    pictures = len(validation) if validation is not None else 0
    if not recipe.variation.operations:
        pictures += len(training)
    return 4 * pictures * remembered_values(recipe.network, phase.learning.cut)
