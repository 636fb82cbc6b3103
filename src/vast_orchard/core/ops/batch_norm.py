"""Batch normalisation (Ioffe & Szegedy 2015, "Batch Normalization"): moments of a batch, and what follows from them."""

from dataclasses import dataclass

import numpy as np

from vast_orchard.core.arrays import Array, FloatArray

__all__ = ["EPSILON", "BatchMoments", "merge_moments", "scale_and_shift"]

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
        """The square root of variance and epsilon."""
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
    """Normalising as one multiplication and one addition for each channel, float64."""
    scale = gamma / np.sqrt(variance.astype(np.float64) + EPSILON)
    return scale, beta - mean * scale
