"""What a training may be set to and is still questioned before its start."""

from vast_orchard.core.training.endings import closing_epochs, earliest_end
from vast_orchard.core.training.settings import SETTINGS, EndFigure, TrainingSettings

__all__ = ["doubts", "ending_doubts"]


def doubts(settings: TrainingSettings) -> tuple[str, ...]:
    """What is allowed and still far outside the usual or to no purpose, as questions for before a start."""
    return (*_far(settings), *ending_doubts(settings))


def _far(settings: TrainingSettings) -> list[str]:
    found = []
    for entry in SETTINGS.values():
        if not entry.far:
            continue
        offered = entry.default
        if entry.follows:
            other, defaults = entry.follows
            offered = defaults[getattr(settings, other)]
        value = getattr(settings, entry.name)
        times, than = (value / offered, "more") if value > offered else (offered / value, "less")
        if round(times, 6) > entry.far:
            name = entry.words.lower()
            found.append(f"A {name} of {value:g} is {times:.0f} times {than} than the usual {offered:g}.")
    return found


def ending_doubts(settings: TrainingSettings, first: int = 1) -> list[str]:
    """Conditions of an end that can never be met in time, or always are.

    Parameters
    ----------
    settings : TrainingSettings
    first : int
        Epoch with which counting begins: of two phases the first of the last one.
    """
    found, earliest, closing = [], earliest_end(settings, first), closing_epochs(settings)
    if earliest is not None and earliest + closing >= settings.epochs:
        takes = f", and closing takes {closing}" if closing else ""
        found.append(
            f"Want of progress can first be told after epoch {earliest} of {settings.epochs}{takes}: it would change "
            "nothing."
        )
    if settings.reach is not EndFigure.NONE and not settings.reach.falls and not settings.reach_value:
        found.append(f"A {settings.reach.value.replace('-', ' ')} of 0 is reached at once.")
    return found
