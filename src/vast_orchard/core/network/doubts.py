"""What is doubtful in a network that holds together: it can be trained, and will hardly learn what it is meant to."""

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass

from vast_orchard.core.network import layers as d
from vast_orchard.core.network.description import NetworkDescription
from vast_orchard.core.network.expansion import Line
from vast_orchard.core.network.plan import LayerPlan, NetworkPlan
from vast_orchard.core.network.repairs import Repair, Set, put_before, set_to

__all__ = ["Doubt", "doubts_of"]

# Limits of good sense and no laws; each stands in the words of its doubt, so that a person can judge it.
_FIELD_SHARE = 0.5
_DENSE_SHARE, _DENSE_LEAST = 0.6, 20_000
_PARAMETERS_A_PICTURE = 2_000
_MOST_DROPPED, _LEAST_KEPT = 0.6, 0.3
_LARGEST_LAST_MAP = 16


@dataclass(frozen=True, kw_only=True)
class Doubt:
    """One thing to think about, with its reason."""

    line: Line | None  # None: it is about all of it
    what: str
    why: str
    repair: Repair | None = None


@dataclass(frozen=True, kw_only=True)
class _Network:
    description: NetworkDescription
    layers: Sequence[d.Layer]
    entries: Sequence[LayerPlan]
    pictures: int

    def shape_before(self, entry: LayerPlan) -> tuple[int, ...]:
        source = entry.sources[0]
        return self.entries[source - 1].shape if source else self.description.input_shape

    def layer_before(self, entry: LayerPlan) -> d.Layer | None:
        source = entry.sources[0]
        return self.layers[source - 1] if source else None


def doubts_of(description: NetworkDescription, planned: NetworkPlan, pictures: int) -> tuple[Doubt, ...]:
    """Everything doubtful, in the order of the lines, what is about all of the network first.

    Parameters
    ----------
    description : NetworkDescription
        Resolved.
    planned : NetworkPlan
    pictures : int
        That it is to learn from; 0 if there are none yet.
    """
    network = _Network(description=description, layers=description.flat, entries=planned.layers, pictures=pictures)
    found: dict[tuple[Line | None, str], Doubt] = {}
    for look in _LOOKS:
        for doubt in look(network):
            # A stretch that is repeated has the same doubt each time.
            found.setdefault((doubt.line, doubt.what), doubt)
    return tuple(sorted(found.values(), key=lambda doubt: doubt.line or ()))


def _shrinking_edges(network: _Network) -> Iterator[Doubt]:
    for entry, layer in zip(network.entries, network.layers, strict=True):
        before = network.shape_before(entry)
        if isinstance(layer, d.Conv | d.DepthwiseConv) and layer.edge == "cut" and layer.kernel > 1:
            yield Doubt(
                line=entry.line,
                what=f"The edge is cut: {_side(before)} become {_side(entry.shape)}.",
                why="Windows that would reach over the edge are left out, so every such layer makes the maps smaller "
                "and sees less of what lies at the rim.",
                repair=set_to("edge", "keep"),
            )
        if isinstance(layer, d.MaxPool | d.AveragePool) and layer.edge == "cut":
            stride = layer.stride or layer.kernel
            left = [(side - layer.kernel) % stride for side in before[:2]]
            if any(left):
                yield Doubt(
                    line=entry.line,
                    what=f"The last {max(left)} of {before[0]} rows and columns are not seen.",
                    why="The windows do not come out even, and what is left at the lower right edge is dropped.",
                    repair=set_to("edge", "keep"),
                )


def _small_field(network: _Network) -> Iterator[Doubt]:
    maps = [entry for entry in network.entries if len(entry.shape) == 3 and entry.shape[:2] != (1, 1)]
    side = max(network.description.input_shape[:2])
    if maps and maps[-1].receptive_field < _FIELD_SHARE * side:
        yield Doubt(
            line=None,
            what=f"A value of the last maps sees {maps[-1].receptive_field} of {side} pixels.",
            why="How parts that lie further apart stand to each other cannot be learnt. More pooling, strides, or "
            "convolutions see more.",
        )


def _large_dense(network: _Network) -> Iterator[Doubt]:
    whole = sum(entry.parameters for entry in network.entries)
    for entry, layer in zip(network.entries, network.layers, strict=True):
        if not isinstance(layer, d.Dense) or entry.parameters < max(_DENSE_LEAST, _DENSE_SHARE * whole):
            continue
        flat = isinstance(network.layer_before(entry), d.Flatten)
        yield Doubt(
            line=entry.line,
            what=f"This layer holds {entry.parameters / whole:.0%} of all parameters.",
            why="It learns pictures by heart rather than what they have in common"
            + (": a mean over each map in the place of the flattening leaves it few." if flat else "."),
        )


