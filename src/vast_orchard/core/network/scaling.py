"""A network made wider or deeper by a factor."""

import itertools
from collections.abc import Sequence
from dataclasses import replace

from vast_orchard.core.network.blocks import ConvBlock, Head, Part, Repeat, ResidualBlock, SeparableBlock
from vast_orchard.core.network.description import NetworkDescription
from vast_orchard.core.network.layers import Conv, Dense
from vast_orchard.errors import SettingError

__all__ = ["scaled"]

# Kernels work on this many channels at a time: anything between costs as much as the next multiple.
_STEP = 4
_LEAST, _MOST = 0.25, 4.0
_MOST_CONVOLUTIONS, _MOST_TIMES = 4, 20


def scaled(description: NetworkDescription, width: float = 1.0, depth: float = 1.0) -> NetworkDescription:
    """The network with so many times the channels, and so many times the blocks that follow each other.

    Channels become a multiple of 4. Deeper are blocks of convolutions, blocks that stand several times in a row, and
    repeated stretches; what is written out layer by layer keeps its layers.

    Parameters
    ----------
    description : NetworkDescription
        Open at its last layer, or resolved: what gives the classes stays as it is.
    width, depth : float
        From a quarter to four times.

    Raises
    ------
    SettingError
        A factor is out of its range.
    """
    for factor in (width, depth):
        if not _LEAST <= factor <= _MOST:
            raise SettingError(
                f"A network {factor:g} times as large is asked for.", f"Give a factor from {_LEAST:g} to {_MOST:g}."
            )
    if width == 1 and depth == 1:
        return description
    parts = _deeper(description.layers, depth) if depth != 1 else description.layers
    wide = [_wider(part, width) for part in parts]
    # What gives the classes has as many outputs as there are, however wide the rest is.
    if parts and isinstance(parts[-1], Dense | Head):
        wide[-1] = replace(wide[-1], outputs=parts[-1].outputs)  # type: ignore[arg-type]
    told = "".join(
        f", {factor:g} times as {word}" for factor, word in ((width, "wide"), (depth, "deep")) if factor != 1
    )
    return replace(description, name=f"{description.name}{told}", layers=tuple(wide))


def _times(value: int, factor: float, step: int = 1) -> int:
    return max(step, step * round(value * factor / step)) if value else 0


def _wider(part: Part, width: float) -> Part:
    match part:
        case Repeat():
            return replace(part, layers=tuple(_wider(inner, width) for inner in part.layers))
        case Conv():
            return replace(part, channels=_times(part.channels, width, max(_STEP, part.groups)))
        case ConvBlock() | ResidualBlock() | SeparableBlock():
            return replace(part, channels=_times(part.channels, width, _STEP))
        case Dense():
            return replace(part, outputs=_times(part.outputs, width, _STEP))
        case Head():
            return replace(part, hidden=_times(part.hidden, width, _STEP))
        case _:
            return part


def _deeper(parts: Sequence[Part], depth: float) -> list[Part]:
    found: list[Part] = []
    for bare, own in itertools.groupby(parts, key=lambda part: replace(part, id="")):
        alike = list(own)
        wanted = _times(len(alike), depth)
        if isinstance(bare, ResidualBlock | SeparableBlock) and not bare.inputs and wanted != len(alike):
            # A block that follows another one like it keeps size and channels, so that it may stand more often.
            more: list[Part] = [replace(bare, stride=1)] * (wanted - len(alike))
            found += [*alike[:wanted], *more]
        else:
            found += [_deeper_alone(part, depth) for part in alike]
    return found


def _deeper_alone(part: Part, depth: float) -> Part:
    match part:
        case ConvBlock():
            return replace(part, convolutions=min(_MOST_CONVOLUTIONS, _times(part.convolutions, depth)))
        case Repeat():
            return replace(part, times=min(_MOST_TIMES, _times(part.times, depth)))
        case _:
            return part
