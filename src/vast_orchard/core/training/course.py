"""The epochs of a phase of training, the rate of every step, and where it ends."""

from collections.abc import Iterator
from dataclasses import replace

from vast_orchard.core.training.endings import Met, closing_rate, first_met, met_after
from vast_orchard.core.training.phases import Phase
from vast_orchard.core.training.schedule import learning_rate
from vast_orchard.core.training.settings import TrainingSettings
from vast_orchard.core.training.values import TrainingState

__all__ = ["Course"]


class Course:
    """The epochs of a phase and their rates, as planned and, once a condition is met, to its early end.

    Parameters
    ----------
    phase : Phase
    settings : TrainingSettings
    steps : int
        In an epoch.
    state : TrainingState
        After which the phase begins or goes on: what was met before an interruption is met again.
    met : Met, optional
        A condition that an earlier training met, whose course is gone through again.
    """

    def __init__(
        self, phase: Phase, settings: TrainingSettings, steps: int, state: TrainingState, met: Met | None = None
    ) -> None:
        self._phase, self._settings, self.steps = phase, settings, steps
        self._rates = replace(settings, epochs=phase.epochs)
        # Of two phases the first always has its epochs: what is new has to be taught before all of it is judged.
        self._ends_all = phase.last == settings.epochs
        self._met: Met | None = None
        if self._ends_all:
            self._met = met or first_met(state.history, settings, phase.first)

    @property
    def last_of_all(self) -> int:
        """The epoch that the training ends with, as things stand."""
        return self._met.last if self._met else self._settings.epochs

    def look(self, state: TrainingState) -> None:
        """After an epoch: whether it meets a condition."""
        if self._ends_all and self._met is None:
            self._met = met_after(state.history, self._settings, self._phase.first)

    def epochs(self, first: int) -> Iterator[int]:
        """Those of the phase from `first` on."""
        epoch = first
        while epoch <= min(self._phase.last, self.last_of_all):
            yield epoch
            epoch += 1

    def rate(self, epoch: int, step: int) -> float:
        """At a step, from 0, of an epoch."""
        if self._met and epoch > self._met.epoch:
            since, closing = epoch - self._met.epoch - 1, self._met.last - self._met.epoch
            begun = self._planned(self._met.epoch + 1, 0)
            return closing_rate(since * self.steps + step, closing * self.steps, begun)
        return self._planned(epoch, step)

    def _planned(self, epoch: int, step: int) -> float:
        place = (epoch - self._phase.first) * self.steps + step
        return learning_rate(place, self._phase.epochs * self.steps, self._rates)
