"""Takes over what fits of another network's weights, and says what was taken, what not, and why."""

from collections.abc import Mapping
from dataclasses import dataclass

from vast_orchard.core.arrays import Array
from vast_orchard.core.network.network import Network

__all__ = ["TakenOver", "take_over"]


@dataclass(frozen=True, kw_only=True)
class TakenOver:
    """Layers with numbers of their own, by id."""

    taken: tuple[str, ...]
    left: tuple[tuple[str, str], ...]  # layers of this network that keep their first numbers, and why
    unused: tuple[str, ...]  # layers that only the other network has


def take_over(network: Network, state: Mapping[str, Array]) -> TakenOver:
    """Load each layer of `network` whose numbers `state` holds under the same id and in the same shapes.

    Of whichever floating dtype; values are converted to the network's.

    A layer is taken whole or not at all: half of its numbers would fit to nothing.

    Parameters
    ----------
    network : Network
        Changed in place.
    state : mapping of str to ndarray
        By `id.name`, as `Network.state` returns it.
    """
    own: dict[str, dict[str, Array]] = {}
    for name, value in network.held().items():
        layer, _, key = name.partition(".")
        own.setdefault(layer, {})[key] = value
    taken, left = [], []
    for layer, numbers in own.items():
        why = _misfit(layer, numbers, state)
        if why:
            left.append((layer, why))
            continue
        for key, value in numbers.items():
            value[...] = state[f"{layer}.{key}"]
        taken.append(layer)
    others = dict.fromkeys(name.partition(".")[0] for name in state)
    return TakenOver(taken=tuple(taken), left=tuple(left), unused=tuple(layer for layer in others if layer not in own))


def _misfit(layer: str, numbers: Mapping[str, Array], state: Mapping[str, Array]) -> str:
    """Why a layer cannot be taken over; empty where it can."""
    missing = [key for key in numbers if f"{layer}.{key}" not in state]
    if len(missing) == len(numbers):
        return "The other network has no such layer."
    if missing:
        return f"The other network's layer has no {', '.join(missing)}."
    for key, value in numbers.items():
        other = state[f"{layer}.{key}"]
        if other.shape != value.shape:
            shapes = ("×".join(map(str, shape)) for shape in (other.shape, value.shape))
            return "Its {} are {} there and {} here.".format(key, *shapes)
    return ""
