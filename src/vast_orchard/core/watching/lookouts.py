"""Lookouts: what follows a training and says what is wrong with it."""

from collections.abc import Mapping
from types import MappingProxyType

from vast_orchard.core.watching.findings import EARLY, Facts, Finding, History, Lookout, Standing, quiet, since
from vast_orchard.core.watching.history import EpochRecord
from vast_orchard.core.watching.moving import MOVING
from vast_orchard.core.watching.parts import PARTS
from vast_orchard.core.watching.right import RIGHT
from vast_orchard.core.watching.watch import LAYER_FIGURES, OwnLookout, Sign

__all__ = ["LOOKOUTS", "look", "look_own"]

LOOKOUTS: Mapping[str, Lookout] = MappingProxyType({entry.id: entry for entry in (*MOVING, *PARTS, *RIGHT)})


def look(history: History, facts: Facts) -> dict[str, Finding]:
    """What every lookout says after these epochs, by its id."""
    return {name: entry.look(history, facts) for name, entry in LOOKOUTS.items()}


def look_own(own: OwnLookout, history: History) -> Finding:
    """What a person's own lookout says."""
    known = [(entry.number, *values) for entry in history if (values := _own_value(own, entry)) is not None]
    if len(known) < own.epochs:
        return EARLY
    beyond = [value > own.value if own.sign is Sign.ABOVE else value < own.value for _, value, _ in known]
    number, value, where = known[-1]
    if not all(beyond[-own.epochs :]):
        return quiet(value, own.value, where)
    return Finding(
        standing=Standing.FOUND, value=value, bound=own.value, where=where,
        since=since([entry[0] for entry in known], beyond),
        why=f"{own.figure.replace('_', ' ')}{f' of {where}' if where else ''} was {value:.4g} in epoch {number}, and "
        f"{own.sign} {own.value:g} for {own.epochs} epochs in a row.",
    )  # fmt: skip


def _own_value(own: OwnLookout, entry: EpochRecord) -> tuple[float, str] | None:
    """The figure and its layer; of any layer the one furthest to the side that is looked out for."""
    if own.figure not in LAYER_FIGURES:
        value = entry.figures.get(own.figure)
        return None if value is None else (value, "")
    found = [
        (figure, layer.layer)
        for layer in entry.watched.layers
        if (figure := getattr(layer, own.figure)) is not None and own.layer in ("", layer.layer)
    ]
    if not found:
        return None
    return max(found) if own.sign is Sign.ABOVE else min(found)
