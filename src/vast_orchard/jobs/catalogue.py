"""What a run can be made of, and what that costs, as plain values for the Run sheet."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import asdict
from typing import Any, TypeVar

from vast_orchard import __version__
from vast_orchard.core.network.plan import plan
from vast_orchard.core.network.ready import DEFAULT_NETWORK, READY_NETWORKS, ready_network
from vast_orchard.core.pictures.operations import KINDS
from vast_orchard.core.pictures.preprocessing import preprocessing_from_json, proposed_size
from vast_orchard.core.pictures.questions import Answers, variation_by_answers
from vast_orchard.core.pictures.variation import check_colour, variation_from_json
from vast_orchard.core.training.recipe import Recipe, recipe_from_json, recipe_to_json
from vast_orchard.errors import SettingError

__all__ = [
    "PROGRAM",
    "answered_variation",
    "checked_preprocessing",
    "checked_recipe",
    "checked_variation",
    "default_recipe",
    "input_size",
    "networks",
    "operations",
    "parameter_count",
]

T = TypeVar("T")

PROGRAM = f"vast-orchard {__version__}"


def default_recipe() -> dict[str, Any]:
    """What *Train* uses when nothing was changed."""
    return recipe_to_json(Recipe())


def checked_recipe(data: dict[str, Any]) -> dict[str, Any]:
    """The recipe, its every value inside its range.

    Raises
    ------
    SettingError
        One is not, or they do not fit each other.
    """
    recipe = recipe_from_json(data)
    check_colour(recipe.variation, recipe.preprocessing.channels)
    return recipe_to_json(recipe)


def checked_preprocessing(data: Mapping[str, Any]) -> dict[str, Any]:
    """A preprocessing, complete, its every value inside its range.

    Raises
    ------
    SettingError
        One is not, or there is a name that means nothing.
    """
    return asdict(_read(preprocessing_from_json, data, "preprocessing"))


def checked_variation(data: Mapping[str, Any], preprocessing: Mapping[str, Any] | None = None) -> dict[str, Any]:
    """A variation, complete, its every value inside its range; also for that preprocessing, if one is given.

    Raises
    ------
    SettingError
    """
    variation = _read(variation_from_json, data, "variation")
    if preprocessing is not None:
        check_colour(variation, preprocessing_from_json(preprocessing).channels)
    return asdict(variation)


def _read(reader: Callable[[Mapping[str, Any]], T], data: Mapping[str, Any], what: str) -> T:
    try:
        return reader(data)
    except (KeyError, TypeError, AttributeError, ValueError) as error:
        raise SettingError(f"This is not a {what}: {error}.", "Send it as the documents show.") from error


def answered_variation(answers: Mapping[str, Any], channels: int) -> dict[str, Any]:
    """The variation that answers about the pictures allow."""
    return asdict(variation_by_answers(Answers(**answers), channels))


def operations() -> list[dict[str, Any]]:
    """Everything that a variation can be made of, with limits and usual values."""
    return [
        {
            "name": kind.name,
            "family": kind.family.value,
            "does": kind.does,
            "caution": kind.caution,
            "unit": kind.unit,
            "least": kind.least,
            "most": kind.most,
            "neutral": kind.neutral,
            "low": kind.usual[0],
            "high": kind.usual[1],
            "probability": kind.probability,
            "ranged": kind.ranged,
            "by_ratio": kind.by_ratio,
            "needs_colour": kind.needs_colour,
            "one_value": kind.one_value,
        }
        for kind in KINDS.values()
    ]


def input_size(shorter_sides: Sequence[int]) -> dict[str, Any]:
    """An input size for pictures with these shorter sides, and why."""
    return asdict(proposed_size(shorter_sides))


def networks(size: int, channels: int, classes: int) -> list[dict[str, Any]]:
    """The ready networks for an input and a number of classes, layer by layer."""
    found = []
    for name in READY_NETWORKS:
        planned = plan(ready_network(name, (size, size, channels), classes), classes)
        found.append(
            {
                "name": name,
                "default": name == DEFAULT_NETWORK,
                "parameters": planned.parameters,
                "multiply_adds": planned.multiply_adds,
                "layers": [
                    {
                        "place": x.place,
                        "kind": x.kind,
                        "shape": list(x.shape),
                        "parameters": x.parameters,
                        "multiply_adds": x.multiply_adds,
                        "receptive_field": x.receptive_field,
                    }
                    for x in planned.layers
                ],
            }
        )
    return found


def parameter_count(data: dict[str, Any], classes: int) -> int:
    """Parameters of a recipe's network.

    Raises
    ------
    SettingError, DescriptionError
        The network does not exist or does not fit the input.
    """
    recipe = recipe_from_json(data)
    description = ready_network(recipe.network, recipe.preprocessing.input_shape, classes)
    return plan(description, classes).parameters
