"""Batch normalisation (Ioffe & Szegedy 2015, "Batch Normalization"), per channel of NHWC arrays."""

from dataclasses import dataclass

import numpy as np

from vast_orchard.core.arrays import FloatArray, check_floating
from vast_orchard.core.ops._batch_norm_kernels import input_gradient, moments
from vast_orchard.errors import ShapeError

__all__ = ["EPSILON", "BatchNormSaved", "batch_norm_backward", "batch_norm_inference", "batch_norm_train"]

# The paper leaves epsilon open; 1e-5 is the default of ONNX BatchNormalization, so exports need no special case.
EPSILON = 1e-5


@dataclass(frozen=True, kw_only=True)
class BatchNormSaved:
    """What the backward pass needs of a forward pass in training mode."""

    normalised: FloatArray  # (M, C), M = N·H·W
    scale: FloatArray  # (C,), gamma / deviation
    mean: FloatArray  # (C,), of this batch
    variance: FloatArray  # (C,), biased, of this batch


def batch_norm_train(x: FloatArray, gamma: FloatArray, beta: FloatArray) -> tuple[FloatArray, BatchNormSaved]:
    """Normalise by the batch's own mean and variance.

    Parameters
    ----------
    x : ndarray, shape (..., C), floating
    gamma, beta : ndarray, shape (C,)

    Returns
    -------
    tuple of ndarray, shape of x, and BatchNormSaved

    Raises
    ------
    ShapeError
        The last axis of x is not as long as gamma.
    """
    check_floating("x", x)
    if x.shape[-1] != gamma.shape[0]:
        raise ShapeError(f"x has {x.shape[-1]} channels and gamma {gamma.shape[0]}.", "Give both the same number.")
    rows = x.reshape(-1, x.shape[-1])
    mean, variance = moments(rows)
    deviation = np.sqrt(variance + x.dtype.type(EPSILON))
    normalised = (rows - mean) / deviation
    out = (normalised * gamma + beta).reshape(x.shape)
    return out, BatchNormSaved(normalised=normalised, scale=gamma / deviation, mean=mean, variance=variance)


def batch_norm_inference(
    x: FloatArray, gamma: FloatArray, beta: FloatArray, mean: FloatArray, variance: FloatArray
) -> FloatArray:
    """Normalise by the running mean and variance, each of shape (C,)."""
    scale = gamma / np.sqrt(variance + x.dtype.type(EPSILON))
    return x * scale + (beta - mean * scale)


def batch_norm_backward(saved: BatchNormSaved, grad: FloatArray) -> tuple[FloatArray, FloatArray, FloatArray]:
    """Gradients with respect to x, gamma and beta, for `grad` shaped like x."""
    rows = grad.reshape(-1, grad.shape[-1])
    beta_gradient = rows.sum(axis=0)
    gamma_gradient = np.einsum("mc,mc->c", rows, saved.normalised)
    x_gradient = input_gradient(saved.normalised, rows, saved.scale, beta_gradient, gamma_gradient)
    return x_gradient.reshape(grad.shape), gamma_gradient, beta_gradient
