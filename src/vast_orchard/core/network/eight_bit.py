"""Numbers of 8 bits in place of a network's floating ones: weights by channel, values by their range.

After Jacob et al. 2018, "Quantization and Training of Neural Networks for Efficient Integer-Arithmetic-Only Inference",
after training and without training again. Weights stay within ±64 of the ±127 that fit: older processors add two
products of 8 bits into 16, which then never saturates.
"""

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from vast_orchard.core.arrays import Array, FloatArray
from vast_orchard.core.network.frozen import FrozenNetwork
from vast_orchard.core.network.layout import Stage, lay_out
from vast_orchard.core.network.network import Network
from vast_orchard.core.network.plan import plan
from vast_orchard.core.ops.batch_norm import scale_and_shift
from vast_orchard.core.pictures.standardise import ChannelStatistics, standardise
from vast_orchard.core.team import Team

__all__ = [
    "LARGEST_WEIGHT",
    "EightBitWeights",
    "ValueRange",
    "eight_bit_weights",
    "folded_weights",
    "value_range",
    "value_ranges",
]

LARGEST_WEIGHT = 64
_STEPS = 255
_BATCH = 64
# A range of nothing still needs a step.
_LEAST_STEP = 1e-8


@dataclass(frozen=True, kw_only=True)
class EightBitWeights:
    """Weights as whole numbers of `step` each."""

    values: Array  # int8, the shape of the weights
    steps: FloatArray  # (channels out,), float32


@dataclass(frozen=True, kw_only=True)
class ValueRange:
    """Values as whole numbers from 0 to 255: (number − zero) · step; 0 is met exactly, as padding is made of it."""

    step: float
    zero: int


def eight_bit_weights(weights: FloatArray) -> EightBitWeights:
    """Each channel out by its own step, the largest weight at ±64.

    Parameters
    ----------
    weights : ndarray, shape (…, channels out), floating
    """
    largest = np.abs(weights).reshape(-1, weights.shape[-1]).max(axis=0)
    steps = np.maximum(largest / LARGEST_WEIGHT, _LEAST_STEP).astype(np.float32)
    return EightBitWeights(values=np.rint(weights / steps).astype(np.int8), steps=steps)


def value_range(low: float, high: float) -> ValueRange:
    """Whole numbers for values between the two, and for 0."""
    low, high = min(low, 0.0), max(high, 0.0)
    step = max((high - low) / _STEPS, _LEAST_STEP)
    return ValueRange(step=float(np.float32(step)), zero=int(np.clip(np.rint(-low / step), 0, _STEPS)))


def folded_weights(stage: Stage, ids: Mapping[int, str], weights: Mapping[str, Array]) -> tuple[FloatArray, FloatArray]:
    """Weights and bias of a convolution or dense layer with the batch norm behind it, if there is one.

    Parameters
    ----------
    ids : mapping of int to str
        Of layers, by their places.
    weights : mapping of str to ndarray
        Of the network, by `id.name`.

    Returns
    -------
    tuple of ndarray
        Of the weights' shape, and (channels out,), both float32.
    """
    own = ids[stage.place]
    found = weights[f"{own}.weights"].astype(np.float64)
    bias = weights.get(f"{own}.bias", np.zeros(found.shape[-1])).astype(np.float64)
    if stage.norm is not None:
        norm = {key: weights[f"{ids[stage.norm]}.{key}"] for key in ("gamma", "beta", "mean", "variance")}
        scale, shift = scale_and_shift(norm["gamma"], norm["beta"], norm["mean"], norm["variance"])
        found, bias = found * scale, bias * scale + shift
    return found.astype(np.float32), bias.astype(np.float32)


def value_ranges(
    network: Network, pixels: Array, statistics: ChannelStatistics, team: Team | None = None
) -> dict[int, ValueRange]:
    """The range of what each stage gives over some pictures, by the place of its last layer; 0 are the pictures.

    Parameters
    ----------
    pixels : ndarray, shape (N, H, W, C), uint8
        As training sees them, unvaried.
    """
    found = {0: _of_pictures(statistics)}
    pictures = [standardise(pixels[at : at + _BATCH], statistics, team) for at in range(0, len(pixels), _BATCH)]
    last = len(plan(network.description).layers)
    for stage in lay_out(network.description).stages:
        if stage.output == last:
            continue
        part = FrozenNetwork(network, team, until=stage.output)
        ends = [(values.min(), values.max()) for values in map(part.values, pictures)]
        found[stage.output] = value_range(float(min(low for low, _ in ends)), float(max(high for _, high in ends)))
    return found


def _of_pictures(statistics: ChannelStatistics) -> ValueRange:
    """Every pixel from 0 to 255 is met: of these nothing needs to be seen."""
    mean, deviation = (np.asarray(values, np.float64) for values in (statistics.mean, statistics.deviation))
    return value_range(float(((0 - mean) / deviation).min()), float(((255 - mean) / deviation).max()))
