"""Compiles every kernel of the engine, by one step of a network that uses them all."""

from collections.abc import Callable
from typing import Any

import numpy as np
from numba.core.dispatcher import Dispatcher

from vast_orchard.core.network import layers as d
from vast_orchard.core.network.description import NetworkDescription
from vast_orchard.core.network.network import Network
from vast_orchard.core.ops import (
    _batch_norm_kernels,
    _conv2d_kernels,
    _elementwise_kernels,
    _pooling_kernels,
    _winograd_kernels,
)
from vast_orchard.core.pictures import _alignment_kernels, _picture_kernels, _vary_kernels
from vast_orchard.core.pictures.alignment import align, concordance
from vast_orchard.core.pictures.standardise import channel_statistics
from vast_orchard.core.pictures.variation import Variation
from vast_orchard.core.training import _optimizer_kernels
from vast_orchard.core.training.loop import train
from vast_orchard.core.training.settings import OptimizerName, TrainingSettings
from vast_orchard.core.training.values import Examples
from vast_orchard.core.watching import _record_kernels
from vast_orchard.core.watching.watch import Watch

__all__ = ["kernels", "warm_up"]

_MODULES = (
    _alignment_kernels,
    _batch_norm_kernels,
    _conv2d_kernels,
    _elementwise_kernels,
    _optimizer_kernels,
    _picture_kernels,
    _pooling_kernels,
    _record_kernels,
    _vary_kernels,
    _winograd_kernels,
)

_EVERYTHING = NetworkDescription(
    name="everything",
    input_shape=(8, 8, 3),
    layers=(
        d.Conv(channels=4),
        d.BatchNorm(),
        d.ReLU(),
        d.DepthwiseConv(),
        d.ReLU(),
        d.MaxPool(),
        d.AveragePool(),
        d.Conv(channels=32),
        d.ReLU(),
        d.Conv(channels=32),
        d.GlobalAveragePool(),
        d.Dense(outputs=2),
    ),
)


def kernels() -> dict[str, Any]:
    """Every compiled function that is called from outside its module, by module and name."""
    return {
        f"{module.__name__}.{name}": value
        for module in _MODULES
        for name, value in vars(module).items()
        if isinstance(value, Dispatcher) and not name.startswith("_")
    }


def warm_up(report: Callable[[int, int], None] = lambda done, total: None) -> None:
    """Compile, or load what was compiled before.

    Parameters
    ----------
    report : callable
        Told now and then how many of how many kernels are ready.
    """
    random = np.random.default_rng(0)
    examples = Examples(
        pixels=random.integers(0, 256, (4, 8, 8, 3), dtype=np.uint8),
        labels=np.array([0, 1, 0, 1]),
        identities=np.arange(4, dtype=np.uint64),
    )
    statistics, variation, watch = channel_statistics(examples.pixels), Variation(), Watch(every=1)
    every = kernels()
    pair = np.zeros((1, 3, 8, 8), np.float32)
    concordance(pair, pair, align(pair[:, 0], pair[:, 0]))
    for optimizer in OptimizerName:
        settings = TrainingSettings(epochs=1, batch_size=4, optimizer=optimizer, clip_norm=1e-3)
        network = Network(_EVERYTHING)
        for _result in train(network, examples, examples, statistics, variation, settings, watch=watch):
            report(sum(bool(kernel.signatures) for kernel in every.values()), len(every))
