"""The numbers of a network that training moves, and the rules that draw the first ones."""

from dataclasses import dataclass, field

import numpy as np

from vast_orchard.core.arrays import FloatArray
from vast_orchard.core.network import layers as d
from vast_orchard.core.network.plan import LayerPlan, Shape

__all__ = ["LayerNumbers", "first_numbers", "first_weights"]


@dataclass(frozen=True, kw_only=True, eq=False)
class LayerNumbers:
    """What one layer holds, by name."""

    parameters: dict[str, FloatArray] = field(default_factory=dict)
    gradients: dict[str, FloatArray] = field(default_factory=dict)
    statistics: dict[str, FloatArray] = field(default_factory=dict)  # of batch norm: running mean and variance


def first_weights(
    rule: str, shape: tuple[int, ...], fan_in: int, fan_out: int, random: np.random.Generator
) -> FloatArray:
    """First weights of a layer, float64.

    Parameters
    ----------
    rule : {"he", "glorot", "lecun"}
        "he": normal, variance 2 / fan_in, which keeps the scale through ReLU (He et al. 2015, "Delving Deep into
        Rectifiers", eq. 10). "glorot": uniform up to √(6 / (fan_in + fan_out)) (Glorot & Bengio 2010, eq. 16).
        "lecun": normal, variance 1 / fan_in (LeCun et al. 1998, "Efficient BackProp", eq. 16).
    shape : tuple of int
    fan_in, fan_out : int
        Values that one output sums, and outputs that one value reaches.
    random : Generator
    """
    if rule == "glorot":
        limit = np.sqrt(6 / (fan_in + fan_out))
        return random.uniform(-limit, limit, shape)
    return random.standard_normal(shape) * np.sqrt((2 if rule == "he" else 1) / fan_in)


def first_numbers(
    layer: d.Layer, entry: LayerPlan, shape: Shape, random: np.random.Generator, dtype: np.dtype[np.floating]
) -> LayerNumbers:
    """Numbers of `layer` before training, for an input of `shape` (without the batch axis)."""
    match layer:
        case d.Conv() | d.DepthwiseConv():
            filters = entry.shape[2]
            groups = layer.groups if isinstance(layer, d.Conv) else filters
            window, of_group = layer.kernel**2, (shape[2] // groups, filters // groups)
            size: tuple[int, ...] = (layer.kernel, layer.kernel, of_group[0], filters)
            fans = window * of_group[0], window * of_group[1]
        case d.Dense():
            filters, size, fans = layer.outputs, (shape[0], layer.outputs), (shape[0], layer.outputs)
        case d.BatchNorm():
            ones, zeros = np.ones(shape[-1], dtype), np.zeros(shape[-1], dtype)
            return LayerNumbers(
                parameters={"gamma": ones, "beta": zeros},
                statistics={"mean": zeros.copy(), "variance": ones.copy()},
            )
        case _:
            return LayerNumbers()
    parameters = {"weights": first_weights(layer.start, size, *fans, random).astype(dtype)}
    if layer.bias:
        parameters["bias"] = np.zeros(filters, dtype)
    return LayerNumbers(parameters=parameters)
