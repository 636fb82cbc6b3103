"""Takes over what fits of another network's weights, and says what was taken, what not, and why."""

from collections.abc import Mapping
from dataclasses import dataclass

from vast_orchard.core.arrays import Array
from vast_orchard.core.network import layers as d
from vast_orchard.core.network.network import Network

__all__ = ["Columns", "TakenOver", "take_over"]


@dataclass(frozen=True, kw_only=True)
class Columns:
    """Names of the classes that two networks tell apart, each in the order of its outputs."""

    here: tuple[str, ...]
    there: tuple[str, ...]


@dataclass(frozen=True, kw_only=True)
class TakenOver:
    """Layers with numbers of their own, by id."""

    taken: tuple[str, ...]
    left: tuple[tuple[str, str], ...]  # layers of this network that keep their first numbers, and why
    unused: tuple[str, ...]  # layers that only the other network has


def take_over(network: Network, state: Mapping[str, Array], columns: Columns | None = None) -> TakenOver:
    """Load each layer of `network` whose numbers `state` holds under the same id and in the same shapes.

    Of whichever floating dtype; values are converted to the network's.

    A layer is taken whole or not at all: half of its numbers would fit to nothing. Only the outputs of the last dense
    layer, which are classes, are taken by class; unless all are, the layer counts as left, for it has to learn.

    Parameters
    ----------
    network : Network
        Changed in place.
    state : mapping of str to ndarray
        By `id.name`, as `Network.state` returns it.
    columns : Columns, optional
        Which classes the two networks share; without it the last layer is taken as any other.
    """
    last = _tells_classes(network) if columns is not None else None
    own: dict[str, dict[str, Array]] = {}
    for name, value in network.held().items():
        layer, _, key = name.partition(".")
        own.setdefault(layer, {})[key] = value
    taken: list[str] = []
    left: list[tuple[str, str]] = []
    for layer, numbers in own.items():
        if layer == last and columns is not None and f"{layer}.weights" in state:
            why = _take_columns(layer, numbers, state, columns)
        else:
            why = _misfit(layer, numbers, state)
            if not why:
                for key, value in numbers.items():
                    value[...] = state[f"{layer}.{key}"]
        if why:
            left.append((layer, why))
        else:
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


def _tells_classes(network: Network) -> str | None:
    """The last layer with numbers, if it is a dense one whose outputs are the classes."""
    for layer, name, numbers in zip(
        reversed(network.description.flat), reversed(network.names), reversed(network.numbers), strict=True
    ):
        if numbers.parameters:
            return name if isinstance(layer, d.Dense) and layer.outputs == network.classes else None
    return None


def _take_columns(layer: str, numbers: Mapping[str, Array], state: Mapping[str, Array], columns: Columns) -> str:
    """Take over the outputs of shared classes; why that is not all of the layer, empty where it is."""
    pairs = [(n, columns.there.index(name)) for n, name in enumerate(columns.here) if name in columns.there]
    if not pairs:
        return "Its outputs are other classes there."
    here, there = (list(places) for places in zip(*pairs, strict=True))
    for key, value in numbers.items():
        other = state.get(f"{layer}.{key}")
        if other is None or other.shape[:-1] != value.shape[:-1] or other.shape[-1] != len(columns.there):
            return _misfit(layer, numbers, state) or "Its outputs are not the classes there."
    for key, value in numbers.items():
        value[..., here] = state[f"{layer}.{key}"][..., there]
    if len(pairs) == len(columns.here):
        return ""
    return f"{len(pairs)} of its {len(columns.here)} classes are there too, and those are taken over."
