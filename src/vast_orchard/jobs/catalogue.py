"""What a run can be made of, and what that costs, as plain values for the Run sheet."""

from typing import Any

from vast_orchard import __version__
from vast_orchard.core.network.plan import plan
from vast_orchard.core.network.ready import DEFAULT_NETWORK, READY_NETWORKS, ready_network
from vast_orchard.core.training.recipe import Recipe, recipe_from_json, recipe_to_json

__all__ = ["PROGRAM", "checked_recipe", "default_recipe", "networks", "parameter_count"]

PROGRAM = f"vast-orchard {__version__}"


def default_recipe() -> dict[str, Any]:
    """What *Train* uses when nothing was changed."""
    return recipe_to_json(Recipe())


def checked_recipe(data: dict[str, Any]) -> dict[str, Any]:
    """The recipe, its every value inside its range.

    Raises
    ------
    SettingError
        One is not.
    """
    return recipe_to_json(recipe_from_json(data))


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
