"""Lookouts: what follows a training and says what is wrong with it."""

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from types import MappingProxyType

from vast_orchard.core.network.description import NetworkDescription
from vast_orchard.core.watching.findings import EARLY, Facts, Finding, History, Lookout, Standing, quiet, since
from vast_orchard.core.watching.history import EpochRecord
from vast_orchard.core.watching.moving import MOVING
from vast_orchard.core.watching.parts import PARTS
from vast_orchard.core.watching.right import RIGHT
from vast_orchard.core.watching.rows import watched_layers
from vast_orchard.core.watching.watch import LAYER_FIGURES, Act, OwnLookout, Sign, Watch
from vast_orchard.errors import SettingError

__all__ = ["LOOKOUTS", "Found", "check_watch", "ends", "look", "look_own", "sends_word", "wording"]

LOOKOUTS: Mapping[str, Lookout] = MappingProxyType({entry.id: entry for entry in (*MOVING, *PARTS, *RIGHT)})


def look(history: History, facts: Facts) -> dict[str, Finding]:
    """What every lookout says after these epochs, by its id."""
    return {name: entry.look(history, facts) for name, entry in LOOKOUTS.items()}


@dataclass(frozen=True, kw_only=True)
class Found:
    """A lookout that found something."""

    id: str  # of one's own its name
    words: str
    finding: Finding


def ends(history: History, facts: Facts, watch: Watch) -> Found | None:
    """The first lookout that ends a training after these epochs."""
    return next(iter(_found(history, facts, watch, Act.END)), None)


def sends_word(history: History, facts: Facts, watch: Watch) -> tuple[Found, ...]:
    """The lookouts that find something after these epochs and send word of it."""
    return tuple(_found(history, facts, watch, Act.WORD))


def _found(history: History, facts: Facts, watch: Watch, act: Act) -> Iterator[Found]:
    for name, chosen in watch.acts.items():
        if chosen is act:
            finding = LOOKOUTS[name].look(history, facts)
            if finding.standing is Standing.FOUND:
                yield Found(id=name, words=LOOKOUTS[name].words, finding=finding)
    for own in watch.own:
        if own.act is act:
            finding = look_own(own, history)
            if finding.standing is Standing.FOUND:
                yield Found(id=own.name, words=own.name, finding=finding)


def wording(found: Found, epoch: int) -> str:
    """Why a lookout ended a training after an epoch."""
    return f"The lookout “{found.words}” ended it after epoch {epoch}. {found.finding.why}"


def check_watch(watch: Watch, description: NetworkDescription, *, validated: bool) -> None:
    """See to it that there is what would be watched.

    Parameters
    ----------
    watch : Watch
    description : NetworkDescription
        Resolved.
    validated : bool
        Whether there is a validation set.

    Raises
    ------
    SettingError
        A lookout, a layer or a figure that does not exist here.
    """
    unknown = sorted(set(watch.acts) - set(LOOKOUTS))
    if unknown:
        raise SettingError(
            f"There is no lookout {', '.join(unknown)}.", f"There are: {', '.join(LOOKOUTS)}, and those of your own."
        )
    layers = [entry.id for entry in watched_layers(description)]
    asked = [*watch.layers, *(own.layer for own in watch.own if own.layer)]
    missing = sorted(set(asked) - set(layers))
    if missing:
        raise SettingError(
            f"The network has no layer {', '.join(missing)} to watch.", f"Choose of {', '.join(layers)}."
        )
    for own in watch.own:
        if own.figure.startswith("validation") and not validated:
            raise SettingError(
                f"The lookout {own.name!r} looks at {own.figure.replace('_', ' ')}, and no picture is in validation.",
                "Put some pictures into validation, or let it look at a figure of training.",
            )


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
