"""From unsigned 8-bit pixels to what the network computes on: mean and deviation per channel."""

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from vast_orchard.core.arrays import Array, FloatArray, check_rank
from vast_orchard.core.pictures._picture_kernels import look_up
from vast_orchard.core.team import Team
from vast_orchard.errors import ShapeError

__all__ = ["AT_ONCE", "ChannelStatistics", "channel_statistics", "scale_statistics", "standardise"]

# Pictures summed at a time, so that a memory-mapped array is never held whole.
_CHUNK = 256

# Pictures that one thread takes at a time.
AT_ONCE = 8

# Mean and deviation that lead from 0 … 255 to 0 … 1 and to −1 … 1.
_FIXED_SCALES = {"unit": (0.0, 255.0), "signed": (127.5, 127.5)}


@dataclass(frozen=True, kw_only=True)
class ChannelStatistics:
    """Of training pictures only, in units of the 8-bit scale (0 to 255)."""

    mean: tuple[float, ...]
    deviation: tuple[float, ...]


def _chunks(pixels: Array) -> Iterator[Array]:
    for start in range(0, len(pixels), _CHUNK):
        yield pixels[start : start + _CHUNK]


def channel_statistics(pixels: Array) -> ChannelStatistics:
    """Mean and deviation of each channel over all pictures and positions.

    Parameters
    ----------
    pixels : ndarray, shape (N, H, W, C), uint8

    Raises
    ------
    ShapeError
        No pictures, or not 8-bit.
    """
    check_rank("pixels", pixels, 4, "(N, H, W, C)")
    if pixels.dtype != np.uint8:
        raise ShapeError(f"pixels hold {pixels.dtype}, not uint8.", "Pass pictures as unsigned 8-bit.")
    count = pixels.size // pixels.shape[3]
    # Sums of 8-bit integers are exact in 64 bits, so the order of pictures and chunks cannot change the result.
    total = sum(part.sum(axis=(0, 1, 2), dtype=np.int64) for part in _chunks(pixels))
    squares = sum(np.square(part, dtype=np.int64).sum(axis=(0, 1, 2)) for part in _chunks(pixels))
    mean = np.asarray(total / count)
    variance = np.maximum(np.asarray(squares / count) - mean**2, 0)
    # A channel that never changes has deviation 0; 1 keeps it at zero after centring instead of dividing by it.
    deviation = np.where(variance < 1e-6, 1.0, np.sqrt(variance))
    return ChannelStatistics(mean=tuple(map(float, mean)), deviation=tuple(map(float, deviation)))


def scale_statistics(pixels: Array, scale: str) -> ChannelStatistics:
    """What is taken off each channel and what it is divided by.

    Parameters
    ----------
    pixels : ndarray, shape (N, H, W, C), uint8
        Training pictures only.
    scale : {"deviation", "unit", "signed"}
        Mean and deviation of the pictures; or fixed numbers that lead to 0 … 1 or −1 … 1.

    Raises
    ------
    ShapeError
        No pictures, or not 8-bit.
    """
    if scale == "deviation":
        return channel_statistics(pixels)
    mean, deviation = _FIXED_SCALES[scale]
    channels = pixels.shape[3]
    return ChannelStatistics(mean=(mean,) * channels, deviation=(deviation,) * channels)


def standardise(pixels: Array, statistics: ChannelStatistics, team: Team | None = None) -> FloatArray:
    """(pixels − mean) / deviation as float32, for pixels of shape (N, H, W, C), uint8."""
    mean, deviation = (np.asarray(values, np.float32)[:, None] for values in (statistics.mean, statistics.deviation))
    table = (np.arange(256, dtype=np.float32) - mean) / deviation
    # A plain copy: kernels are compiled once more for memory-mapped or read-only arrays.
    pixels = np.array(pixels)
    out = np.empty(pixels.shape, np.float32)

    def some(first: int) -> None:
        look_up(pixels, table, first, min(AT_ONCE, len(pixels) - first), out)

    (team or Team(1)).run(some, range(0, len(pixels), AT_ONCE))
    return out
