"""Ready networks, whose last layer follows the number of classes."""

from vast_orchard.core.network.description import NetworkDescription
from vast_orchard.core.network.layers import (
    BatchNorm,
    Conv2D,
    Dense,
    Dropout,
    GlobalAveragePool,
    Layer,
    MaxPool,
    ReLU,
)
from vast_orchard.errors import SettingError

__all__ = ["DEFAULT_NETWORK", "READY_NETWORKS", "ready_network"]

# Filters of each block; every block halves the side. Chosen by measurement on the snow crystals (README, "Figures").
READY_NETWORKS: dict[str, tuple[int, ...]] = {"very small": (8, 16, 32), "small": (16, 32, 48, 64)}
DEFAULT_NETWORK = "small"


def ready_network(name: str, input_shape: tuple[int, int, int], classes: int) -> NetworkDescription:
    """Blocks of (3×3 convolution, batch norm, ReLU, 2×2 max pooling), a global average, dropout, one dense layer.

    Raises
    ------
    SettingError
        There is no network of that name, or fewer than two classes.
    """
    if name not in READY_NETWORKS:
        raise SettingError(f"There is no network named {name!r}.", f"Choose one of {', '.join(READY_NETWORKS)}.")
    if classes < 2:
        raise SettingError(
            f"A network needs at least two classes to tell apart, and there are {classes}.",
            "Add pictures of another.",
        )
    layers: list[Layer] = []
    for filters in READY_NETWORKS[name]:
        layers += [Conv2D(filters=filters, bias=False), BatchNorm(), ReLU(), MaxPool()]
    # One more convolution at the coarsest size looks at how parts stand to each other, at little cost.
    layers += [Conv2D(filters=READY_NETWORKS[name][-1] * 2, bias=False), BatchNorm(), ReLU()]
    layers += [GlobalAveragePool(), Dropout(rate=0.2), Dense(units=classes)]
    return NetworkDescription(name=name, input_shape=input_shape, layers=tuple(layers))