def _too_many_parameters(network: _Network) -> Iterator[Doubt]:
    whole = sum(entry.parameters for entry in network.entries)
    if network.pictures and whole > _PARAMETERS_A_PICTURE * network.pictures:
        yield Doubt(
            line=None,
            what=f"There are {whole / network.pictures:,.0f} parameters for each of {network.pictures:,} pictures.",
            why=f"With more than about {_PARAMETERS_A_PICTURE:,} a network can learn the pictures by heart: fewer "
            "channels, more pictures, variation, or stronger dropout help.",
        )


def _nothing_between(network: _Network) -> Iterator[Doubt]:
    readers: dict[int, int] = {}
    for entry in network.entries:
        for source in entry.sources:
            readers[source] = readers.get(source, 0) + 1
    for entry, layer in zip(network.entries, network.layers, strict=True):
        before = network.layer_before(entry)
        twice = isinstance(layer, d.Conv | d.DepthwiseConv) and isinstance(before, d.Conv | d.DepthwiseConv)
        twice |= isinstance(layer, d.Dense) and isinstance(before, d.Dense)
        # A convolution of each channel and one across channels are meant as one; what parts is a projection.
        meant = isinstance(before, d.DepthwiseConv) or readers[entry.sources[0]] > 1 or not entry.sources[0]
        if twice and not meant:
            yield Doubt(
                line=entry.line,
                what="Nothing stands between this layer and the one before.",
                why="Two of them in a row can do no more than one: an activation between them makes the difference.",
                repair=put_before(d.ReLU(), "Put a ReLU before it"),
            )


def _dropout(network: _Network) -> Iterator[Doubt]:
    kept = 1.0
    for entry, layer in zip(network.entries, network.layers, strict=True):
        if isinstance(layer, d.BatchNorm) and isinstance(network.layer_before(entry), d.Dropout | d.ChannelDropout):
            yield Doubt(
                line=entry.line,
                what="Dropout stands just before this normalisation.",
                why="Dropout changes how far values spread while training and not afterwards, so the statistics that "
                "are kept do not fit the answers (Li et al. 2019). It does good behind the last normalisation.",
            )
        if isinstance(layer, d.Dropout | d.ChannelDropout):
            kept *= 1 - layer.share
            if layer.share > _MOST_DROPPED:
                yield Doubt(
                    line=entry.line,
                    what=f"{layer.share:.0%} of the values are dropped.",
                    why="With more than 60 % even the training pictures are hardly learnt.",
                    repair=_gentler(entry, network),
                )
    if kept < _LEAST_KEPT and all(
        layer.share <= _MOST_DROPPED for layer in network.layers if isinstance(layer, d.Dropout | d.ChannelDropout)
    ):
        yield Doubt(
            line=None,
            what=f"All dropouts together leave {kept:.0%} of the values.",
            why="So little hardly lets even the training pictures be learnt: fewer of them, or smaller shares.",
        )


def _gentler(entry: LayerPlan, network: _Network) -> Repair:
    """A share of a half, by the name that it has on its line."""
    part = network.description.layers[entry.line[0]]
    name = "dropout" if hasattr(part, "dropout") else "share"
    return Repair(words=f"Set {name} to 0.5", steps=(Set(name=name, value=0.5),))


def _thrown_together(network: _Network) -> Iterator[Doubt]:
    for entry, layer in zip(network.entries, network.layers, strict=True):
        before = network.shape_before(entry)
        side = max(before[:2]) if len(before) == 3 else 0
        whole = isinstance(layer, d.GlobalAveragePool) and not layer.keep_sides
        slid = _slides(layer) and max(entry.shape[:2]) == 1
        if side > _LARGEST_LAST_MAP and (whole or slid):
            yield Doubt(
                line=entry.line,
                what=f"Maps of {_side(before)} are thrown together into one pixel.",
                why="Where in the picture something stands is lost in one step: pooling or strides before it let the "
                "network put small things together to larger ones first.",
                repair=put_before(d.MaxPool(), "Put a pooling before it") if whole else None,
            )


def _slides(layer: d.Layer) -> bool:
    return isinstance(layer, d.Conv | d.DepthwiseConv | d.MaxPool | d.AveragePool)


def _side(shape: Sequence[int]) -> str:
    return f"{shape[0]}×{shape[1]}"


_LOOKS: tuple[Callable[[_Network], Iterator[Doubt]], ...] = (
    _small_field,
    _too_many_parameters,
    _shrinking_edges,
    _large_dense,
    _nothing_between,
    _dropout,
    _thrown_together,
)
