"""Writes a model as ONNX: from unsigned 8-bit NHWC pixels to probabilities, preprocessing's numbers inside."""

import json
from collections.abc import Callable

import numpy as np
import onnx
from onnx import TensorProto, helper

from vast_orchard.core.network.plan import Shape, plan
from vast_orchard.core.pictures.preprocessing import preprocessing_to_json
from vast_orchard.errors import ProofError
from vast_orchard.formats.model_file import Model
from vast_orchard.formats.onnx_nodes import Graph, add_layer

__all__ = ["assembled", "onnx_bytes"]

# Opset 17 and IR 8 are read by every runtime since 2022 and hold all that is needed here.
_OPSET = 17
_IR = 8


def _add_network(graph: Graph, model: Model, pictures: str) -> str:
    """All layers, fed by the value `pictures`; returns the name of the logits."""
    values = [pictures]
    shapes: list[Shape] = [model.description.input_shape]
    for entry, layer in zip(plan(model.description).layers, model.description.flat, strict=True):
        prefix = f"{entry.id}."
        weights = {key.removeprefix(prefix): v for key, v in model.weights.items() if key.startswith(prefix)}
        fed = [values[source] for source in entry.sources]
        # With its place, so that no id can be the name of one of the graph's other values.
        name = f"{entry.place:02d}_{entry.id}"
        add_layer(graph, layer, name, fed, shapes[entry.sources[0]], weights)
        values.append(name)
        shapes.append(entry.shape)
    return values[-1]


def onnx_bytes(model: Model, about: str = "") -> bytes:
    """The model as a checked ONNX file.

    Input `pixels` is uint8 of shape (N, H, W, C), output `probabilities` float32 of shape (N, classes). Class names
    and preprocessing stand in the file's metadata as JSON.

    Parameters
    ----------
    about : str
        The whole description as JSON, for a file that goes alone.

    Raises
    ------
    ProofError
        The independent checker of the ONNX project refuses the file.
    """
    return assembled(model, lambda graph, pictures: _add_network(graph, model, pictures), about)


def assembled(model: Model, network: Callable[[Graph, str], str], about: str = "") -> bytes:
    """A checked ONNX file: what comes before the network and behind it is the same whichever way it is written.

    Parameters
    ----------
    network : callable
        Adds the nodes from standardised pictures, channels first, to logits; takes and returns the value's name.
    """
    graph = Graph()
    height, width, channels = model.description.input_shape
    mean, deviation = (
        graph.constant(name, np.asarray(getattr(model.statistics, name), np.float32)) for name in ("mean", "deviation")
    )
    centred = graph.node("Sub", "centred", graph.node("Cast", "as_float", "pixels", to=TensorProto.FLOAT), mean)
    scaled = graph.node("Div", "standardised", centred, deviation)
    logits = network(graph, graph.node("Transpose", "channels_first", scaled, perm=[0, 3, 1, 2]))
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
            **({"model": about} if about else {}),
            **({"unsure_below": json.dumps(list(model.unsure_below))} if model.unsure_below else {}),
        },
    )
    try:
        onnx.checker.check_model(made, full_check=True)
    except (onnx.checker.ValidationError, onnx.shape_inference.InferenceError) as error:
        raise ProofError(f"The ONNX file does not hold together: {error}", "Report this network.") from error
    return bytes(made.SerializeToString())
