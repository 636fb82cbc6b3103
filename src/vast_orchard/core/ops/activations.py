"""Activations: the curves that are applied to each value alone, and their gradients."""

from enum import StrEnum

import numpy as np

from vast_orchard.core.arrays import FloatArray

__all__ = ["Activation", "activate", "activation_gradient"]


class Activation(StrEnum):
    """The curves."""

    LEAKY_RELU = "leaky_relu"  # max(x, leak · x); ReLU at leak 0 (Maas, Hannun & Ng 2013)
    SILU = "silu"  # x · sigmoid(x) (Elfwing, Uchibe & Doya 2018)
    TANH = "tanh"
    SIGMOID = "sigmoid"


def _sigmoid(x: FloatArray) -> FloatArray:
    # By way of tanh, which NumPy computes with vector instructions and which cannot overflow.
    out = np.tanh(x * x.dtype.type(0.5))
    out *= x.dtype.type(0.5)
    out += x.dtype.type(0.5)
    return out


def activate(kind: Activation, x: FloatArray, out: FloatArray, leak: float = 0.0) -> None:
    """Write the curve's values for `x` to `out`, of the same shape. Of any floating dtype."""
    match kind:
        case Activation.LEAKY_RELU:
            np.multiply(x, x.dtype.type(leak), out=out)
            np.maximum(x, out, out=out)
        case Activation.SILU:
            np.multiply(x, _sigmoid(x), out=out)
        case Activation.TANH:
            np.tanh(x, out=out)
        case Activation.SIGMOID:
            out[:] = _sigmoid(x)


def activation_gradient(
    kind: Activation, x: FloatArray, y: FloatArray, grad: FloatArray, leak: float = 0.0
) -> FloatArray:
    """Gradient with respect to `x`, from that with respect to `y`, the curve's values.

    All of one shape and one floating dtype.
    """
    one = x.dtype.type(1)
    match kind:
        case Activation.LEAKY_RELU:
            return grad * np.where(x > 0, one, x.dtype.type(leak))
        case Activation.SILU:
            sigmoid = _sigmoid(x)
            return grad * (sigmoid + y * (one - sigmoid))
        case Activation.TANH:
            return grad * (one - y * y)
        case Activation.SIGMOID:
            return grad * y * (one - y)
