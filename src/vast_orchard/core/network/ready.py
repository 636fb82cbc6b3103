"""Ready networks, open for any pictures and any number of classes."""

from collections.abc import Mapping
from types import MappingProxyType

from vast_orchard.core.network.blocks import ConvBlock, Head, Part, ResidualBlock
from vast_orchard.core.network.description import NetworkDescription
from vast_orchard.core.network.layers import MaxPool
from vast_orchard.errors import SettingError
from vast_orchard.upgrades.network import ready_name

__all__ = ["DEFAULT_NETWORK", "READY_NETWORKS", "ready_network"]


def _plain(*stages: tuple[int, int], last: int, dropout: float) -> tuple[Part, ...]:
    """Blocks of 3×3 convolutions, each halved behind; one more convolution looks at how parts stand to each other."""
    parts: list[Part] = []
    for channels, convolutions in stages:
        parts += [ConvBlock(channels=channels, convolutions=convolutions), MaxPool()]
    return (*parts, ConvBlock(channels=last), Head(dropout=dropout))


def _residual(stem: int, *stages: tuple[int, int], last: int, dropout: float) -> tuple[Part, ...]:
    """A convolution, then residual blocks.

    Maps are halved by pooling, where He et al. 2016 use strides: on 600 pictures of the made-up strokes and things (one
    seed) that erred less than half as often.
    """
    parts: list[Part] = [ConvBlock(channels=stem)]
    for channels, blocks in stages:
        parts += [MaxPool(), *[ResidualBlock(channels=channels)] * blocks]
    if last:
        parts.append(ConvBlock(channels=last))
    return (*parts, Head(dropout=dropout))


# Named for how they are built: the kind of block, and the convolutions on the way from the picture to the head.
READY_NETWORKS: Mapping[str, tuple[Part, ...]] = MappingProxyType(
    {
        "plain 4": _plain((8, 1), (16, 1), (32, 1), last=64, dropout=0.2),
        "plain 5": _plain((16, 1), (32, 1), (48, 1), (64, 1), last=128, dropout=0.2),
        "plain 8": _plain((16, 1), (32, 2), (64, 2), (96, 2), last=128, dropout=0.3),
        "residual 8": _residual(16, (32, 1), (64, 1), (96, 1), last=128, dropout=0.3),
        "residual 9": _residual(16, (32, 1), (64, 1), (128, 1), (256, 1), last=0, dropout=0.3),
        "residual 12": _residual(24, (32, 1), (64, 1), (128, 1), (256, 2), last=256, dropout=0.3),
    }
)
DEFAULT_NETWORK = "plain 8"


def ready_network(name: str) -> NetworkDescription:
    """A ready network, as it is written.

    Raises
    ------
    SettingError
        There is no network of that name.
    """
    name = ready_name(name)
    if name not in READY_NETWORKS:
        raise SettingError(f"There is no network named {name!r}.", f"Choose one of {', '.join(READY_NETWORKS)}.")
    return NetworkDescription(name=name, layers=READY_NETWORKS[name])
