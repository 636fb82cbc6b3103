"""From the values of a trial to the recipe that it trains."""

from collections.abc import Mapping
from dataclasses import asdict, dataclass, field, replace
from typing import Any

from vast_orchard.core.network.description import NetworkDescription
from vast_orchard.core.network.scaling import scaled
from vast_orchard.core.pictures.variation import Variation
from vast_orchard.core.planning.knobs import KNOBS, NOTHING, Space
from vast_orchard.core.training.recipe import Recipe
from vast_orchard.core.training.settings import SETTINGS, chosen_settings
from vast_orchard.core.training.start import Start
from vast_orchard.errors import SettingError

__all__ = ["Named", "NamedStart", "check_space", "trial_recipe"]


@dataclass(frozen=True, kw_only=True)
class NamedStart:
    """What a trial starts from, and the network that comes with it."""

    start: Start
    network: NetworkDescription  # open


@dataclass(frozen=True, kw_only=True)
class Named:
    """What the values of a space mean that are names."""

    networks: Mapping[str, NetworkDescription] = field(default_factory=dict)
    variations: Mapping[str, Variation] = field(default_factory=dict)
    starts: Mapping[str, NamedStart] = field(default_factory=dict)  # but for `knobs.NOTHING`


def trial_recipe(base: Recipe, values: Mapping[str, Any], named: Named) -> Recipe:
    """The recipe of a trial: the base with these values.

    A rate that is not varied follows the optimizer where that is, as it does in the Run sheet.

    Parameters
    ----------
    base : Recipe
        Its network open.
    values : mapping
        By name of a training setting or of `knobs.KNOBS`.
    named : Named

    Raises
    ------
    SettingError
        A value is out of its range, or a name stands for nothing.
    """
    recipe = base
    if "network" in values:
        recipe = replace(recipe, network=_named(named.networks, values["network"], "network"))
    recipe = replace(recipe, network=scaled(recipe.network, values.get("width", 1.0), values.get("depth", 1.0)))
    if "start" in values:
        recipe = _started(recipe, values["start"], named)
    if "size" in values:
        recipe = replace(recipe, preprocessing=replace(recipe.preprocessing, size=values["size"]))
    if "variation" in values:
        recipe = replace(recipe, variation=_named(named.variations, values["variation"], "variation"))
    if "strength" in values:
        recipe = replace(recipe, variation=replace(recipe.variation, strength=float(values["strength"])))
    own = {name: value for name, value in values.items() if name not in KNOBS}
    chosen = {**asdict(recipe.settings), **own}
    for entry in SETTINGS.values():
        if entry.follows and entry.follows[0] in own and entry.name not in own:
            del chosen[entry.name]
    return replace(recipe, settings=chosen_settings(chosen))


def _started(recipe: Recipe, name: str, named: Named) -> Recipe:
    if name == NOTHING:
        return replace(recipe, start=None)
    known: NamedStart = _named(named.starts, name, "start")
    return replace(recipe, start=known.start, network=known.network)


def _named(known: Mapping[str, Any], name: str, what: str) -> Any:
    if name not in known:
        raise SettingError(f"There is no {what} called {name!r}.", f"Choose of: {', '.join(known) or 'none'}.")
    return known[name]


def check_space(base: Recipe, space: Space, named: Named) -> None:
    """See to it that every listed value, and both ends of every range, can be used.

    Raises
    ------
    SettingError
    """
    for knob in space.knobs:
        for value in knob.values or (knob.at(0.0), knob.at(1 - 1e-9)):
            try:
                trial_recipe(base, {knob.name: value}, named)
            except TypeError as error:
                raise SettingError(f"{knob.words} cannot be {value!r}.", "Name values of its kind.") from error
