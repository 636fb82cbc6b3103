"""How long the epochs of a training take that is about to begin."""

from vast_orchard.core.network.effort import Duration, effort_of, expected
from vast_orchard.core.network.learning import remembered_values
from vast_orchard.core.network.plan import plan
from vast_orchard.core.training.recipe import Recipe

__all__ = ["recipe_time"]


def recipe_time(recipe: Recipe, pace: float, training: int, validation: int, cut: int = 0) -> Duration:
    """Seconds of an epoch and of an answer.

    Parameters
    ----------
    recipe : Recipe
        Resolved.
    pace : float
        Seconds of the machine for one of the reference.
    training, validation : int
        Pictures in these sets.
    cut : int
        Place up to which everything is frozen (`Learning.cut`).
    """
    picture, layers = recipe.network.input_shape, plan(recipe.network).layers
    remembered = not recipe.variation.operations and remembered_values(recipe.network, cut) > 0
    return expected(
        effort_of(layers, picture, after=cut), picture, pace, training=training, validation=validation,
        batch_size=recipe.settings.batch_size, operations=len(recipe.variation.operations),
        frozen=effort_of(layers, picture, until=cut) if cut else None, remembered=remembered,
    )  # fmt: skip
