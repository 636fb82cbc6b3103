"""Writes a model as ONNX: from unsigned 8-bit NHWC pixels to probabilities, preprocessing's numbers inside."""

import json
from dataclasses import asdict

import numpy as np
import onnx
from onnx import TensorProto, helper, numpy_helper

from vast_orchard.core.arrays import Array
from vast_orchard.core.network import description as d
from vast_orchard.core.ops.batch_norm import EPSILON
from vast_orchard.core.ops.conv2d import same_padding
from vast_orchard.errors import ProofError
from vast_orchard.formats.model_file import Model

__all__ = ["onnx_bytes"]

# Opset 17 and IR 8 are read by every runtime since 2022 and hold all that is needed here.
_OPSET = 17
_IR = 8


class _Graph:
    """Nodes and constants as they are added; `value` is the name of the last result."""

    def __init__(self) -> None:
        self.nodes: list[onnx.NodeProto] = []
        self.constants: list[onnx.TensorProto] = []
        self.value = "pixels"
        self.channels_first = False
        self.is_picture = True  # false once flattened to (N, features)

    def constant(self, name: str, array: Array) -> str:
        self.constants.append(numpy_helper.from_array(np.ascontiguousarray(array), name))
        return name

    def node(self, kind: str, name: str, *inputs: str, **attributes: object) -> None:
        self.nodes.append(helper.make_node(kind, [self.value, *inputs], [name], name=name, **attributes))
        self.value = name

    def to_channels(self, *, first: bool) -> None:
        """ONNX convolves channels-first; the core works channels-last. Turn only where they meet."""
        if self.channels_first != first:
            order = [0, 3, 1, 2] if first else [0, 2, 3, 1]
            self.node("Transpose", f"turned_{len(self.nodes)}", perm=order)
            self.channels_first = first


def _add_conv2d(graph: _Graph, layer: d.Conv2D, name: str, weights: dict[str, Array]) -> None:
    graph.to_channels(first=True)
    inputs = [graph.constant(f"{name}.weights", weights["weights"].transpose(3, 2, 0, 1))]
    if layer.bias:
        inputs.append(graph.constant(f"{name}.bias", weights["bias"]))
    before, after = same_padding(layer.kernel) if layer.padding == "same" else (0, 0)
    graph.node("Conv", name, *inputs, kernel_shape=[layer.kernel] * 2, pads=[before, before, after, after])


def _add_layer(graph: _Graph, layer: d.Layer, name: str, weights: dict[str, Array]) -> None:
    match layer:
        case d.Conv2D():
            _add_conv2d(graph, layer, name, weights)
        case d.BatchNorm():
            if graph.is_picture:
                graph.to_channels(first=True)
            inputs = [graph.constant(f"{name}.{key}", weights[key]) for key in ("gamma", "beta", "mean", "variance")]
            graph.node("BatchNormalization", name, *inputs, epsilon=EPSILON)
        case d.ReLU():
            graph.node("Relu", name)
        case d.MaxPool():
            graph.to_channels(first=True)
            graph.node("MaxPool", name, kernel_shape=[layer.size] * 2, strides=[layer.size] * 2)
        case d.GlobalAveragePool():
            graph.to_channels(first=True)
            graph.node("GlobalAveragePool", f"{name}_mean")
            graph.node("Flatten", name, axis=1)
            graph.is_picture = False
        case d.Flatten():
            if graph.is_picture:
                graph.to_channels(first=False)
            graph.node("Flatten", name, axis=1)
            graph.is_picture = False
        case d.Dropout():
            pass  # does nothing at inference
        case d.Dense():
            inputs = [graph.constant(f"{name}.{key}", weights[key]) for key in ("weights", "bias")]
            graph.node("Gemm", name, *inputs)


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
    graph.node("Cast", "as_float", to=TensorProto.FLOAT)
    graph.node("Sub", "centred", graph.constant("mean", np.asarray(model.statistics.mean, np.float32)))
    graph.node("Div", "standardised", graph.constant("deviation", np.asarray(model.statistics.deviation, np.float32)))
    network = model.network()
    for name, layer in zip(network.names, model.description.layers, strict=True):
        prefix = f"{name}."
        weights = {key.removeprefix(prefix): v for key, v in model.weights.items() if key.startswith(prefix)}
        _add_layer(graph, layer, name, weights)
    graph.node("Softmax", "probabilities", axis=1)
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
            "preprocessing": json.dumps(asdict(model.preprocessing)),
        },
    )
    try:
        onnx.checker.check_model(made, full_check=True)
    except (onnx.checker.ValidationError, onnx.shape_inference.InferenceError) as error:
        raise ProofError(f"The ONNX file does not hold together: {error}", "Report this network.") from error
    return bytes(made.SerializeToString())
