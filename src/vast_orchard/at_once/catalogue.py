"""What a run can be made of, and what that costs, as plain values for the Run sheet."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import asdict, fields, replace
from typing import Any, TypeVar

from vast_orchard import __version__
from vast_orchard.core.judging.intervals import wilson_interval
from vast_orchard.core.network.ready import DEFAULT_NETWORK
from vast_orchard.core.pictures.operations import KINDS
from vast_orchard.core.pictures.preprocessing import preprocessing_from_json, preprocessing_to_json, proposed_size
from vast_orchard.core.pictures.questions import Answers, variation_by_answers
from vast_orchard.core.pictures.variation import check_colour, variation_from_json
from vast_orchard.core.training.amount import proposed_epochs, proposed_strength
from vast_orchard.core.training.recipe import Recipe, recipe_from_json, recipe_to_json
from vast_orchard.core.training.schedule import learning_rate
from vast_orchard.core.training.settings import SETTINGS, chosen_settings
from vast_orchard.core.training.start import RATE_FACTOR
from vast_orchard.errors import SettingError

__all__ = [
    "PROGRAM",
    "RATE_FACTOR",
    "answered_variation",
    "checked_preprocessing",
    "checked_variation",
    "complete_settings",
    "default_recipe",
    "expected_intervals",
    "input_size",
    "operations",
    "rate_line",
    "recipe_of",
    "training_settings",
]

T = TypeVar("T")

PROGRAM = f"vast-orchard {__version__}"


def default_recipe(pictures: int = 0) -> dict[str, Any]:
    """What *Train* uses when nothing was changed; its network by name.

    Parameters
    ----------
    pictures : int
        Of the training set, by which epochs and the strength of the variation are proposed; 0 if it is not known.
    """
    recipe = Recipe()
    if pictures:
        recipe = replace(
            recipe,
            settings=replace(recipe.settings, epochs=proposed_epochs(pictures)),
            variation=replace(recipe.variation, strength=proposed_strength(pictures)),
        )
    stored = recipe_to_json(recipe)
    return {"network": DEFAULT_NETWORK, **{part: stored[part] for part in ("preprocessing", "variation", "settings")}}


def training_settings() -> list[dict[str, Any]]:
    """The table of training settings, as the Run sheet shows them."""
    return [
        {
            **{field.name: getattr(entry, field.name) for field in fields(entry)},
            "choices": [{"value": value, "words": words, "does": does} for value, words, does in entry.choices],
            "when": {"name": entry.when[0], "values": list(entry.when[1])} if entry.when else None,
            "follows": {"name": entry.follows[0], "defaults": dict(entry.follows[1])} if entry.follows else None,
        }
        for entry in SETTINGS.values()
    ]


def checked_preprocessing(data: Mapping[str, Any]) -> dict[str, Any]:
    """A preprocessing, complete, its every value inside its range.

    Raises
    ------
    SettingError
        One is not, or there is a name that means nothing.
    """
    # Of the pictures of a project the project says which part counts.
    return preprocessing_to_json(replace(_read(preprocessing_from_json, data, "preprocessing"), area=None))


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


def expected_intervals(counts: Sequence[int], accuracy: float) -> list[tuple[float, float]]:
    """The 95 % intervals that sets of so many pictures give to an accuracy."""
    return [wilson_interval(round(accuracy * count), count) for count in counts]


def rate_line(settings: Mapping[str, Any], steps: int, new_epochs: int = 0, points: int = 60) -> list[float]:
    """The learning rate at evenly spaced steps of a training, the first and the last of each phase among them.

    Parameters
    ----------
    settings : mapping
    steps : int
        Of all epochs.
    new_epochs : int
        Of a first phase; without one there is a single course.
    points : int

    Raises
    ------
    SettingError
        A setting is out of its range.
    """
    chosen = chosen_settings(settings)
    first = min(new_epochs, chosen.epochs - 1)
    epochs = [first, chosen.epochs - first] if first > 0 else [chosen.epochs]
    found = []
    for count in epochs:
        share, own = count / chosen.epochs, replace(chosen, epochs=count)
        shown, some = max(2, round(points * share)), max(1, round(steps * share))
        places = [round(place * (some - 1) / (shown - 1)) for place in range(shown)]
        found += [learning_rate(step, some, own) for step in places]
    return found


def recipe_of(data: Mapping[str, Any]) -> Recipe:
    """A recipe from values that may leave out settings; those follow what is given.

    Raises
    ------
    SettingError, DescriptionError
        A value is out of its range, or there is no such network.
    """
    settings = complete_settings(data.get("settings", {}))
    return _read(recipe_from_json, {**data, "settings": settings}, "recipe")


def complete_settings(chosen: Mapping[str, Any]) -> dict[str, Any]:
    """Settings with defaults for those that were not chosen, as these follow the others.

    Raises
    ------
    SettingError
    """
    return asdict(chosen_settings(chosen))
