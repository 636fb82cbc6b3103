"""From layers and blocks as they are written to the layers that are computed, with the line that each came from."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import TypeAlias

from vast_orchard.core.network import layers as d
from vast_orchard.core.network.blocks import (
    AttentionBlock,
    ConvBlock,
    Head,
    Part,
    Repeat,
    ResidualBlock,
    SeparableBlock,
    part_kind,
)
from vast_orchard.core.network.repairs import JOIN_FIRST, Repair, set_to
from vast_orchard.errors import DescriptionError

__all__ = ["ACTIVATIONS", "MOST_LAYERS", "Expanded", "Line", "check_range", "expand", "mistake"]

# Where a part stands: its place in the list, and within a repeated stretch its place there, each from 0.
Line: TypeAlias = tuple[int, ...]

# What may stand behind the convolutions of a block.
ACTIVATIONS: dict[str, type[d.ReLU | d.LeakyReLU | d.ClippedReLU | d.SiLU | d.HardSwish]] = {
    "relu": d.ReLU,
    "leaky_relu": d.LeakyReLU,
    "clipped_relu": d.ClippedReLU,
    "silu": d.SiLU,
    "hard_swish": d.HardSwish,
}
# Far more than fits into a training on this kind of machine; a bound, so that a list cannot grow without end.
MOST_LAYERS = 1000


@dataclass(frozen=True, kw_only=True)
class Expanded:
    """Layers that are computed, and from which line of the list each came; up to a mistake, if there is one."""

    layers: tuple[d.Layer, ...]
    lines: tuple[Line, ...]
    mistake: DescriptionError | None = None  # a block's number is out of its range, or there are too many layers


def expand(parts: Sequence[Part], channels: int) -> Expanded:
    """Blocks as their layers, and repeated stretches written out.

    A layer of a block is called by the block's id and what it does there; one of a stretch has the number of the time
    behind its id. A name among `inputs` means the last layer so far that goes by it: of a block its output, of a
    stretch what came from it the last time.

    Parameters
    ----------
    parts : sequence of Part
        Each with an id.
    channels : int
        Of the picture; 0 where it is open.
    """
    made, wrong = _Expansion(channels), None
    try:
        for place, part in enumerate(parts):
            made.add(part, (place,), "")
    except DescriptionError as error:
        wrong = error
    return Expanded(layers=tuple(made.layers), lines=tuple(made.lines), mistake=wrong)


class _Expansion:
    def __init__(self, channels: int) -> None:
        self.layers: list[d.Layer] = []
        self.lines: list[Line] = []
        self._names = {d.INPUT: d.INPUT}  # by the name in the list: the layer that it means so far
        self._channels = {d.INPUT: channels}  # that come out of a layer; 0 where that is not known
        self._last = d.INPUT

    def add(self, part: Part, line: Line, time: str) -> None:
        inputs = tuple(self._names.get(name, name) for name in part.inputs)
        called = part.id + time
        if isinstance(part, Repeat):
            self._repeat(part, line, time)
        elif isinstance(part, ConvBlock | ResidualBlock | SeparableBlock | AttentionBlock | Head):
            self._block(replace(part, id=called, inputs=inputs), line)
        else:
            self._put(replace(part, id=called, inputs=inputs), line)
        self._names[part.id] = self._last

    def _repeat(self, part: Repeat, line: Line, time: str) -> None:
        if part.inputs:
            repair = set_to("inputs", ())
            raise mistake(line, "is a stretch with inputs", "Name them at its first layer.", repair)
        check_range(line, "times", part.times, 1, 20)
        for number in range(1, part.times + 1):
            for place, inner in enumerate(part.layers):
                self.add(inner, (*line, place), f"{time}_{number}")

    def _put(self, layer: d.Layer, line: Line) -> None:
        if len(self.layers) >= MOST_LAYERS:
            raise mistake(line, f"makes more than {MOST_LAYERS} layers", "Take some out, or repeat fewer times.")
        if layer.inputs == (self._last,):
            layer = replace(layer, inputs=())  # said the shorter way, as of a list without blocks
        self.layers.append(layer)
        self.lines.append(line)
        self._channels[layer.id] = self._channels_of(layer)
        self._last = layer.id

    def _channels_of(self, layer: d.Layer) -> int:
        given = [self._channels.get(name, 0) for name in layer.inputs or (self._last,)]
        match layer:
            case d.Conv():
                return layer.channels
            case d.Concat():
                return sum(given) if all(given) else 0
            case d.Dense() | d.Flatten():
                return 0
            case _:
                return given[0]

    def _block(self, block: Part, line: Line) -> None:
        source = (block.inputs or (self._last,))[0]
        if len(block.inputs) > 1:
            what = f"({part_kind(block)}) has several inputs"
            raise mistake(line, what, "Join them by add or concat first.", JOIN_FIRST)
        match block:
            case ConvBlock():
                check_range(line, "convolutions", block.convolutions, 1, 4)
                for number in range(1, block.convolutions + 1):
                    fed, stride = ((source,), block.stride) if number == 1 else ((), 1)
                    self._convolve(block, line, f"{number}", fed, stride)
                    self._activate(block, line, f"{number}")
            case ResidualBlock():
                self._residual(block, line, source)
            case SeparableBlock():
                depthwise = d.DepthwiseConv(
                    id=f"{block.id}_depthwise", inputs=(source,), kernel=block.kernel, stride=block.stride, bias=False
                )
                self._put(depthwise, line)
                self._put(d.BatchNorm(id=f"{block.id}_norm_1"), line)
                self._activate(block, line, "1")
                self._put(d.Conv(id=f"{block.id}_pointwise", channels=block.channels, kernel=1, bias=False), line)
                self._put(d.BatchNorm(id=f"{block.id}_norm_2"), line)
                self._activate(block, line, "2")
            case AttentionBlock():
                self._attend(block, line, source)
            case Head():
                self._end(block, line, source)

    def _convolve(
        self, block: ConvBlock | ResidualBlock, line: Line, role: str, inputs: tuple[str, ...], stride: int
    ) -> None:
        conv = d.Conv(
            id=f"{block.id}_conv_{role}",
            inputs=inputs,
            channels=block.channels,
            kernel=block.kernel,
            stride=stride,
            bias=False,  # batch norm's shift does the same
        )
        self._put(conv, line)
        self._put(d.BatchNorm(id=f"{block.id}_norm_{role}"), line)

    def _activate(self, block: ConvBlock | ResidualBlock | SeparableBlock, line: Line, role: str) -> None:
        kind = ACTIVATIONS.get(block.activation)
        if kind is None:
            mend = f"Choose one of {', '.join(ACTIVATIONS)}."
            raise mistake(line, f"has activation {block.activation!r}", mend, set_to("activation", "relu"))
        self._put(kind(id=f"{block.id}_act_{role}"), line)

    def _residual(self, block: ResidualBlock, line: Line, source: str) -> None:
        changes = block.stride != 1 or self._channels.get(source, 0) != block.channels
        self._convolve(block, line, "1", (source,), block.stride)
        self._activate(block, line, "1")
        self._convolve(block, line, "2", (), 1)
        short = source
        if changes:
            short = f"{block.id}_projection_norm"
            projection = d.Conv(
                id=f"{block.id}_projection",
                inputs=(source,),
                channels=block.channels,
                kernel=1,
                stride=block.stride,
                bias=False,
            )
            self._put(projection, line)
            self._put(d.BatchNorm(id=short), line)
        self._put(d.Add(id=f"{block.id}_sum", inputs=(f"{block.id}_norm_2", short)), line)
        self._activate(block, line, "2")

    def _attend(self, block: AttentionBlock, line: Line, source: str) -> None:
        check_range(line, "reduction", block.reduction, 1, 64)
        channels = max(1, self._channels.get(source, 0))
        fewer = max(1, channels // block.reduction)
        self._put(d.GlobalAveragePool(id=f"{block.id}_mean", inputs=(source,), keep_sides=True), line)
        self._put(d.Conv(id=f"{block.id}_fewer", channels=fewer, kernel=1), line)
        self._put(d.ReLU(id=f"{block.id}_act"), line)
        self._put(d.Conv(id=f"{block.id}_weights", channels=channels, kernel=1, start="glorot"), line)
        self._put(d.Sigmoid(id=f"{block.id}_gate"), line)
        self._put(d.Multiply(id=f"{block.id}_weighed", inputs=(source, f"{block.id}_gate")), line)

    def _end(self, block: Head, line: Line, source: str) -> None:
        check_range(line, "hidden", block.hidden, 0, 65536)
        check_range(line, "dropout", block.dropout, 0, 0.95)
        self._put(d.GlobalAveragePool(id=f"{block.id}_mean", inputs=(source,)), line)
        if block.hidden:
            self._put(d.Dense(id=f"{block.id}_hidden", outputs=block.hidden, start="he"), line)
            self._put(d.ReLU(id=f"{block.id}_act"), line)
        if block.dropout:
            self._put(d.Dropout(id=f"{block.id}_dropout", share=block.dropout), line)
        self._put(d.Dense(id=f"{block.id}_classes", outputs=block.outputs), line)


def mistake(line: Line, what: str, mend: str, repair: Repair | None = None) -> DescriptionError:
    """What is wrong with what stands at a line of the list."""
    where = ".".join(str(place + 1) for place in line)
    return DescriptionError(f"Layer {where} {what}.", mend, line=line, repair=repair)


def check_range(line: Line, name: str, value: float, low: float, high: float) -> None:
    """Raise a mistake unless a line's number is within its range."""
    if not low <= value <= high:
        nearest = min(max(value, low), high)
        raise mistake(line, f"has {name} {value}", f"Choose from {low} to {high}.", set_to(name, nearest))
