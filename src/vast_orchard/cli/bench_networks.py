"""The networks that the engine is measured with."""

from vast_orchard.core.network import layers as d
from vast_orchard.core.network.description import NetworkDescription

__all__ = ["NETWORKS", "blocks_32", "bn_96", "depthwise_64", "tiny_28"]


def blocks_32() -> NetworkDescription:
    layers: list[d.Layer] = []
    for filters in (32, 48, 96):
        layers += [d.Conv(channels=filters), d.ReLU(), d.Conv(channels=filters), d.ReLU(), d.MaxPool()]
    layers += [d.Flatten(), d.Dense(outputs=128), d.ReLU(), d.Dense(outputs=8)]
    return NetworkDescription(name="blocks-32", input_shape=(32, 32, 3), layers=tuple(layers))


def bn_96() -> NetworkDescription:
    layers: list[d.Layer] = []
    for filters in (16, 32, 64, 128):
        for _ in range(2):
            layers += [d.Conv(channels=filters, bias=False), d.BatchNorm(), d.ReLU()]
        layers.append(d.MaxPool())
    layers += [d.GlobalAveragePool(), d.Dense(outputs=10)]
    return NetworkDescription(name="bn-96", input_shape=(96, 96, 3), layers=tuple(layers))


def depthwise_64() -> NetworkDescription:
    layers: list[d.Layer] = [d.Conv(channels=32, stride=2, bias=False), d.BatchNorm(), d.ReLU()]
    for filters, stride in ((64, 1), (128, 2), (128, 1), (256, 2)):
        layers += [d.DepthwiseConv(stride=stride, bias=False), d.BatchNorm(), d.ReLU()]
        layers += [d.Conv(channels=filters, kernel=1, bias=False), d.BatchNorm(), d.ReLU()]
    layers += [d.GlobalAveragePool(), d.Dense(outputs=10)]
    return NetworkDescription(name="depthwise-64", input_shape=(64, 64, 3), layers=tuple(layers))


def tiny_28() -> NetworkDescription:
    layers: list[d.Layer] = []
    for filters in (16, 32):
        layers += [d.Conv(channels=filters), d.ReLU(), d.MaxPool()]
    layers += [d.Flatten(), d.Dense(outputs=10)]
    return NetworkDescription(name="tiny-28", input_shape=(28, 28, 1), layers=tuple(layers))


NETWORKS = (blocks_32, bn_96, depthwise_64, tiny_28)
