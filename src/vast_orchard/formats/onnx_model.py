"""Writes a model as ONNX: from unsigned 8-bit NHWC pixels to probabilities, preprocessing's numbers inside."""

import json

import numpy as np
import onnx
from onnx import TensorProto, helper, numpy_helper

from vast_orchard.core.arrays import Array
from vast_orchard.core.network import layers as d
from vast_orchard.core.network.plan import Shape, plan, window_of
from vast_orchard.core.ops.batch_norm import EPSILON
from vast_orchard.core.pictures.preprocessing import preprocessing_to_json
from vast_orchard.errors import ProofError
from vast_orchard.formats.model_file import Model

__all__ = ["onnx_bytes"]

# Opset 17 and IR 8 are read by every runtime since 2022 and hold all that is needed here.
_OPSET = 17
_IR = 8


class _Graph:
    """Nodes and constants as they are added. Pictures are channels-first as ONNX wants them, features (N, F)."""

    def __init__(self) -> None:
        self.nodes: list[onnx.NodeProto] = []
        self.constants: list[onnx.TensorProto] = []

    def constant(self, name: str, array: Array) -> str:
        self.constants.append(numpy_helper.from_array(np.ascontiguousarray(array), name))
        return name

    def node(self, kind: str, name: str, *inputs: str, **attributes: object) -> str:
        self.nodes.append(helper.make_node(kind, list(inputs), [name], name=name, **attributes))
        return name


def _pads(layer: d.Layer, shape: Shape) -> dict[str, list[int]]:
    """What ONNX asks of a sliding window over pictures of `shape`."""
    window = window_of(layer)
    (top, bottom), (left, right) = (axis.pads(n) for axis, n in zip(window, shape[:2], strict=True))
    return {
        "kernel_shape": [axis.size for axis in window],
        "strides": [axis.stride for axis in window],
        "pads": [top, left, bottom, right],
    }


def _add_convolution(
    graph: _Graph, layer: d.Conv | d.DepthwiseConv, name: str, x: str, shape: Shape, weights: dict[str, Array]
) -> None:
    inputs = [graph.constant(f"{name}.weights", weights["weights"].transpose(3, 2, 0, 1))]
    if layer.bias:
        inputs.append(graph.constant(f"{name}.bias", weights["bias"]))
    groups = layer.groups if isinstance(layer, d.Conv) else shape[2]
    graph.node("Conv", name, x, *inputs, group=groups, dilations=[layer.dilation] * 2, **_pads(layer, shape))


def _add_layer(graph: _Graph, layer: d.Layer, name: str, x: list[str], shape: Shape, weights: dict[str, Array]) -> None:
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
        case d.Tanh():
            graph.node("Tanh", name, x[0])
        case d.Sigmoid():
            graph.node("Sigmoid", name, x[0])
        case d.MaxPool():
            graph.node("MaxPool", name, x[0], **_pads(layer, shape))
        case d.AveragePool():
            graph.node("AveragePool", name, x[0], count_include_pad=0, **_pads(layer, shape))
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


def _add_network(graph: _Graph, model: Model, pictures: str) -> str:
    """All layers, fed by the value `pictures`; returns the name of the logits."""
    values = [pictures]
    shapes: list[Shape] = [model.description.input_shape]
    for entry, layer in zip(plan(model.description).layers, model.description.flat, strict=True):
        prefix = f"{entry.id}."
        weights = {key.removeprefix(prefix): v for key, v in model.weights.items() if key.startswith(prefix)}
        fed = [values[source] for source in entry.sources]
        # With its place, so that no id can be the name of one of the graph's other values.
        name = f"{entry.place:02d}_{entry.id}"
        _add_layer(graph, layer, name, fed, shapes[entry.sources[0]], weights)
        values.append(name)
        shapes.append(entry.shape)
    return values[-1]


def onnx_bytes(model: Model) -> bytes:
    """The model as a checked ONNX file.

    Input `pixels` is uint8 of shape (N, H, W, C), output `probabilities` float32 of shape (N, classes). Class names
    and preprocessing stand in the file's metadata as JSON.

    Raises
    ------
    ProofError
        The independent checker of the ONNX project refuses the file.
    """
    graph = _Graph()
    height, width, channels = model.description.input_shape
    mean, deviation = (
        graph.constant(name, np.asarray(getattr(model.statistics, name), np.float32)) for name in ("mean", "deviation")
    )
    centred = graph.node("Sub", "centred", graph.node("Cast", "as_float", "pixels", to=TensorProto.FLOAT), mean)
    scaled = graph.node("Div", "standardised", centred, deviation)
    logits = _add_network(graph, model, graph.node("Transpose", "channels_first", scaled, perm=[0, 3, 1, 2]))
    if model.temperature != 1:
        logits = graph.node(
            "Div", "tempered", logits, graph.constant("temperature", np.array(model.temperature, np.float32))
        )
    graph.node("Softmax", "probabilities", logits, axis=1)
    made = helper.make_model(
        helper.make_graph(
            graph.nodes,
            "vast_orchard",
            [helper.make_tensor_value_info("pixels", TensorProto.UINT8, ["N", height, width, channels])],
            [helper.make_tensor_value_info("probabilities", TensorProto.FLOAT, ["N", len(model.classes)])],
            graph.constants,
        ),
        opset_imports=[helper.make_opsetid("", _OPSET)],
        ir_version=_IR,
        producer_name="vast-orchard",
    )
    helper.set_model_props(
        made,
        {
            "classes": json.dumps(list(model.classes), ensure_ascii=False),
            "preprocessing": json.dumps(preprocessing_to_json(model.preprocessing)),
            **({"unsure_below": json.dumps(list(model.unsure_below))} if model.unsure_below else {}),
        },
    )
    try:
        onnx.checker.check_model(made, full_check=True)
    except (onnx.checker.ValidationError, onnx.shape_inference.InferenceError) as error:
        raise ProofError(f"The ONNX file does not hold together: {error}", "Report this network.") from error
    return bytes(made.SerializeToString())
