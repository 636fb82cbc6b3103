"""A space to search where nobody said what to vary: what most often decides, in ranges that are usual."""

from dataclasses import dataclass
from typing import Any

from vast_orchard.core.planning.knobs import KNOBS, Knob
from vast_orchard.core.training.recipe import Recipe
from vast_orchard.core.training.settings import SETTINGS, OptimizerName, Setting

__all__ = ["Offer", "knob_offers", "proposed_space"]

# Of the rate so many times less to so many times more; a rate is wrong by factors and not by parts.
_RATE_BELOW, _RATE_ABOVE = 8.0, 2.0
_STRENGTHS = (0.5, 1.0, 1.5, 2.0)
_DECAYS = (0.0, 0.01, 0.05, 0.2)
_SMOOTHINGS = (0.0, 0.1)
_BY_RATIO = {"learning_rate", "width", "depth"}
_NAMED = {"network", "variation", "start"}
# What is no setting to be searched for: of two seeds none is better, the epochs are a trial's budget, and how a
# training ends or which epoch it keeps is how it is judged.
_NOT = {
    "seed", "keep", "end_when", "end_change", "end_within", "end_not_before", "reach", "reach_value", "time_limit",
    "epochs",
}  # fmt: skip


@dataclass(frozen=True, kw_only=True)
class Offer:
    """Something that can be varied, with a list or a range to begin with."""

    name: str
    words: str
    help: str
    kind: str  # whole, number, switch, choice, name
    values: tuple[Any, ...] = ()  # usual ones
    low: float = 0.0
    high: float = 0.0
    by_ratio: bool = False
    ranged: bool = False  # it may have a range


_HELP = {
    "network": "Ready ones, and those that the project keeps.",
    "width": "So many times the channels of every layer.",
    "depth": "So many times the convolutions or blocks that follow each other.",
    "size": "Side of what the network sees, in pixels.",
    "variation": "Those that the project keeps by name.",
    "strength": "How far each operation of the variation goes.",
    "start": "Nothing, starters, and models that are there; each comes with its own network.",
}


def knob_offers(
    recipe: Recipe, networks: tuple[str, ...], variations: tuple[str, ...], starts: tuple[str, ...] = ()
) -> list[Offer]:
    """Everything that can be varied about a recipe, what most often decides first."""
    size, rate = recipe.preprocessing.size, recipe.settings.learning_rate
    usual: dict[str, tuple[Any, ...]] = {
        "network": networks, "variation": variations, "start": starts, "width": (0.5, 1.0, 1.5), "depth": (1.0, 2.0),
        "size": tuple(sorted({max(8, size * 3 // 4), size, min(512, size * 3 // 2)})),
        "strength": _STRENGTHS, "weight_decay": _DECAYS, "label_smoothing": _SMOOTHINGS, "batch_size": (16, 32, 64),
        "warm_up": (0.05, 0.2),
    }  # fmt: skip
    ranges = {
        "learning_rate": (rate / _RATE_BELOW, min(10.0, rate * _RATE_ABOVE)), "width": (0.5, 2.0), "depth": (0.5, 2.0),
        "size": (max(8, size // 2), min(512, size * 2)), "strength": (0.0, 2.0), "weight_decay": (0.0, 0.2),
        "label_smoothing": (0.0, 0.2), "warm_up": (0.0, 0.4), "momentum": (0.8, 0.98), "batch_size": (8, 64),
    }  # fmt: skip
    offers = []
    for name, words in KNOBS.items():
        kind = "name" if name in _NAMED else "whole" if name == "size" else "number"
        if kind == "name" and len(usual[name]) < 2:
            continue
        low, high = ranges.get(name, (0.0, 0.0))
        offers.append(
            Offer(
                name=name,
                words=words,
                help=_HELP[name],
                kind=kind,
                values=usual[name],
                low=low,
                high=high,
                by_ratio=name in _BY_RATIO,
                ranged=kind != "name",
            )
        )
    for entry in SETTINGS.values():
        if entry.name in _NOT:
            continue
        ranged = entry.kind in ("whole", "number")
        choices = tuple(value for value, _, _ in entry.choices) or ((False, True) if entry.kind == "switch" else ())
        low, high = ranges.get(entry.name) or _around(entry)
        offers.append(
            Offer(
                name=entry.name,
                words=entry.words,
                help=entry.help,
                kind=entry.kind,
                values=usual.get(entry.name, choices),
                low=float(f"{low:.3g}"),
                high=float(f"{high:.3g}"),
                by_ratio=entry.name in _BY_RATIO,
                ranged=ranged,
            )
        )
    return offers


def _around(entry: Setting) -> tuple[float, float]:
    """A range for a number of which nothing is known but its default."""
    if entry.kind not in ("whole", "number"):
        return 0.0, 0.0
    return entry.low, min(entry.high, max(1.0, 4 * float(entry.default)))


def proposed_space(recipe: Recipe, networks: tuple[str, ...]) -> list[Knob]:
    """What to vary where nobody said it: rate, network, strength of the variation, and weight decay where it counts.

    Parameters
    ----------
    networks : tuple of str
        Names to try beside each other; none varies the network.
    """
    rate = recipe.settings.learning_rate
    found = [
        Knob(
            name="learning_rate", low=float(f"{rate / _RATE_BELOW:.3g}"), by_ratio=True,
            high=float(f"{min(10.0, rate * _RATE_ABOVE):.3g}"),
        )
    ]  # fmt: skip
    if len(networks) > 1 and recipe.start is None:
        found.append(Knob(name="network", values=networks))
    if recipe.variation.operations:
        found.append(Knob(name="strength", values=_STRENGTHS))
    if recipe.settings.optimizer is OptimizerName.ADAMW:
        found.append(Knob(name="weight_decay", values=_DECAYS))
    return found
