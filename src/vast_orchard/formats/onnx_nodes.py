"""The network's layers as nodes of an ONNX graph."""

import numpy as np
import onnx
from onnx import helper, numpy_helper

from vast_orchard.core.arrays import Array
from vast_orchard.core.network import layers as d
from vast_orchard.core.network.plan import Shape, window_of
from vast_orchard.core.ops.batch_norm import EPSILON
from vast_orchard.core.ops.shares import LEAST

__all__ = ["Graph", "add_layer", "pads_of"]


class Graph:
    """Nodes and constants as they are added. Pictures are channels-first as ONNX wants them, features (N, F)."""

    def __init__(self) -> None:
        self.nodes: list[onnx.NodeProto] = []
        self.constants: list[onnx.TensorProto] = []

    def constant(self, name: str, array: Array) -> str:
        """A constant of this name."""
        self.constants.append(numpy_helper.from_array(np.ascontiguousarray(array), name))
        return name

    def node(self, kind: str, name: str, *inputs: str, **attributes: object) -> str:
        """A node of this name, which is also that of what it gives."""
        self.nodes.append(helper.make_node(kind, list(inputs), [name], name=name, **attributes))
        return name


def pads_of(layer: d.Layer, shape: Shape) -> dict[str, list[int]]:
    """What ONNX asks of a sliding window over pictures of `shape`."""
    window = window_of(layer)
    (top, bottom), (left, right) = (axis.pads(n) for axis, n in zip(window, shape[:2], strict=True))
    return {
        "kernel_shape": [axis.size for axis in window],
        "strides": [axis.stride for axis in window],
        "pads": [top, left, bottom, right],
    }


def _add_convolution(
    graph: Graph, layer: d.Conv | d.DepthwiseConv, name: str, x: str, shape: Shape, weights: dict[str, Array]
) -> None:
    inputs = [graph.constant(f"{name}.weights", weights["weights"].transpose(3, 2, 0, 1))]
    if layer.bias:
        inputs.append(graph.constant(f"{name}.bias", weights["bias"]))
    groups = layer.groups if isinstance(layer, d.Conv) else shape[2]
    graph.node("Conv", name, x, *inputs, group=groups, dilations=[layer.dilation] * 2, **pads_of(layer, shape))


def add_layer(graph: Graph, layer: d.Layer, name: str, x: list[str], shape: Shape, weights: dict[str, Array]) -> None:
    """One layer as nodes; `x` are the values that it takes, `shape` that of the first without the batch axis."""
    match layer:
        case d.Conv() | d.DepthwiseConv():
            _add_convolution(graph, layer, name, x[0], shape, weights)
        case d.BatchNorm():
            inputs = [graph.constant(f"{name}.{key}", weights[key]) for key in ("gamma", "beta", "mean", "variance")]
            graph.node("BatchNormalization", name, x[0], *inputs, epsilon=EPSILON)
        case d.ReLU():
            graph.node("Relu", name, x[0])
        case d.LeakyReLU():
            graph.node("LeakyRelu", name, x[0], alpha=layer.slope)
        case d.ClippedReLU():
            limits = (np.array(value, np.float32) for value in (0, layer.limit))
            low, high = (graph.constant(f"{name}.{key}", v) for key, v in zip(("least", "most"), limits, strict=True))
            graph.node("Clip", name, x[0], low, high)
        case d.HardSigmoid():
            graph.node("HardSigmoid", name, x[0], alpha=1 / 6, beta=0.5)
        case d.HardSwish():
            graph.node("HardSwish", name, x[0])
        case d.Pad():
            pads = np.array([0, 0, layer.top, layer.left, 0, 0, layer.bottom, layer.right], np.int64)
            graph.node("Pad", name, x[0], graph.constant(f"{name}.pads", pads))
        case d.SiLU():
            graph.node("Mul", name, x[0], graph.node("Sigmoid", f"{name}_sigmoid", x[0]))
        case d.Softmax():
            graph.node("Softmax", name, x[0], axis=1)
        case d.Log():
            least = graph.constant(f"{name}.least", np.array(LEAST, np.float32))
            graph.node("Log", name, graph.node("Clip", f"{name}_bounded", x[0], least))
        case d.Tanh():
            graph.node("Tanh", name, x[0])
        case d.Sigmoid():
            graph.node("Sigmoid", name, x[0])
        case d.MaxPool():
            graph.node("MaxPool", name, x[0], **pads_of(layer, shape))
        case d.AveragePool():
            graph.node("AveragePool", name, x[0], count_include_pad=0, **pads_of(layer, shape))
        case d.GlobalAveragePool():
            if layer.keep_sides:
                graph.node("GlobalAveragePool", name, x[0])
            else:
                graph.node("Flatten", name, graph.node("GlobalAveragePool", f"{name}_mean", x[0]), axis=1)
        case d.Flatten():
            # The core flattens channels-last, and the dense layer's weights are in that order.
            turned = graph.node("Transpose", f"{name}_turned", x[0], perm=[0, 2, 3, 1]) if len(shape) == 3 else x[0]
            graph.node("Flatten", name, turned, axis=1)
        case d.Dropout() | d.ChannelDropout():
            graph.node("Identity", name, x[0])  # does nothing at inference
        case d.Dense():
            keys = ("weights", "bias") if layer.bias else ("weights",)
            graph.node("Gemm", name, x[0], *(graph.constant(f"{name}.{key}", weights[key]) for key in keys))
        case d.Add():
            graph.node("Sum", name, *x)
        case d.Concat():
            graph.node("Concat", name, *x, axis=1)
        case d.Multiply():
            graph.node("Mul", name, *x)
