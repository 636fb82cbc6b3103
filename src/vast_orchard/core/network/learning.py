"""Which layers of a network learn and which stay as they are, and up to where nothing has to be taught at all."""

import math
from collections.abc import Collection
from dataclasses import dataclass

from vast_orchard.core.network import layers as d
from vast_orchard.core.network.description import NetworkDescription
from vast_orchard.core.network.plan import LayerPlan, plan
from vast_orchard.errors import DescriptionError

__all__ = ["Learning", "all_learn", "learning_of", "remembered_values"]


@dataclass(frozen=True, kw_only=True)
class Learning:
    """By place of a layer, counted from 1."""

    learns: frozenset[int]  # layers whose numbers move
    steady: frozenset[int]  # batch norms that go by their running statistics, and leave them alone
    # Everything up to here is frozen and reaches the rest by this one layer's values. It answers in training as it will
    # afterwards: a dropout before it takes nothing away.
    cut: int = 0


def all_learn(description: NetworkDescription) -> Learning:
    """Every layer, each batch norm by the batch: as from nothing."""
    numbered = frozenset(entry.place for entry in plan(description).layers if entry.parameters)
    return Learning(learns=numbered, steady=frozenset())


def learning_of(description: NetworkDescription, learning: Collection[str], steady: Collection[str]) -> Learning:
    """Which places learn, where layers are told by id.

    A batch norm that does not learn is steady in any case: its statistics would move what it answers.

    Parameters
    ----------
    description : NetworkDescription
        Resolved.
    learning, steady : collection of str

    Raises
    ------
    DescriptionError
        No layer with numbers is left to learn.
    """
    entries = plan(description).layers
    learns = frozenset(entry.place for entry in entries if entry.parameters and entry.id in learning)
    if not learns:
        raise DescriptionError("There is nothing left to learn.", "Let some layers learn, or add new ones.")
    norms = {
        entry.place: layer
        for entry, layer in zip(entries, description.flat, strict=True)
        if isinstance(layer, d.BatchNorm)
    }
    still = frozenset(p for p in norms if p not in learns or entries[p - 1].id in steady)
    return Learning(learns=learns, steady=still, cut=_cut(description, entries, min(learns)))


def remembered_values(description: NetworkDescription, cut: int) -> int:
    """Numbers that are remembered for each picture that never varies; 0 if none are.

    They are if they are at most as many as the picture itself has: a rule by the recipe alone, so that a training is
    the same on a machine with less memory.
    """
    if not cut:
        return 0
    values = math.prod(plan(description).layers[cut - 1].shape)
    return values if values <= math.prod(description.input_shape) else 0


def _cut(description: NetworkDescription, entries: tuple[LayerPlan, ...], first: int) -> int:
    """The last place before `first`, the first one to learn, at which the network hangs together by one value."""
    last = max((entry.place for entry in entries[: first - 1] if entry.parameters), default=0)
    cut = last
    if not last:
        return 0
    for entry, layer in zip(entries[last : first - 1], description.flat[last : first - 1], strict=True):
        if isinstance(layer, d.Dropout | d.ChannelDropout):
            break
        cut = entry.place
    while cut and not (_alone(entries, cut) and _ends_a_stage(description, entries, cut)):
        cut -= 1
    return cut


def _alone(entries: tuple[LayerPlan, ...], cut: int) -> bool:
    return all(source >= cut for entry in entries[cut:] for source in entry.sources)


# Layers that are computed together with the weighted one before them.
_FOLLOWERS = (d.BatchNorm, d.ReLU, d.LeakyReLU)


def _ends_a_stage(description: NetworkDescription, entries: tuple[LayerPlan, ...], cut: int) -> bool:
    readers = [description.flat[entry.place - 1] for entry in entries[cut:] if cut in entry.sources]
    return not any(isinstance(layer, _FOLLOWERS) for layer in readers)
