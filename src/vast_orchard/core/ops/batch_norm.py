"""Batch normalisation (Ioffe & Szegedy 2015, "Batch Normalization") per channel of NHWC arrays."""

from dataclasses import dataclass

import numpy as np

from vast_orchard.core.arrays import Array, FloatArray, check_floating, check_rank
from vast_orchard.core.ops import _batch_norm_kernels as kernels
from vast_orchard.core.plane import padded, padded_length, plane_of
from vast_orchard.errors import ShapeError

__all__ = [
    "EPSILON",
    "BatchMoments",
    "batch_moments",
    "batch_norm",
    "batch_norm_backward",
    "gradient_shares",
    "merge_moments",
    "scale_and_shift",
]

# The paper leaves epsilon open; 1e-5 is the default of ONNX BatchNormalization, so exports need no special case.
EPSILON = 1e-5


@dataclass(frozen=True, kw_only=True, eq=False)
class BatchMoments:
    """Mean and variance of each channel over a batch."""

    count: int  # values of a channel
    mean: FloatArray  # (C,), float64
    variance: FloatArray  # (C,), float64, biased

    @property
    def deviation(self) -> FloatArray:
        """The square root of variance and epsilon. Shape (C,), float64."""
        return np.sqrt(self.variance + EPSILON)


def merge_moments(pivots: FloatArray, sums: FloatArray, counts: Array) -> BatchMoments:
    """The moments of a batch from those of its parts, added in their order (Chan, Golub & LeVeque 1983, eq. 2.1).

    Parameters
    ----------
    pivots : ndarray, shape (P, C)
        A number near each part's values, taken off before summing.
    sums : ndarray, shape (P, 2, C), float64
        Σ (x − pivot) and Σ (x − pivot)².
    counts : ndarray, shape (P,), int64
        Values of a channel in each part; parts of none are left out.
    """
    whole = 0
    mean, squares = np.zeros(sums.shape[2]), np.zeros(sums.shape[2])
    for pivot, (total, total_squares), count in zip(pivots, sums, counts.tolist(), strict=True):
        if count == 0:
            continue
        part_mean = pivot + total / count
        part_squares = np.maximum(total_squares - total * (total / count), 0)
        step = part_mean - mean
        squares += part_squares + step * step * (whole * count / (whole + count))
        mean += step * (count / (whole + count))
        whole += count
    return BatchMoments(count=whole, mean=mean, variance=squares / whole)


def scale_and_shift(
    gamma: FloatArray, beta: FloatArray, mean: FloatArray, variance: FloatArray
) -> tuple[FloatArray, FloatArray]:
    """Normalising as one multiplication and one addition for each channel, float64.

    Each argument and each answer has shape (C,).
    """
    scale = gamma / np.sqrt(variance.astype(np.float64) + EPSILON)
    return scale, beta - mean * scale


def _check(x: FloatArray, gamma: FloatArray) -> None:
    check_rank("x", x, 4, "(N, H, W, C)")
    check_floating("x", x)
    if gamma.shape != x.shape[3:]:
        raise ShapeError(f"x has {x.shape[3]} channels and gamma {gamma.shape}.", "Give both the same number.")


def batch_moments(x: FloatArray) -> BatchMoments:
    """Mean and variance of each channel of x, shape (N, H, W, C). x is floating; the moments are float64."""
    check_rank("x", x, 4, "(N, H, W, C)")
    check_floating("x", x)
    plane, pivot = plane_of(x), x[0, x.shape[1] // 2, x.shape[2] // 2]
    sums = np.zeros((1, 2, padded_length(x.shape[3])))
    kernels.add_moments(plane.flat, plane.frame, x.shape[3], 0, len(x), padded(pivot, x.dtype), sums[0])
    return merge_moments(pivot[None], sums[:, :, : x.shape[3]], np.array([x.size // x.shape[3]]))


def batch_norm(
    x: FloatArray, gamma: FloatArray, beta: FloatArray, mean: FloatArray, variance: FloatArray, slope: float = 1.0
) -> FloatArray:
    """Normalise by given moments, then max(y, slope · y): 0 is ReLU, 1 leaves y alone.

    Parameters
    ----------
    x : ndarray, shape (N, H, W, C), float32 or float64
    gamma, beta, mean, variance : ndarray, shape (C,)
        Moments of the batch in training, running ones at inference.
    slope : float

    Raises
    ------
    ShapeError
        The last axis of x is not as long as gamma.
    """
    _check(x, gamma)
    plane, out = plane_of(x), plane_of(x)
    scale, shift = (padded(value, x.dtype) for value in scale_and_shift(gamma, beta, mean, variance))
    kernels.normalise(plane.flat, plane.frame, out.flat, out.frame, x.shape[3], 0, len(x), scale, shift, slope)
    return out.values


def batch_norm_backward(
    x: FloatArray, gamma: FloatArray, beta: FloatArray, moments: BatchMoments, grad: FloatArray, slope: float = 1.0
) -> tuple[FloatArray, FloatArray, FloatArray]:
    """Gradients with respect to x, gamma and beta, through the batch's own moments; `grad` is shaped like x.

    All floating, of the dtype of x.
    """
    _check(x, gamma)
    channels, m = x.shape[3], moments
    plane, gradient = plane_of(x), plane_of(grad)
    both = scale_and_shift(gamma, beta, m.mean, m.variance)
    scale, shift, mean = (padded(value, x.dtype) for value in (*both, m.mean))
    sums = np.zeros((2, padded_length(channels)))
    kernels.add_gradients(
        plane.flat, plane.frame, gradient.flat, gradient.frame, channels, 0, len(x), scale, shift, slope, mean, sums
    )
    whole, swung = sums[:, :channels]
    steady, swing = (padded(value, x.dtype) for value in gradient_shares(whole, swung, m))
    kernels.input_gradient(
        plane.flat, plane.frame, gradient.flat, gradient.frame, gradient.flat, gradient.frame, channels, 0, len(x),
        scale, mean, steady, swing,
    )  # fmt: skip
    return gradient.values, (swung / m.deviation).astype(x.dtype), whole.astype(x.dtype)


def gradient_shares(whole: FloatArray, swung: FloatArray, moments: BatchMoments) -> tuple[FloatArray, FloatArray]:
    """What each value gives back because it moves the batch's mean and deviation (Ioffe & Szegedy, section 3).

    Parameters
    ----------
    whole, swung : ndarray, shape (C,), float64
        Σ g and Σ g · (x − mean).
    moments : BatchMoments
    """
    return whole / moments.count, swung / (moments.count * moments.deviation**2)
