"""Fingerprints: what a small tile looks like in 39 numbers, so that alike pictures are near each other in space."""

from collections.abc import Iterator, Sequence

import numpy as np
from scipy.fft import dctn
from scipy.spatial import cKDTree

from vast_orchard.core.arrays import Array, FloatArray
from vast_orchard.errors import ShapeError

__all__ = ["ALIKE_WITHIN", "FINGERPRINT_NUMBERS", "LUMA", "alike_pairs", "fingerprints", "read_fingerprints"]

# Lowest frequencies of the cosine transform that are kept, each way; without the first, which is the mean.
_FREQUENCIES = 6
FINGERPRINT_NUMBERS = _FREQUENCIES**2 - 1 + 4
# Brightness of red, green and blue: ITU-R BT.601.
LUMA = np.array([0.299, 0.587, 0.114], np.float32)
# How far apart two pictures are put by one grey level of mean, a factor e of contrast, one level of tint. Measured on
# 10,000 generated crystals: turned by 4° or cropped by 4 % a picture moves by less than 0.25, and the light of two
# different photographs alone sets most of them further apart than that.
_MEAN, _CONTRAST, _TINT = 0.03, 0.7, 0.04
ALIKE_WITHIN = 0.3
# As many neighbours are looked at. In a heap of more copies of one picture each still meets some of the others.
_NEIGHBOURS = 8
_QUERIES = 2000


def fingerprints(tiles: Array) -> FloatArray:
    """Describe tiles by their low frequencies, mean, contrast and tint.

    The frequencies are divided by the contrast, as is usual in perceptual hashing by the discrete cosine transform
    (Zauner, *Implementation and Benchmarking of Perceptual Image Hash Functions*, 2010), but kept as numbers: how far
    two pictures are apart is a distance, which a tree of points can search.

    Parameters
    ----------
    tiles : ndarray, shape (N, S, S, 3), uint8

    Returns
    -------
    ndarray, shape (N, 39), float32

    Raises
    ------
    ShapeError
    """
    if tiles.ndim != 4 or tiles.shape[1] != tiles.shape[2] or tiles.shape[3] != 3 or tiles.shape[1] < _FREQUENCIES:
        raise ShapeError(f"Tiles of shape {tiles.shape} were given.", "Give (N, side, side, 3).")
    colour = tiles.astype(np.float32)
    grey = colour @ LUMA
    mean = grey.mean(axis=(1, 2))
    flat = grey - mean[:, None, None]
    contrast = np.sqrt((flat**2).mean(axis=(1, 2)))
    waves = dctn(flat, axes=(1, 2), norm="ortho")[:, :_FREQUENCIES, :_FREQUENCIES].reshape(len(tiles), -1)[:, 1:]
    # A picture of one colour has no shape: it is told by its mean and tint alone.
    waves = waves / (tiles.shape[1] * np.maximum(contrast, 1.0))[:, None]
    channels = colour.mean(axis=(1, 2))
    light = [
        _MEAN * mean,
        _CONTRAST * np.log(contrast + 1),
        _TINT * (channels[:, 0] - channels[:, 1]),
        _TINT * (channels[:, 2] - channels[:, 1]),
    ]
    return np.concatenate([waves, np.stack(light, axis=1)], axis=1).astype(np.float32)


def read_fingerprints(told: Sequence[str]) -> FloatArray:
    """Fingerprints as the records tell them, `(0.1, 0.2, …)`: shape (N, 39), float32."""
    numbers = ",".join(place[1:-1] for place in told)
    return np.fromstring(numbers, np.float32, sep=",").reshape(len(told), -1)


def alike_pairs(prints: FloatArray, fresh: Array) -> Iterator[tuple[int, Array]]:
    """Pairs that look alike and of which at least one is fresh, a part of the fresh ones after the other.

    A tree of points finds the neighbours (Bentley 1975), so that not every picture is held against every other.

    Parameters
    ----------
    prints : ndarray, shape (N, 39), float32
    fresh : ndarray, shape (N,), bool

    Yields
    ------
    int
        Fresh pictures looked at since the last part.
    ndarray, shape (P, 2), int64
        Places of both, the lower first; a pair may come again in a later part.
    """
    wanted = np.flatnonzero(fresh)
    tree = cKDTree(prints)
    for start in range(0, len(wanted), _QUERIES):
        part = wanted[start : start + _QUERIES]
        # One more than is wanted, because each is its own nearest.
        most = min(_NEIGHBOURS + 1, len(prints))
        _, found = tree.query(prints[part], k=np.arange(1, most + 1), distance_upper_bound=ALIKE_WITHIN, workers=-1)
        first = np.repeat(part, most)
        second = found.reshape(-1)
        real = (second < len(prints)) & (second != first)
        pairs = np.sort(np.stack([first[real], second[real]], axis=1), axis=1)
        yield len(part), np.unique(pairs, axis=0).astype(np.int64)
