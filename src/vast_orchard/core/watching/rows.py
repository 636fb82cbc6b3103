"""What of a network is watched: a row for each layer with weights and for each activation that follows none."""

from dataclasses import dataclass

from vast_orchard.core.network import layers as d
from vast_orchard.core.network.description import NetworkDescription
from vast_orchard.core.network.plan import plan

__all__ = ["WatchedLayer", "watched_layers"]

_WEIGHTED = (d.Conv, d.DepthwiseConv, d.Dense)
_ACTIVATIONS = (
    d.ReLU, d.LeakyReLU, d.ClippedReLU, d.SiLU, d.Tanh, d.Sigmoid, d.HardSigmoid, d.HardSwish,
)  # fmt: skip
# Within a hundredth of an end a value hardly passes a gradient on: 2 % of it in a tanh, 1 % in a sigmoid.
_NEAR = 0.01


@dataclass(frozen=True, kw_only=True)
class WatchedLayer:
    """A layer whose weights are looked at, and its values once normalised and activated."""

    id: str
    weights: str | None  # name of its weights; None of an activation alone
    output: int  # place whose values are looked at
    low: float  # at or below this end a value is pinned; minus infinity: there is none
    high: float
    rectified: bool  # whether a unit that is always zero sleeps


def watched_layers(description: NetworkDescription) -> tuple[WatchedLayer, ...]:
    """In the order of computing, of a resolved network."""
    entries, layers = plan(description).layers, description.flat
    readers: dict[int, list[int]] = {}
    for entry in entries:
        for source in entry.sources:
            readers.setdefault(source, []).append(entry.place)
    taken: set[int] = set()
    found = []
    for entry, layer in zip(entries, layers, strict=True):
        weighted = isinstance(layer, _WEIGHTED)
        if not weighted and (entry.place in taken or not isinstance(layer, _ACTIVATIONS)):
            continue
        output = _followed(entry.place, layers, readers) if weighted else entry.place
        taken.update(range(entry.place, output + 1))
        low, high = _ends(layers[output - 1])
        found.append(
            WatchedLayer(
                id=entry.id, weights=f"{entry.id}.weights" if weighted else None, output=output, low=low, high=high,
                rectified=isinstance(layers[output - 1], d.ReLU | d.ClippedReLU | d.HardSwish),
            )
        )  # fmt: skip
    return tuple(found)


def _followed(place: int, layers: tuple[d.Layer, ...], readers: dict[int, list[int]]) -> int:
    """The place of the norm and activation behind a layer, as far as nothing else reads what lies between."""
    while len(readers.get(place, [])) == 1:
        behind = readers[place][0]
        if behind != place + 1 or not isinstance(layers[behind - 1], (d.BatchNorm, *_ACTIVATIONS)):
            break
        place = behind
        if isinstance(layers[behind - 1], _ACTIVATIONS):
            break
    return place


def _ends(layer: d.Layer) -> tuple[float, float]:
    nowhere = float("inf")
    match layer:
        case d.Tanh():
            return -1 + _NEAR, 1 - _NEAR
        case d.Sigmoid() | d.HardSigmoid():
            return _NEAR, 1 - _NEAR
        case d.ClippedReLU():
            return -nowhere, layer.limit * (1 - _NEAR)
        case _:
            return -nowhere, nowhere
