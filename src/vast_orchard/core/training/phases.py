"""How a training begins from a learnt network: what it takes over, and in which phases what of it learns."""

from collections.abc import Mapping
from dataclasses import dataclass, field

from vast_orchard.core.arrays import Array
from vast_orchard.core.network.description import NetworkDescription
from vast_orchard.core.network.learning import Learning, all_learn, learning_of
from vast_orchard.core.network.network import Network
from vast_orchard.core.network.plan import LayerPlan, plan
from vast_orchard.core.network.take_over import Columns, TakenOver, take_over
from vast_orchard.core.pictures.preprocessing import Preprocessing
from vast_orchard.core.pictures.standardise import ChannelStatistics
from vast_orchard.core.training.start import Learns, Start, phase_epochs
from vast_orchard.errors import SettingError

__all__ = ["Origin", "Phase", "begin_from", "check_origin", "phases_of"]


@dataclass(frozen=True, kw_only=True, eq=False)
class Origin:
    """A learnt network, as far as another training can start from it."""

    weights: Mapping[str, Array]  # by `id.name`, of any floating dtype
    classes: tuple[str, ...]  # in the order of its outputs
    preprocessing: Preprocessing
    statistics: ChannelStatistics


@dataclass(frozen=True, kw_only=True, eq=False)
class Phase:
    """Epochs in which the same layers learn; each has its own course of the rate, and its moments begin at zero."""

    first: int  # epoch, counted from 1
    epochs: int
    learning: Learning
    factors: Mapping[str, float] = field(default_factory=dict)  # of the rate, by name of the parameter

    @property
    def last(self) -> int:
        """Its last epoch."""
        return self.first + self.epochs - 1


def check_origin(origin: Origin, preprocessing: Preprocessing, start: Start) -> None:
    """See to it that what was learnt there means something for pictures prepared like this.

    Raises
    ------
    SettingError
        They have other channels, or are scaled in another way and yet standardised by the same statistics.
    """
    if origin.preprocessing.scale != preprocessing.scale and not start.new_statistics:
        raise SettingError(
            f"The model's statistics are for pictures scaled by {origin.preprocessing.scale!r}, not "
            f"{preprocessing.scale!r}.",
            "Scale as the model does, or take statistics of these pictures.",
        )
    if origin.preprocessing.channels != preprocessing.channels:
        words = {1: "grey pictures", 3: "colour"}
        raise SettingError(
            f"The model to start from has learnt on {words[origin.preprocessing.channels]}, and this training is on "
            f"{words[preprocessing.channels]}.",
            f"Choose {words[origin.preprocessing.channels]} in preprocessing, or start from another model.",
        )


def begin_from(network: Network, origin: Origin, classes: tuple[str, ...]) -> TakenOver:
    """Take over what fits; changes `network` in place.

    Raises
    ------
    SettingError
        Nothing fits.
    """
    taken = take_over(network, origin.weights, Columns(here=classes, there=origin.classes))
    if not taken.taken:
        raise SettingError(
            "No layer of the model to start from fits the network.",
            "Choose the network of that model, or start from nothing.",
        )
    return taken


def phases_of(
    start: Start | None, taken: TakenOver | None, description: NetworkDescription, epochs: int
) -> tuple[Phase, ...]:
    """The phases of a training.

    Parameters
    ----------
    start : Start or None
        None: from nothing, with one phase in which everything learns.
    taken : TakenOver or None
        What `begin_from` took over.
    description : NetworkDescription
        Resolved.
    epochs : int
        Of all phases.

    Raises
    ------
    SettingError, DescriptionError
        A phase has no epochs, nothing is left to learn, or a layer that should stay as it is does not exist or is new.
    """
    if start is None or taken is None:
        return (Phase(first=1, epochs=epochs, learning=all_learn(description)),)
    entries = [entry for entry in plan(description).layers if entry.parameters]
    known = set(taken.taken)
    steady = set() if start.moving_statistics else known
    whole = learning_of(description, {entry.id for entry in entries}, steady)
    factors = _factors(start, known)
    match start.learns:
        case Learns.ALL:
            learning = [whole]
        case Learns.AFTER:
            learning = [learning_of(description, _after(start.frozen_to, description, known), steady)]
        case Learns.NEW | Learns.NEW_THEN_ALL:
            new = {entry.id for entry in entries} - known
            if not new:
                raise SettingError(
                    "Everything is taken over, so nothing new is left to learn.",
                    "Let everything learn, or what comes after a layer.",
                )
            learning = [learning_of(description, new, steady), whole]
    phases, first = [], 1
    for count, what in zip(phase_epochs(start, epochs), learning, strict=False):
        phases.append(Phase(first=first, epochs=count, learning=what, factors=factors))
        first += count
    return tuple(phases)


def _factors(start: Start, layers: set[str]) -> dict[str, float]:
    if start.rate_factor == 1:
        return {}
    return {f"{layer}.{key}": start.rate_factor for layer in layers for key in ("weights", "bias", "gamma", "beta")}


def _after(layer: str, description: NetworkDescription, known: set[str]) -> set[str]:
    """Ids of what learns when everything up to a layer stays as it is."""
    entries: tuple[LayerPlan, ...] = plan(description).layers
    place = next((entry.place for entry in entries if entry.id == layer), None)
    if place is None:
        raise SettingError(
            f"There is no layer {layer!r} to stay as it is.", f"Choose one of: {', '.join(e.id for e in entries)}."
        )
    new = [entry.id for entry in entries[:place] if entry.parameters and entry.id not in known]
    if new:
        raise SettingError(
            f"{', '.join(new)} would stay as drawn by chance, because nothing was taken over for it.",
            "Choose a layer before it, or let everything learn.",
        )
    return {entry.id for entry in entries[place:] if entry.parameters}
