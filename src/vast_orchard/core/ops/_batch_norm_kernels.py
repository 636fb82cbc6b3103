"""The arithmetic of batch normalisation on rows of channels (M, C)."""

import numpy as np

from vast_orchard.core.arrays import FloatArray

__all__ = ["input_gradient", "moments"]


def moments(rows: FloatArray) -> tuple[FloatArray, FloatArray]:
    """Mean and biased variance of each column, by two passes so that large means lose no digits."""
    mean = rows.mean(axis=0)
    centred = rows - mean
    return mean, np.einsum("mc,mc->c", centred, centred) / rows.dtype.type(len(rows))


def input_gradient(
    normalised: FloatArray,
    grad: FloatArray,
    scale: FloatArray,
    shift_gradient: FloatArray,
    scale_gradient: FloatArray,
) -> FloatArray:
    """Gradient through the batch's own statistics; `scale` is gamma divided by the deviation."""
    count = grad.dtype.type(len(grad))
    return scale * (grad - shift_gradient / count - normalised * (scale_gradient / count))
