"""`orchard bench`: what the engine does on this machine, beside an independent runtime and in memory."""

import json
import os
import statistics
import sys
import time
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import Annotated, Any

import numpy as np
import typer

from vast_orchard.cli.terminal import console
from vast_orchard.core.arrays import FloatArray
from vast_orchard.core.network import layers as d
from vast_orchard.core.network.description import NetworkDescription
from vast_orchard.core.network.frozen import FrozenNetwork
from vast_orchard.core.network.network import Network
from vast_orchard.core.network.plan import plan
from vast_orchard.core.ops.softmax import softmax_cross_entropy
from vast_orchard.core.pictures.preprocessing import Preprocessing
from vast_orchard.core.pictures.standardise import ChannelStatistics
from vast_orchard.core.team import Team
from vast_orchard.core.training.optimizers import Adam
from vast_orchard.formats.model_file import Model
from vast_orchard.formats.onnx_model import onnx_bytes

__all__ = ["app"]

app = typer.Typer(no_args_is_help=True, help="Measure the engine on this machine.")

_BATCH = 64
_REPEATS = 5
_LEAST_S = 0.4  # of one repeat, so that a short step is repeated until it can be timed
_MATRIX = 2048


def _blocks_32() -> NetworkDescription:
    layers: list[d.Layer] = []
    for filters in (32, 48, 96):
        layers += [d.Conv2D(filters=filters), d.ReLU(), d.Conv2D(filters=filters), d.ReLU(), d.MaxPool()]
    layers += [d.Flatten(), d.Dense(units=128), d.ReLU(), d.Dense(units=8)]
    return NetworkDescription(name="blocks-32", input_shape=(32, 32, 3), layers=tuple(layers))


def _bn_96() -> NetworkDescription:
    layers: list[d.Layer] = []
    for filters in (16, 32, 64, 128):
        layers += [d.Conv2D(filters=filters, bias=False), d.BatchNorm(), d.ReLU()] * 2 + [d.MaxPool()]
    layers += [d.GlobalAveragePool(), d.Dense(units=10)]
    return NetworkDescription(name="bn-96", input_shape=(96, 96, 3), layers=tuple(layers))


def _depthwise_64() -> NetworkDescription:
    layers: list[d.Layer] = [d.Conv2D(filters=32, stride=2, bias=False), d.BatchNorm(), d.ReLU()]
    for filters, stride in ((64, 1), (128, 2), (128, 1), (256, 2)):
        layers += [d.DepthwiseConv2D(stride=stride, bias=False), d.BatchNorm(), d.ReLU()]
        layers += [d.Conv2D(filters=filters, kernel=1, bias=False), d.BatchNorm(), d.ReLU()]
    layers += [d.GlobalAveragePool(), d.Dense(units=10)]
    return NetworkDescription(name="depthwise-64", input_shape=(64, 64, 3), layers=tuple(layers))


def _tiny_28() -> NetworkDescription:
    layers: list[d.Layer] = []
    for filters in (16, 32):
        layers += [d.Conv2D(filters=filters), d.ReLU(), d.MaxPool()]
    layers += [d.Flatten(), d.Dense(units=10)]
    return NetworkDescription(name="tiny-28", input_shape=(28, 28, 1), layers=tuple(layers))


_NETWORKS = (_blocks_32, _bn_96, _depthwise_64, _tiny_28)


@dataclass(frozen=True, kw_only=True)
class _Sides:
    """What is timed for one network; each call does one batch."""

    train: Callable[[], object]
    infer: Callable[[], object]
    runtime: Callable[[], object]


def _runtime(network: Network, threads: int, pixels: Any) -> Callable[[], object]:
    import onnxruntime  # noqa: PLC0415 - for measurements only, and slow to import

    height, _, channels = network.description.input_shape
    model = Model(
        description=network.description,
        weights=network.state(),
        classes=tuple(f"class {n}" for n in range(network.classes)),
        preprocessing=Preprocessing(size=height, colour="rgb" if channels == 3 else "grey"),
        statistics=ChannelStatistics(mean=(127.5,) * channels, deviation=(73.6,) * channels),
    )
    options = onnxruntime.SessionOptions()
    options.intra_op_num_threads = threads
    options.graph_optimization_level = onnxruntime.GraphOptimizationLevel.ORT_ENABLE_ALL
    session = onnxruntime.InferenceSession(onnx_bytes(model), options, providers=["CPUExecutionProvider"])
    return lambda: session.run(["probabilities"], {"pixels": pixels})


def _sides(description: NetworkDescription, team: Team) -> _Sides:
    random = np.random.default_rng(0)
    network = Network(description, 0, team=team)
    pixels = random.integers(0, 256, (_BATCH, *description.input_shape), dtype=np.uint8)
    x = ((pixels.astype(np.float32) - 127.5) / 73.6).astype(np.float32)
    targets = np.eye(network.classes, dtype=np.float32)[random.integers(0, network.classes, _BATCH)]
    optimizer = Adam()
    frozen = FrozenNetwork(network, team)

    def step() -> None:
        logits = network.forward(x, random)
        _, gradient = softmax_cross_entropy(logits, targets)
        network.backward(gradient)
        optimizer.step(network.parameters, network.gradients, 1e-4)

    return _Sides(
        train=step, infer=lambda: frozen.probabilities(x), runtime=_runtime(network, team.threads, pixels)
    )


def _rate(work: Callable[[], object]) -> float:
    """Calls a second, over at least `_LEAST_S`."""
    began, calls = time.perf_counter(), 0
    while (spent := time.perf_counter() - began) < _LEAST_S or not calls:
        work()
        calls += 1
    return calls / spent


def _measure(description: NetworkDescription, team: Team) -> dict[str, Any]:
    sides = _sides(description, team)
    names = ("train", "infer", "runtime")
    for name in names:
        for _ in range(2):
            getattr(sides, name)()
    found: dict[str, list[float]] = {name: [] for name in names}
    for _ in range(_REPEATS):
        for name in names:
            found[name].append(_rate(getattr(sides, name)) * _BATCH)
    medians = {name: statistics.median(values) for name, values in found.items()}
    return {
        "name": description.name,
        **{f"{name}_images_per_s": round(value, 1) for name, value in medians.items()},
        "train_ratio": round(medians["train"] / medians["runtime"], 3),
        "infer_ratio": round(medians["infer"] / medians["runtime"], 3),
        "multiply_adds": plan(description).multiply_adds,
    }


def _matmul_gflops() -> float:
    a: FloatArray = np.random.default_rng(0).standard_normal((_MATRIX, _MATRIX), np.float32)
    out = np.empty_like(a)
    return statistics.median(_rate(lambda: np.matmul(a, a, out=out)) for _ in range(_REPEATS)) * 2 * _MATRIX**3 / 1e9
