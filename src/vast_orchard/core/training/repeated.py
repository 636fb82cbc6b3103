"""A training gone through once more on more pictures: the same steps, the same rates, to the same step."""

from collections.abc import Sequence
from dataclasses import dataclass, replace

from vast_orchard.core.training.endings import Met, first_met
from vast_orchard.core.training.settings import EndFigure, Keep, TrainingSettings
from vast_orchard.core.training.values import EpochMetrics

__all__ = ["Repeated", "repeated_from", "unwatched"]


@dataclass(frozen=True, kw_only=True)
class Repeated:
    """What of an earlier training is gone through again.

    Its epochs stay as many steps as they were, whatever the number of pictures is now: the schedule, the phases and the
    state that was kept all mean the same step then.
    """

    epoch_steps: int  # of each of its epochs
    until: int  # the epoch whose state was kept, with which this one ends
    met: Met | None = None  # what ended it early, with the course that its rate took from there


def repeated_from(
    history: Sequence[EpochMetrics], kept_epoch: int, settings: TrainingSettings, pictures: int, first: int = 1
) -> Repeated:
    """What to go through again of a training that has ended.

    Parameters
    ----------
    history : sequence of EpochMetrics
        Of all its epochs.
    kept_epoch : int
    settings : TrainingSettings
    pictures : int
        That it learnt from.
    first : int
        First epoch of its last phase.
    """
    met = first_met(history, settings, first)
    return Repeated(epoch_steps=-(-pictures // settings.batch_size), until=kept_epoch, met=met)


def unwatched(settings: TrainingSettings) -> TrainingSettings:
    """The same settings where nothing validates: no figure ends the training or chooses an epoch."""
    return replace(settings, keep=Keep.LAST, end_when=EndFigure.NONE, reach=EndFigure.NONE, time_limit=0.0)
