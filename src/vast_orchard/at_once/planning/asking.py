"""From what a person asks for to a plan's order: names are looked up, and everything is checked before it begins."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import asdict, replace
from types import MappingProxyType
from typing import Any

from sqlalchemy.orm import Session

from vast_orchard.at_once.networks import network_by_name
from vast_orchard.at_once.planning.order import Dropping, Folds, PlanOrder, check_order
from vast_orchard.at_once.planning.starts import start_names
from vast_orchard.core.network.description import description_from_json
from vast_orchard.core.network.ready import READY_NETWORKS, ready_network
from vast_orchard.core.pictures.variation import NO_VARIATION, variation_from_json
from vast_orchard.core.planning.knobs import NOTHING, Knob, knob_to_json, space_from_json
from vast_orchard.core.planning.proposal import knob_offers, proposed_space
from vast_orchard.core.planning.trial_recipe import Named, NamedStart
from vast_orchard.core.training.recipe import Recipe
from vast_orchard.errors import SettingError
from vast_orchard.store.ingredients import list_ingredients
from vast_orchard.store.schema import GroupKind, IngredientKind

__all__ = ["asked_order", "knob_values", "offered_knobs"]

_Draw = Callable[[list[dict[str, Any]], str, int, int], Sequence[dict[str, Any]]]
# What a variation is called that varies nothing.
_NOTHING = "none"
# Networks that are proposed beside the one that is chosen.
_BESIDE = 2


def _variations(session: Session, project_id: int) -> dict[str, dict[str, Any]]:
    """The newest version of each variation that the project keeps, by name, and none at all."""
    found: dict[str, dict[str, Any]] = {}
    for entry in list_ingredients(session, project_id, IngredientKind.VARIATION):
        found.setdefault(entry.name, entry.value)
    return {_NOTHING: asdict(NO_VARIATION), **found}


def _network_names(session: Session, project_id: int) -> list[str]:
    kept = (entry.name for entry in list_ingredients(session, project_id, IngredientKind.NETWORK))
    return list(dict.fromkeys([*READY_NETWORKS, *kept]))


def offered_knobs(session: Session, project_id: int, recipe: Recipe) -> dict[str, Any]:
    """Everything that can be varied about a recipe, and what is proposed."""
    networks = _network_names(session, project_id)
    own = recipe.network.name
    order = sorted(READY_NETWORKS, key=lambda name: name != own)
    near = [name for name in (own, *order) if name in networks]
    offers = knob_offers(
        recipe, tuple(networks), tuple(_variations(session, project_id)), tuple(start_names(session, project_id))
    )
    tried = set(tuple(dict.fromkeys(near))[: 1 + _BESIDE])
    proposed = proposed_space(recipe, tuple(name for name in networks if name in tried))
    return {"offers": [asdict(entry) for entry in offers], "proposed": [knob_values(knob) for knob in proposed]}


def knob_values(knob: Knob) -> dict[str, Any]:
    """A knob as the page shows it."""
    return {
        "name": knob.name, "words": knob.words, "values": list(knob.values), "low": knob.low, "high": knob.high,
        "by_ratio": knob.by_ratio,
    }  # fmt: skip


def asked_order(
    session: Session,
    project_id: int,
    recipe: Recipe,
    asked: Mapping[str, Any],
    draw: _Draw,
    starts: Mapping[str, NamedStart] = MappingProxyType({}),
) -> PlanOrder:
    """The order that a person's wish comes to, its trials drawn.

    Parameters
    ----------
    recipe : Recipe
        Its network open.
    asked : mapping
        As `RunPlanCreate` of the wire.
    starts : mapping
        What the values of the knob "start" mean, but for nothing.
    draw : callable
        `draw(space, way, count, seed)` gives the values of the trials; it is called in another process.

    Raises
    ------
    SettingError, DescriptionError
        It cannot be carried out.
    """
    kind = GroupKind(asked["kind"])
    space = space_from_json(asked["space"]) if kind is GroupKind.TRIALS else None
    named = Named()
    if space is not None:
        names = {knob.name: [str(value) for value in knob.values] for knob in space.knobs}
        # Where each trial says what it starts from, the recipe does not.
        recipe = replace(recipe, start=None) if "start" in names else recipe
        from_nothing = NOTHING in names["start"] if "start" in names else recipe.start is None
        if not from_nothing and {"network", "width", "depth"} & set(names):
            raise SettingError(
                "The network is varied, and every trial starts from a model whose network it has.",
                "Let some start from nothing, or leave the network as it is.",
            )
        named = replace(_named(session, project_id, names), starts=starts)
    dropping, folds = asked.get("dropping"), asked.get("folds")
    order = PlanOrder(
        kind=kind,
        question=asked["question"],
        recipe=recipe,
        split_id=asked.get("split_id"),
        by=asked["by"],
        seed=asked["seed"],
        space=space,
        way=asked["way"] if space else "",
        trials=asked["trials"],
        dropping=Dropping(**dropping) if dropping and space else None,
        minutes=asked["minutes"],
        folds=Folds(**folds) if folds and kind is GroupKind.FOLDS else None,
        go_on=asked["go_on"],
        named=named,
    )
    check_order(order)
    if space is None:
        return order
    values = draw([knob_to_json(knob) for knob in space.knobs], order.way, order.trials, order.seed)
    return replace(order, values=tuple(values), trials=len(values))


def _named(session: Session, project_id: int, names: Mapping[str, Sequence[str]]) -> Named:
    networks, variations = {}, {}
    for name in names.get("network", ()):
        ready = name in READY_NETWORKS
        data, _ = ({}, None) if ready else network_by_name(session, project_id, name)
        networks[name] = ready_network(name) if ready else description_from_json(data)
    known = _variations(session, project_id) if "variation" in names else {}
    for name in names.get("variation", ()):
        if name not in known:
            raise SettingError(f"There is no variation {name!r} in this project.", f"Choose of: {', '.join(known)}.")
        variations[name] = variation_from_json(known[name])
    return Named(networks=networks, variations=variations)
