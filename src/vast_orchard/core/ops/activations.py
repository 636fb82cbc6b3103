"""Activations: the curves that are applied to each value alone, and their gradients."""

from enum import StrEnum

import numpy as np

from vast_orchard.core.arrays import FloatArray

__all__ = ["Activation", "activate", "activation_gradient"]


class Activation(StrEnum):
    """The curves."""

    LEAKY_RELU = "leaky_relu"  # max(x, bend · x); ReLU at bend 0 (Maas, Hannun & Ng 2013)
    SILU = "silu"  # x · sigmoid(x) (Elfwing, Uchibe & Doya 2018)
    TANH = "tanh"
    SIGMOID = "sigmoid"
    CLIPPED_RELU = "clipped_relu"  # min(max(x, 0), bend) (Howard et al. 2017)
    HARD_SIGMOID = "hard_sigmoid"  # min(max(x / 6 + 0.5, 0), 1) (Courbariaux et al. 2015; the slope of Howard 2019)
    HARD_SWISH = "hard_swish"  # x · hard sigmoid(x) (Howard et al. 2019, section 5.2)


def _sigmoid(x: FloatArray) -> FloatArray:
    # By way of tanh, which NumPy computes with vector instructions and which cannot overflow.
    out = np.tanh(x * x.dtype.type(0.5))
    out *= x.dtype.type(0.5)
    out += x.dtype.type(0.5)
    return out


def _hard_sigmoid(x: FloatArray) -> FloatArray:
    out = x * x.dtype.type(1 / 6)
    out += x.dtype.type(0.5)
    return np.clip(out, 0, 1, out=out)


def activate(kind: Activation, x: FloatArray, out: FloatArray, bend: float = 0.0) -> None:
    """Write the curve's values for `x` to `out`, of the same shape. Of any floating dtype.

    `bend` is the slope below zero of leaky ReLU, and where a clipped ReLU ends.
    """
    match kind:
        case Activation.LEAKY_RELU:
            np.multiply(x, x.dtype.type(bend), out=out)
            np.maximum(x, out, out=out)
        case Activation.SILU:
            np.multiply(x, _sigmoid(x), out=out)
        case Activation.TANH:
            np.tanh(x, out=out)
        case Activation.SIGMOID:
            out[:] = _sigmoid(x)
        case Activation.CLIPPED_RELU:
            np.clip(x, 0, x.dtype.type(bend), out=out)
        case Activation.HARD_SIGMOID:
            out[:] = _hard_sigmoid(x)
        case Activation.HARD_SWISH:
            np.multiply(x, _hard_sigmoid(x), out=out)


def activation_gradient(
    kind: Activation, x: FloatArray, y: FloatArray, grad: FloatArray, bend: float = 0.0
) -> FloatArray:
    """Gradient with respect to `x`, from that with respect to `y`, the curve's values.

    All of one shape and one floating dtype.
    """
    one = x.dtype.type(1)
    match kind:
        case Activation.LEAKY_RELU:
            return grad * np.where(x > 0, one, x.dtype.type(bend))
        case Activation.SILU:
            sigmoid = _sigmoid(x)
            return grad * (sigmoid + y * (one - sigmoid))
        case Activation.TANH:
            return grad * (one - y * y)
        case Activation.SIGMOID:
            return grad * y * (one - y)
        case Activation.CLIPPED_RELU:
            return grad * ((x > 0) & (x < x.dtype.type(bend)))
        case Activation.HARD_SIGMOID:
            return grad * ((y > 0) & (y < 1)) * x.dtype.type(1 / 6)
        case Activation.HARD_SWISH:
            hard = _hard_sigmoid(x)
            return grad * (hard + x * ((hard > 0) & (hard < 1)) * x.dtype.type(1 / 6))
