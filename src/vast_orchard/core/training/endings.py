"""When a training ends before all its epochs are done: a figure no longer gets better, or is good enough."""

import math
from collections.abc import Sequence
from dataclasses import dataclass

from vast_orchard.core.training.settings import EndFigure, Schedule, TrainingSettings
from vast_orchard.core.training.values import EpochMetrics
from vast_orchard.errors import SettingError

__all__ = [
    "Met",
    "check_endings",
    "closing_epochs",
    "closing_rate",
    "earliest_end",
    "ended_early",
    "first_met",
    "met_after",
    "met_words",
]

# With a rate that falls over all epochs, the fall earns the accuracy: it is gone through faster, not left out.
_CLOSING_SHARE, _CLOSING_LEAST = 10, 2


@dataclass(frozen=True, kw_only=True)
class Met:
    """A condition that was met, with the numbers that met it."""

    by: str  # "standstill", "reached" or "time"
    epoch: int  # after which it was met
    last: int  # the epoch that the training ends with
    value: float  # the best of the epochs in question; the one that was reached; minutes
    figure: str = ""  # as an epoch's figures name it
    before: float = 0.0  # the best before the epochs in question
    before_epoch: int = 0  # whose it is


def closing_epochs(settings: TrainingSettings) -> int:
    """Epochs from a condition that is met to the end, in which the rate falls to zero."""
    if settings.schedule is Schedule.CONSTANT:
        return 0
    return max(_CLOSING_LEAST, math.ceil(settings.epochs / _CLOSING_SHARE))


def closing_rate(step: int, steps: int, rate: float) -> float:
    """Rate at `step` (from 0) of all `steps` of the closing epochs: from `rate` to zero along half a cosine."""
    return rate * 0.5 * (1 + math.cos(math.pi * step / steps))


def earliest_end(settings: TrainingSettings, first: int = 1) -> int | None:
    """The first epoch after which a want of progress can be told; None if none is asked for.

    Parameters
    ----------
    settings : TrainingSettings
    first : int
        Epoch with which counting begins: of two phases the first of the last one.
    """
    if settings.end_when is EndFigure.NONE:
        return None
    return max(settings.end_not_before, first + settings.end_within)


def met_after(history: Sequence[EpochMetrics], settings: TrainingSettings, first: int = 1) -> Met | None:
    """The condition that the newest epoch meets, if the end comes any earlier by it.

    Parameters
    ----------
    history : sequence of EpochMetrics
        All epochs so far.
    settings : TrainingSettings
    first : int
        Epoch with which counting begins.
    """
    if not history:
        return None
    epoch = history[-1].number
    last = epoch + closing_epochs(settings)
    if epoch < first or last >= settings.epochs:
        return None
    return _reached(history[-1], settings, last) or _standstill(history, settings, first, last)


def first_met(history: Sequence[EpochMetrics], settings: TrainingSettings, first: int = 1) -> Met | None:
    """The condition that was met first; what follows it changes nothing any more."""
    found = (met_after(history[: place + 1], settings, first) for place in range(len(history)))
    return next((met for met in found if met), None)


def _reached(newest: EpochMetrics, settings: TrainingSettings, last: int) -> Met | None:
    figure = settings.reach
    if figure is EndFigure.NONE:
        return None
    value, wanted = newest.figures[figure.recorded], settings.reach_value
    if value > wanted if figure.falls else value < wanted:
        return None
    return Met(by="reached", epoch=newest.number, last=last, value=value, figure=figure.recorded)


def _standstill(history: Sequence[EpochMetrics], settings: TrainingSettings, first: int, last: int) -> Met | None:
    earliest, epoch = earliest_end(settings, first), history[-1].number
    if earliest is None or epoch < earliest:
        return None
    name = settings.end_when.recorded
    sign = 1.0 if settings.end_when.falls else -1.0
    asked = [sign * entry.figures[name] for entry in history[first - 1 :]]
    before, since = asked[: -settings.end_within], min(asked[-settings.end_within :])
    best = min(before)
    if best - since >= settings.end_change and since < best:
        return None
    return Met(
        by="standstill", epoch=epoch, last=last, value=sign * since,
        figure=name, before=sign * best, before_epoch=first + before.index(best),
    )  # fmt: skip


def ended_early(history: Sequence[EpochMetrics], settings: TrainingSettings, first: int = 1) -> Met | None:
    """What ended a training with its newest epoch, if that was not all epochs: a condition, else its time."""
    done = history[-1].number if history else 0
    if done in (0, settings.epochs):
        return None
    met = first_met(history, settings, first)
    return met if met and met.last == done else Met(by="time", epoch=done, last=done, value=settings.time_limit)


def met_words(met: Met, settings: TrainingSettings) -> str:
    """Why a training ended early, with the numbers."""
    figure, closing = met.figure.replace("_", " ").capitalize().replace("f1", "F1"), met.last - met.epoch
    rest = f" Over {closing} more epochs the rate then fell to zero." if closing else ""
    match met.by:
        case "time":
            return f"Its time of {met.value:g} minutes was over."
        case "reached":
            return f"{figure} was {met.value:.4g} in epoch {met.epoch}; {settings.reach_value:g} was enough.{rest}"
        case _:
            moved = "fallen" if settings.end_when.falls else "risen"
            return (
                f"{figure} had not {moved} by {settings.end_change:g} within {settings.end_within} epochs: up to epoch "
                f"{met.epoch} it was {met.value:.4g} at best, after {met.before:.4g} in epoch {met.before_epoch}.{rest}"
            )


def check_endings(settings: TrainingSettings, *, validated: bool) -> None:
    """See to it that the figures by which a training ends are there.

    Raises
    ------
    SettingError
        One is of the validation set, and there is none.
    """
    for figure in (settings.end_when, settings.reach):
        if figure.value.startswith("validation") and not validated:
            raise SettingError(
                f"The training would end by its {figure.value.replace('-', ' ')}, and no picture is in validation.",
                "Put some pictures into validation, or let it end by a figure of training.",
            )
