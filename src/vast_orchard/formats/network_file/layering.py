"""The layers that a graph becomes, as they are added one by one, with their weights."""

from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from typing import TypeVar

import numpy as np

from vast_orchard.core.arrays import Array, FloatArray
from vast_orchard.core.network import layers as d
from vast_orchard.core.ops.batch_norm import EPSILON

__all__ = ["Layering"]

L = TypeVar("L", bound=d.Layer)


@dataclass
class Layering:
    """Layers in their order, and their weights by `id.name`."""

    layers: list[d.Layer] = field(default_factory=list)
    weights: dict[str, Array] = field(default_factory=dict)
    _counts: dict[str, int] = field(default_factory=dict)

    def add(self, layer: d.Layer, inputs: Sequence[str], numbers: dict[str, Array] | None = None) -> str:
        """Put a layer at the end; its id."""
        kind = d.kind_of(layer)
        self._counts[kind] = self._counts.get(kind, 0) + 1
        name = f"{kind}_{self._counts[kind]}"
        before = self.layers[-1].id if self.layers else d.INPUT
        # What is fed by the layer before says nothing, as a person would write it.
        fed = () if tuple(inputs) == (before,) else tuple(inputs)
        self.layers.append(replace(layer, id=name, inputs=fed))
        for key, value in (numbers or {}).items():
            self.weights[f"{name}.{key}"] = np.ascontiguousarray(value, np.float32)
        return name

    def last(self, name: str) -> d.Layer | None:
        """The layer of that id, if it is the last one."""
        return self.layers[-1] if self.layers and self.layers[-1].id == name else None

    def find(self, name: str) -> d.Layer | None:
        """The layer of that id."""
        return next((layer for layer in self.layers if layer.id == name), None)

    def fold(self, name: str, times: FloatArray, plus: FloatArray) -> bool:
        """Lay a step by channel into the weights of the layer whose values it changes; False where it has none."""
        layer = self.find(name)
        if not isinstance(layer, d.Conv | d.DepthwiseConv | d.Dense):
            return False
        weights = self.weights[f"{name}.weights"].astype(np.float64)
        bias = self.weights.get(f"{name}.bias", np.zeros(weights.shape[-1])).astype(np.float64)
        self.weights[f"{name}.weights"] = (weights * times).astype(np.float32)
        self.weights[f"{name}.bias"] = (bias * times + plus).astype(np.float32)
        self.layers[self.layers.index(layer)] = replace(layer, bias=True)
        return True

    def scale(self, name: str, times: FloatArray, plus: FloatArray) -> str:
        """A batch norm that multiplies and adds by channel."""
        numbers = {
            "gamma": times, "beta": plus, "mean": np.zeros(len(times)), "variance": np.full(len(times), 1 - EPSILON)
        }  # fmt: skip
        return self.add(d.BatchNorm(), [name], numbers)
