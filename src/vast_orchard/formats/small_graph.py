"""Writes a model as an ONNX file of a quarter of the size: its weights and values as numbers of 8 bits.

By the standard's own nodes: each value is quantised and read again before the next layer, which a runtime computes in
whole numbers. Scaling of the pixels, the last layer with weights and softmax stay floating.
"""

from collections.abc import Mapping
from dataclasses import replace

import numpy as np

from vast_orchard.core.network import layers as d
from vast_orchard.core.network.eight_bit import ValueRange, eight_bit_weights, folded_weights
from vast_orchard.core.network.layout import Stage, lay_out
from vast_orchard.core.network.plan import NetworkPlan, Shape, plan
from vast_orchard.formats.model_file import Model
from vast_orchard.formats.onnx_model import assembled
from vast_orchard.formats.onnx_nodes import Graph, add_layer, pads_of

__all__ = ["small_graph_bytes"]

# They give what they take, in other places or fewer of it: the same numbers mean the same.
_PASSING = (d.Flatten, d.Dropout, d.ChannelDropout, d.MaxPool, d.Pad)


class _Small:
    """A graph that grows stage by stage."""

    def __init__(self, model: Model, ranges: Mapping[int, ValueRange]) -> None:
        self._model, self._planned = model, plan(model.description)
        self._ids = {entry.place: entry.id for entry in self._planned.layers}
        self._shapes: dict[int, Shape] = {0: model.description.input_shape}
        self._shapes |= {entry.place: entry.shape for entry in self._planned.layers}
        self._ranges = dict(ranges)
        self._values: dict[int, str] = {}
        self._last = _last_weighted(self._planned)

    def network(self, graph: Graph, pictures: str) -> str:
        """All stages, fed by the value `pictures`; returns the name of the logits."""
        self._values[0] = self._read(graph, "pictures", pictures, self._ranges[0])
        for stage in lay_out(self._model.description).stages:
            name = f"{stage.place:02d}_{self._ids[stage.place]}"
            if stage.place == self._last:
                value = self._floating(graph, stage, name)
            elif isinstance(stage.layer, d.Conv | d.DepthwiseConv | d.Dense):
                value = self._weighted(graph, stage, name)
            else:
                value = self._plain(graph, stage, name)
            self._values[stage.output] = value
        return self._values[len(self._planned.layers)]

    def _read(self, graph: Graph, name: str, value: str, by: ValueRange) -> str:
        """A value as 8 bits, read again."""
        step = graph.constant(f"{name}.step", np.array(by.step, np.float32))
        zero = graph.constant(f"{name}.zero", np.array(by.zero, np.uint8))
        small = graph.node("QuantizeLinear", f"{name}_small", value, step, zero)
        return graph.node("DequantizeLinear", f"{name}_read", small, step, zero)

    def _weighted(self, graph: Graph, stage: Stage, name: str) -> str:
        weights, bias = folded_weights(stage, self._ids, self._model.weights)
        small, dense = eight_bit_weights(weights), isinstance(stage.layer, d.Dense)
        values = small.values if dense else small.values.transpose(3, 2, 0, 1)
        steps = graph.constant(f"{name}.steps", small.steps)
        inputs = [
            graph.node(
                "DequantizeLinear",
                f"{name}_weights",
                graph.constant(f"{name}.weights", values),
                steps,
                axis=1 if dense else 0,
            )
        ]
        # In steps of what it is added to: a product of a value's step and a weight's.
        fine = (small.steps.astype(np.float64) * self._ranges[stage.inputs[0]].step).astype(np.float32)
        whole = np.clip(np.rint(bias / fine.astype(np.float64)), -(2**31) + 1, 2**31 - 1).astype(np.int32)
        fine_name = graph.constant(f"{name}.bias_steps", fine)
        inputs.append(
            graph.node("DequantizeLinear", f"{name}_bias", graph.constant(f"{name}.bias", whole), fine_name, axis=0)
        )
        fed = self._values[stage.inputs[0]]
        if dense:
            made = graph.node("Gemm", name, fed, *inputs)
        else:
            layer, shape = stage.layer, self._shapes[stage.inputs[0]]
            assert isinstance(layer, d.Conv | d.DepthwiseConv)
            groups = layer.groups if isinstance(layer, d.Conv) else shape[2]
            made = graph.node(
                "Conv", name, fed, *inputs, group=groups, dilations=[layer.dilation] * 2, **pads_of(layer, shape)
            )
        return self._read(graph, name, self._behind(graph, stage, name, made), self._ranges[stage.output])

    def _behind(self, graph: Graph, stage: Stage, name: str, made: str) -> str:
        """The ReLU of a stage."""
        if stage.slope == 1:
            return made
        if stage.slope == 0:
            return graph.node("Relu", f"{name}_relu", made)
        return graph.node("LeakyRelu", f"{name}_relu", made, alpha=stage.slope)

    def _floating(self, graph: Graph, stage: Stage, name: str) -> str:
        """The last layer with weights as it is."""
        weights, bias = folded_weights(stage, self._ids, self._model.weights)
        layer = stage.layer
        shape = self._shapes[stage.inputs[0]]
        add_layer(
            graph, _with_bias(layer), name, [self._values[stage.inputs[0]]], shape, {"weights": weights, "bias": bias}
        )
        return self._behind(graph, stage, name, name)

    def _plain(self, graph: Graph, stage: Stage, name: str) -> str:
        """A layer without weights, or a batch norm that stands alone."""
        prefix = f"{self._ids[stage.place]}."
        weights = {k.removeprefix(prefix): v for k, v in self._model.weights.items() if k.startswith(prefix)}
        fed = [self._values[source] for source in stage.inputs]
        add_layer(graph, stage.layer, name, fed, self._shapes[stage.inputs[0]], weights)
        made = self._behind(graph, stage, name, name)
        if stage.output == len(self._planned.layers):
            return made
        if isinstance(stage.layer, _PASSING):
            self._ranges[stage.output] = self._ranges[stage.inputs[0]]
            # Read again where places were chosen, so that these are chosen among whole numbers.
            return (
                made
                if isinstance(stage.layer, d.Flatten | d.Dropout | d.ChannelDropout)
                else self._read(graph, name, made, self._ranges[stage.output])
            )
        return self._read(graph, name, made, self._ranges[stage.output])


def _with_bias(layer: d.Layer) -> d.Layer:
    return replace(layer, bias=True) if isinstance(layer, d.Conv | d.DepthwiseConv | d.Dense) else layer


def _last_weighted(planned: NetworkPlan) -> int:
    return max((entry.place for entry in planned.layers if entry.kind == "dense"), default=0)


def small_graph_bytes(model: Model, ranges: Mapping[int, ValueRange], about: str = "") -> bytes:
    """The model as a checked ONNX file with weights and values of 8 bits.

    Takes and gives what `onnx_bytes` does.

    Parameters
    ----------
    ranges : mapping of int to ValueRange
        Of `core.network.eight_bit.value_ranges`.

    Raises
    ------
    ProofError
        The independent checker of the ONNX project refuses the file.
    """
    return assembled(model, _Small(model, ranges).network, about)
