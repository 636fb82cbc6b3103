"""The kinds of layers of a network description: what each is, as plain values."""

from dataclasses import dataclass
from typing import TypeAlias

__all__ = [
    "INPUT",
    "KINDS",
    "Add",
    "AveragePool",
    "BatchNorm",
    "ChannelDropout",
    "ClippedReLU",
    "Concat",
    "Conv",
    "Dense",
    "DepthwiseConv",
    "Dropout",
    "Flatten",
    "GlobalAveragePool",
    "HardSigmoid",
    "HardSwish",
    "Layer",
    "LeakyReLU",
    "Log",
    "MaxPool",
    "Multiply",
    "Node",
    "Pad",
    "ReLU",
    "SiLU",
    "Sigmoid",
    "Softmax",
    "Tanh",
    "kind_of",
]

# How a layer names the picture itself among its inputs.
INPUT = "input"


@dataclass(frozen=True, kw_only=True)
class Node:
    """What every layer and block of a description has."""

    id: str = ""  # what other layers and its weights call it; a description gives one to each that has none
    inputs: tuple[str, ...] = ()  # ids of layers, or "input"; empty means the layer before


@dataclass(frozen=True, kw_only=True)
class Conv(Node):
    """Convolution."""

    channels: int  # of the output
    kernel: int = 3  # side of the square window, pixels, 1 to 7
    stride: int = 1  # pixels from one window to the next, 1 to 4
    edge: str = "keep"  # "keep" or "cut"
    dilation: int = 1  # pixels from one value under the kernel to the next
    groups: int = 1  # channels of input and output are divided into so many parts that know nothing of each other
    bias: bool = True
    start: str = "he"  # rule for the first weights, see `parameters`


@dataclass(frozen=True, kw_only=True)
class DepthwiseConv(Node):
    """Convolution of each channel by a filter of its own."""

    kernel: int = 3  # as in Conv
    stride: int = 1
    edge: str = "keep"
    dilation: int = 1
    bias: bool = True
    start: str = "he"


@dataclass(frozen=True, kw_only=True)
class BatchNorm(Node):
    """Batch normalisation per channel."""


@dataclass(frozen=True, kw_only=True)
class ReLU(Node):
    """max(x, 0)."""


@dataclass(frozen=True, kw_only=True)
class LeakyReLU(Node):
    """max(x, slope · x)."""

    slope: float = 0.01  # Maas, Hannun & Ng 2013, section 2


@dataclass(frozen=True, kw_only=True)
class ClippedReLU(Node):
    """min(max(x, 0), limit)."""

    limit: float = 6.0  # Howard et al. 2017 (Krizhevsky 2010, section 2)


@dataclass(frozen=True, kw_only=True)
class SiLU(Node):
    """x · sigmoid(x)."""


@dataclass(frozen=True, kw_only=True)
class Tanh(Node):
    """Hyperbolic tangent."""


@dataclass(frozen=True, kw_only=True)
class Sigmoid(Node):
    """1 / (1 + exp(−x))."""


@dataclass(frozen=True, kw_only=True)
class Softmax(Node):
    """Shares of one over the values, or over the channels of each pixel: exp(x), divided by the sum of all."""


@dataclass(frozen=True, kw_only=True)
class Log(Node):
    """The natural logarithm; what is below 1e-20 counts as that."""


@dataclass(frozen=True, kw_only=True)
class HardSigmoid(Node):
    """min(max(x / 6 + 0.5, 0), 1)."""


@dataclass(frozen=True, kw_only=True)
class HardSwish(Node):
    """x · min(max(x / 6 + 0.5, 0), 1)."""


@dataclass(frozen=True, kw_only=True)
class Pad(Node):
    """A border of zeros."""

    top: int = 1  # pixels of each side, 0 to 16
    bottom: int = 1
    left: int = 1
    right: int = 1


@dataclass(frozen=True, kw_only=True)
class MaxPool(Node):
    """Largest value of each square window."""

    kernel: int = 2  # side, pixels
    stride: int = 0  # pixels from one window to the next; 0 means the kernel, so that windows do not overlap
    edge: str = "cut"  # "keep" or "cut"


@dataclass(frozen=True, kw_only=True)
class AveragePool(Node):
    """Mean of each square window; padding does not count."""

    kernel: int = 2  # as in MaxPool
    stride: int = 0
    edge: str = "cut"


@dataclass(frozen=True, kw_only=True)
class GlobalAveragePool(Node):
    """Mean over height and width."""

    keep_sides: bool = False  # True leaves maps of one pixel, for layers that want maps


@dataclass(frozen=True, kw_only=True)
class Flatten(Node):
    """(H, W, C) to (H·W·C)."""


@dataclass(frozen=True, kw_only=True)
class Dropout(Node):
    """Zeros at random while training."""

    share: float = 0.25  # of values set to zero


@dataclass(frozen=True, kw_only=True)
class ChannelDropout(Node):
    """Whole channels set to zero at random while training."""

    share: float = 0.25  # of channels


@dataclass(frozen=True, kw_only=True)
class Dense(Node):
    """Fully connected."""

    outputs: int = 0  # values; 0 means as many as there are classes
    bias: bool = True
    start: str = "glorot"


@dataclass(frozen=True, kw_only=True)
class Add(Node):
    """Sum of two or more inputs of one shape: the joint of a residual connection."""


@dataclass(frozen=True, kw_only=True)
class Concat(Node):
    """Channels of two or more inputs side by side."""


@dataclass(frozen=True, kw_only=True)
class Multiply(Node):
    """Product of two inputs of one shape, or of maps and, as the second, one number a channel (maps of one pixel)."""


Layer: TypeAlias = (
    Conv
    | DepthwiseConv
    | BatchNorm
    | ReLU
    | LeakyReLU
    | ClippedReLU
    | SiLU
    | Tanh
    | Softmax
    | Log
    | Sigmoid
    | HardSigmoid
    | HardSwish
    | Pad
    | MaxPool
    | AveragePool
    | GlobalAveragePool
    | Flatten
    | Dropout
    | ChannelDropout
    | Dense
    | Add
    | Concat
    | Multiply
)

KINDS: dict[str, type[Layer]] = {
    "conv": Conv,
    "depthwise_conv": DepthwiseConv,
    "batch_norm": BatchNorm,
    "relu": ReLU,
    "leaky_relu": LeakyReLU,
    "clipped_relu": ClippedReLU,
    "silu": SiLU,
    "tanh": Tanh,
    "softmax": Softmax,
    "log": Log,
    "sigmoid": Sigmoid,
    "hard_sigmoid": HardSigmoid,
    "hard_swish": HardSwish,
    "pad": Pad,
    "max_pool": MaxPool,
    "average_pool": AveragePool,
    "global_average_pool": GlobalAveragePool,
    "flatten": Flatten,
    "dropout": Dropout,
    "channel_dropout": ChannelDropout,
    "dense": Dense,
    "add": Add,
    "concat": Concat,
    "multiply": Multiply,
}
_NAMES = {kind: name for name, kind in KINDS.items()}


def kind_of(layer: Layer) -> str:
    """The kind's name in a description."""
    return _NAMES[type(layer)]
