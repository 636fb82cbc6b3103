"""Trains the legs of a search in a terminal, and keeps what is needed to go on with each trial."""

import time
from collections.abc import Callable, Mapping
from dataclasses import replace

import numpy as np

from vast_orchard.at_once.network_times import free_memory
from vast_orchard.cli.divided import Divided
from vast_orchard.core.arrays import FloatArray
from vast_orchard.core.planning.searching import Leg, Tried
from vast_orchard.core.planning.trial_recipe import Named, trial_recipe
from vast_orchard.core.team import Team
from vast_orchard.core.training.begin import begin
from vast_orchard.core.training.recipe import Recipe
from vast_orchard.core.training.values import EpochResult, Examples, TrainingState
from vast_orchard.errors import InputError, NonFiniteError, SettingError
from vast_orchard.formats.collection import Collection
from vast_orchard.formats.members import Source
from vast_orchard.formats.model_file import Model, origin_of, trained_model
from vast_orchard.formats.picture_file import network_pixels
from vast_orchard.types import SetName

__all__ = ["SeenSets", "Trials"]


class SeenSets:
    """Training and validation as a recipe sees them; each preprocessing is decoded once."""

    def __init__(self, source: Source, collection: Collection, divided: Divided, own: Recipe) -> None:
        self._source, self._collection, self._divided = source, collection, divided
        self._known: dict[object, dict[SetName, Examples]] = {own.preprocessing: divided.sets}

    def of(self, recipe: Recipe) -> dict[SetName, Examples]:
        """Its sets."""
        before = recipe.preprocessing
        if before not in self._known:
            sets = {}
            for name in (SetName.TRAINING, SetName.VALIDATION):
                paths = [self._collection.pictures[place].path for place in self._divided.places[name]]
                pixels = np.stack([network_pixels(self._source.read(path), before) for path in paths])
                sets[name] = replace(self._divided.sets[name], pixels=pixels)
            self._known[before] = sets
        return self._known[before]


class Trials:
    """Trains legs one after the other.

    Parameters
    ----------
    base : Recipe
        Its network open.
    named : Named
    divided : Divided
    seen : SeenSets
    team : Team
    origins : mapping of str to Model
        What trials start from, by the digest of its weights.
    """

    def __init__(
        self, base: Recipe, named: Named, divided: Divided, seen: SeenSets, team: Team, origins: Mapping[str, Model]
    ) -> None:
        self._base, self._named, self._divided, self._seen = base, named, divided, seen
        self._team, self._origins = team, origins
        self.states: dict[int, TrainingState] = {}
        self.answers: dict[int, FloatArray] = {}  # probabilities of the validation pictures, by trial
        self.spent_s: dict[int, float] = {}
        self.failed: dict[int, str] = {}

    def recipe(self, tried: Tried) -> Recipe:
        """What a trial trains."""
        return trial_recipe(self._base, tried.values, self._named)

    def train(self, leg: Leg, told: Callable[[int], None]) -> dict[str, float] | None:
        """Figures of the epoch that is kept when the leg has ended; None if it failed.

        Parameters
        ----------
        told : callable
            Gets the number of each epoch that has ended.
        """
        number, began = leg.tried.trial, time.monotonic()
        try:
            recipe = self.recipe(leg.tried)
            sets, names = self._seen.of(recipe), self._divided.classes
            origin = self._origins[recipe.start.digest] if recipe.start else None
            training = begin(
                recipe, len(names), sets[SetName.TRAINING], sets[SetName.VALIDATION], self.states.get(number),
                team=self._team, memory_bytes=free_memory(),
                origin=None if origin is None else origin_of(origin), names=names,
            )  # fmt: skip
            for result in training.results:
                if isinstance(result, EpochResult):
                    self.states[number] = result.state
                    told(result.metrics.number)
                    if result.metrics.number >= leg.until:
                        break
            state = self.states[number]
            model = trained_model(training, state, names)
            self.answers[number] = model.probabilities(sets[SetName.VALIDATION].pixels, self._team)
        except (NonFiniteError, SettingError, InputError) as error:
            self.failed[number] = str(error)
            return None
        finally:
            self.spent_s[number] = self.spent_s.get(number, 0.0) + time.monotonic() - began
        return dict(state.history[state.kept_epoch - 1].figures)
