"""Ready networks, open for any pictures and any number of classes."""

from dataclasses import dataclass

from vast_orchard.core.network.blocks import ConvBlock, Head, Part
from vast_orchard.core.network.description import NetworkDescription
from vast_orchard.core.network.layers import MaxPool
from vast_orchard.errors import SettingError

__all__ = ["DEFAULT_NETWORK", "READY_NETWORKS", "ready_network"]


@dataclass(frozen=True, kw_only=True)
class _Shape:
    """A network of blocks; each block halves the side."""

    blocks: tuple[tuple[int, int], ...]  # channels and number of 3×3 convolutions of each
    last: int  # channels of one more convolution at the coarsest size, which looks at how parts stand to each other
    dropout: float


# Chosen by measurement on the snow crystals (README, "Figures").
READY_NETWORKS: dict[str, _Shape] = {
    "very small": _Shape(blocks=((8, 1), (16, 1), (32, 1)), last=64, dropout=0.2),
    "small": _Shape(blocks=((16, 1), (32, 1), (48, 1), (64, 1)), last=128, dropout=0.2),
    "medium": _Shape(blocks=((16, 1), (32, 2), (64, 2), (96, 2)), last=128, dropout=0.3),
}
DEFAULT_NETWORK = "medium"


def ready_network(name: str) -> NetworkDescription:
    """Blocks of 3×3 convolutions, each followed by 2×2 max pooling; one more convolution, and the head.

    Raises
    ------
    SettingError
        There is no network of that name.
    """
    if name not in READY_NETWORKS:
        raise SettingError(f"There is no network named {name!r}.", f"Choose one of {', '.join(READY_NETWORKS)}.")
    shape = READY_NETWORKS[name]
    parts: list[Part] = []
    for channels, convolutions in shape.blocks:
        parts += [ConvBlock(channels=channels, convolutions=convolutions), MaxPool()]
    parts += [ConvBlock(channels=shape.last), Head(dropout=shape.dropout)]
    return NetworkDescription(name=name, layers=tuple(parts))
