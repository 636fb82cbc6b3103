"""Options of the terminal for a recipe: what trains, on what it sees, and from where it starts."""

import functools
import inspect
import json
from collections.abc import Callable
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Annotated, Any

import typer

from vast_orchard.cli.engine import named_network
from vast_orchard.cli.starts import named_start
from vast_orchard.cli.training_options import setting_options
from vast_orchard.core.network.description import opened
from vast_orchard.core.network.ready import DEFAULT_NETWORK, READY_NETWORKS
from vast_orchard.core.pictures.area import Area, area_from_json
from vast_orchard.core.pictures.preprocessing import Preprocessing
from vast_orchard.core.pictures.questions import MIRRORED, TURNED, Answers, variation_by_answers
from vast_orchard.core.pictures.variation import NO_VARIATION, Variation, variation_from_json
from vast_orchard.core.training.amount import proposed_epochs, proposed_strength
from vast_orchard.core.training.recipe import Recipe
from vast_orchard.core.training.settings import SETTINGS, chosen_settings
from vast_orchard.core.training.start import RATE_FACTOR, Learns, Start
from vast_orchard.errors import SettingError
from vast_orchard.formats.model_file import Model, weights_digest

__all__ = ["Wish", "with_recipe_options"]


@dataclass(frozen=True, kw_only=True)
class Wish:
    """What was asked for, before anything is known of the pictures."""

    recipe: Recipe
    origin: Model | None  # what it starts from
    asked: dict[str, Any]  # the settings that were given
    strength_follows: bool  # how strongly pictures are varied follows their number

    def for_pictures(self, recipe: Recipe, training: int) -> Recipe:
        """`recipe` with what follows the number of training pictures and was not asked for."""
        if "epochs" not in self.asked:
            epochs = proposed_epochs(training, recipe.settings.batch_size)
            recipe = replace(recipe, settings=replace(recipe.settings, epochs=epochs))
        if self.strength_follows:
            recipe = replace(recipe, variation=replace(recipe.variation, strength=proposed_strength(training)))
        return recipe


def with_recipe_options(command: Callable[..., None]) -> Callable[..., None]:
    """The command with an option for each part of a recipe; its parameter `wish` gets what they ask for."""
    own = [entry for entry in inspect.signature(command).parameters.values() if entry.name != "wish"]
    parts = [entry for entry in inspect.signature(_wish).parameters.values() if entry.name != "asked"]

    @functools.wraps(command)
    def run(**given: Any) -> None:
        settings = {name: given.pop(name) for name in SETTINGS}
        asked = {name: value for name, value in settings.items() if value is not None}
        wish = _wish(**{entry.name: given.pop(entry.name) for entry in parts}, asked=asked)
        command(wish=wish, **given)

    keyword = inspect.Parameter.KEYWORD_ONLY
    parameters = [*own, *(entry.replace(kind=keyword) for entry in parts), *setting_options()]
    run.__signature__ = inspect.Signature(parameters)  # type: ignore[attr-defined]
    run.__annotations__ = {entry.name: entry.annotation for entry in parameters}
    return run


def _wish(
    network: Annotated[
        str | None,
        typer.Option(
            help=f"One of: {', '.join(READY_NETWORKS)}; or a JSON file. Without it {DEFAULT_NETWORK}, or the network "
            "that it starts from."
        ),
    ] = None,
    size: Annotated[
        int | None,
        typer.Option(
            help=f"Side of what the network sees, in pixels. Without it {Preprocessing().size}, or that of what it "
            "starts from."
        ),
    ] = None,
    variation: Annotated[
        bool, typer.Option(help="Vary training pictures at random, as far as labels stay true.")
    ] = True,
    mirrored: Annotated[
        str, typer.Option(help=f"May pictures be mirrored, with labels staying true: {', '.join(MIRRORED)}.")
    ] = Answers().mirrored,
    turned: Annotated[str, typer.Option(help=f"May they be turned: {', '.join(TURNED)} (angle).")] = Answers().turned,
    size_is_clue: Annotated[bool, typer.Option(help="Whether size tells classes apart.")] = Answers().size_is_clue,
    colour_is_clue: Annotated[
        bool, typer.Option(help="Whether colour tells classes apart.")
    ] = Answers().colour_is_clue,
    variation_file: Annotated[
        Path | None, typer.Option(help="A variation of one's own as JSON; see docs/variations.md.")
    ] = None,
    area: Annotated[
        Path | None, typer.Option(help="Which part of every picture counts, as JSON; see docs/areas.md.")
    ] = None,
    start_from: Annotated[str, typer.Option(help="A starter (see `orchard starters`), or a model.safetensors.")] = "",
    what_learns: Annotated[
        str, typer.Option(help=f"With --start-from, one of: {', '.join(Learns)} (see --frozen-to).")
    ] = str(Learns.ALL),
    new_epochs: Annotated[
        int, typer.Option(help=f"With {Learns.NEW_THEN_ALL}: of all epochs the first ones, for new layers only.")
    ] = 0,
    frozen_to: Annotated[
        str, typer.Option(help=f"With {Learns.AFTER}: id of the last layer that stays as it is.")
    ] = "",
    rate_factor: Annotated[float, typer.Option(help="By which the rate of what is taken over is multiplied.")] = (
        RATE_FACTOR
    ),
    moving_statistics: Annotated[
        bool, typer.Option(help="Batch norms that are taken over move their statistics.")
    ] = False,
    new_statistics: Annotated[
        bool, typer.Option(help="Standardises by statistics of these pictures, not by those of what it starts from.")
    ] = False,
    *,
    asked: dict[str, Any],
) -> Wish:
    answers = Answers(mirrored=mirrored, turned=turned, size_is_clue=size_is_clue, colour_is_clue=colour_is_clue)
    settings = chosen_settings(asked)
    recipe = Recipe(variation=_variation(variation_file, answers) if variation else NO_VARIATION, settings=settings)
    origin = None
    if start_from:
        called, origin = named_start(start_from)
        more: dict[str, Any] = {
            "learns": what_learns, "new_epochs": new_epochs, "frozen_to": frozen_to, "rate_factor": rate_factor,
            "moving_statistics": moving_statistics,
            "new_statistics": new_statistics,
        }  # fmt: skip
        start = Start(words=called, digest=weights_digest(origin.weights), **more)
        own = opened(origin.description, len(origin.classes))
        recipe = replace(recipe, start=start, network=own, preprocessing=origin.preprocessing)
    if network is not None:
        recipe = replace(recipe, network=named_network(network))
    if size is not None:
        recipe = replace(recipe, preprocessing=replace(recipe.preprocessing, size=size))
    if area is not None:
        recipe = replace(recipe, preprocessing=replace(recipe.preprocessing, area=_area(area)))
    follows = variation and variation_file is None
    return Wish(recipe=recipe, origin=origin, asked=asked, strength_follows=follows)


def _variation(file: Path | None, answers: Answers) -> Variation:
    """What the file says, else what the answers allow."""
    if file is None:
        return variation_by_answers(answers)
    try:
        return variation_from_json(json.loads(file.read_text()))
    except (OSError, ValueError, KeyError, TypeError, AttributeError) as error:
        raise SettingError(
            f"{file} does not hold a variation: {error}.", "Write it as docs/variations.md shows."
        ) from error


def _area(file: Path) -> Area | None:
    try:
        return area_from_json(json.loads(file.read_text()))
    except (OSError, ValueError, AttributeError, TypeError) as error:
        raise SettingError(
            f"{file} does not hold a working area: {error}.", "Write it as docs/areas.md shows."
        ) from error
