"""Graphs as other programs write them, made by hand for tests: in either order of channels, with shapes computed."""

from collections.abc import Sequence
from typing import Any

import numpy as np
import onnx
from onnx import TensorProto, helper, numpy_helper

from vast_orchard.core.arrays import Array

__all__ = ["Sketch"]


class Sketch:
    """A graph that grows node by node, each fed by the one before unless it says otherwise."""

    def __init__(
        self, sides: Sequence[int | str] = ("N", 3, 16, 16), seed: int = 0, kind: int = TensorProto.FLOAT
    ) -> None:
        self.random = np.random.default_rng(seed)
        self.sides, self.kind = list(sides), kind
        self.nodes: list[onnx.NodeProto] = []
        self.constants: list[onnx.TensorProto] = []
        self.now = "picture"
        self._count = 0

    def constant(self, values: Any, dtype: Any = np.float32) -> str:
        """A constant; its name."""
        name = f"c{len(self.constants)}"
        self.constants.append(numpy_helper.from_array(np.asarray(values, dtype), name))
        return name

    def weights(self, *shape: int) -> str:
        """Random weights; their name."""
        return self.constant(self.random.normal(0, 1 / np.sqrt(np.prod(shape[1:]) or 1), shape))

    def put(self, kind: str, *more: str, fed: str | None = None, **attributes: Any) -> str:
        """A node; the name of what it makes."""
        self._count += 1
        name = f"v{self._count}"
        inputs = [self.now if fed is None else fed, *more]
        self.nodes.append(helper.make_node(kind, inputs, [name], name=f"{kind.lower()}_{self._count}", **attributes))
        self.now = name
        return name

    def conv(self, made: int, taken: int, kernel: int = 3, *, bias: bool = True, group: int = 1, **more: Any) -> str:
        """A convolution with random weights."""
        extra = [self.constant(self.random.normal(0, 0.1, made))] if bias else []
        return self.put("Conv", self.weights(made, taken // group, kernel, kernel), *extra, group=group, **more)

    def norm(self, channels: int, epsilon: float = 1e-3) -> str:
        """A batch norm with random statistics."""
        numbers: list[Array] = [
            self.random.uniform(0.5, 1.5, channels), self.random.normal(0, 0.3, channels),
            self.random.normal(0, 0.3, channels), self.random.uniform(0.2, 2, channels),
        ]  # fmt: skip
        return self.put("BatchNormalization", *map(self.constant, numbers), epsilon=epsilon)

    def dense(self, made: int, taken: int) -> str:
        """A dense layer as other programs write it: weights turned round."""
        bias = self.constant(self.random.normal(0, 0.1, made))
        return self.put("Gemm", self.weights(made, taken), bias, transB=1)

    def model(self, opset: int = 17, classes: int | str = "K") -> onnx.ModelProto:
        """The whole of it."""
        graph = helper.make_graph(
            self.nodes,
            "sketch",
            [helper.make_tensor_value_info("picture", self.kind, self.sides)],
            [helper.make_tensor_value_info(self.now, TensorProto.FLOAT, ["N", classes])],
            self.constants,
        )
        return helper.make_model(graph, opset_imports=[helper.make_opsetid("", opset)], ir_version=8)

    def bytes(self, opset: int = 17) -> bytes:
        """As a file."""
        return bytes(self.model(opset).SerializeToString())
