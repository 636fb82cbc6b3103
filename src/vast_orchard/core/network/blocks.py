"""Blocks of a network description: several layers that are set together, and stretches that are repeated."""

from dataclasses import dataclass
from typing import TypeAlias

from vast_orchard.core.network.layers import KINDS, Layer, Node, kind_of

__all__ = [
    "BLOCKS",
    "AttentionBlock",
    "Block",
    "ConvBlock",
    "Head",
    "Part",
    "Repeat",
    "ResidualBlock",
    "SeparableBlock",
    "part_kind",
    "part_kinds",
]


@dataclass(frozen=True, kw_only=True)
class ConvBlock(Node):
    """Convolutions, each with batch normalisation and an activation behind it."""

    channels: int  # of the output
    kernel: int = 3  # side of the square window, pixels
    stride: int = 1  # of the first convolution
    convolutions: int = 1  # 1 to 4
    activation: str = "relu"


@dataclass(frozen=True, kw_only=True)
class ResidualBlock(Node):
    """Two convolutions whose result is added to what came in (He et al. 2016, figure 2).

    Where channels or size change, what came in goes through a 1×1 convolution first, the projection.
    """

    channels: int
    kernel: int = 3
    stride: int = 1  # of the first convolution, and of the projection
    activation: str = "relu"


@dataclass(frozen=True, kw_only=True)
class SeparableBlock(Node):
    """A convolution of each channel alone, then one across channels at each pixel (Howard et al. 2017, figure 3)."""

    channels: int
    kernel: int = 3
    stride: int = 1
    activation: str = "relu"


@dataclass(frozen=True, kw_only=True)
class AttentionBlock(Node):
    """Weighs each channel by what all channels hold over the whole picture (Hu et al. 2018, section 3)."""

    reduction: int = 8  # so many times fewer channels between the two convolutions that find the weights


@dataclass(frozen=True, kw_only=True)
class Head(Node):
    """The end: mean over each map, perhaps a dense layer, dropout, and one value a class."""

    hidden: int = 0  # values of a dense layer before the last; 0 for none
    dropout: float = 0.2  # share of values that are zero while training
    outputs: int = 0  # as of a dense layer: 0 means as many as there are classes


@dataclass(frozen=True, kw_only=True)
class Repeat(Node):
    """A stretch of layers and blocks several times over, each time with weights of its own."""

    times: int = 2  # 1 to 20
    layers: "tuple[Part, ...]" = ()


Block: TypeAlias = ConvBlock | ResidualBlock | SeparableBlock | AttentionBlock | Head
Part: TypeAlias = Layer | Block | Repeat

BLOCKS: dict[str, type[Block] | type[Repeat]] = {
    "conv_block": ConvBlock,
    "residual_block": ResidualBlock,
    "separable_block": SeparableBlock,
    "attention_block": AttentionBlock,
    "head": Head,
    "repeat": Repeat,
}
_NAMES = {kind: name for name, kind in BLOCKS.items()}


def part_kinds() -> dict[str, type[Part]]:
    """Everything that a list of layers can hold, by its kind's name."""
    return {**KINDS, **BLOCKS}


def part_kind(part: Part) -> str:
    """The kind's name in a description."""
    found = _NAMES.get(type(part))  # type: ignore[arg-type]
    return found or kind_of(part)  # type: ignore[arg-type]
