"""Mirroring, turning and brightness at random, drawn from seed, epoch and the picture's identity only."""

import numpy as np

from vast_orchard.core.arrays import Array, FloatArray
from vast_orchard.core.pictures._picture_kernels import vary_pictures
from vast_orchard.core.pictures.standardise import AT_ONCE
from vast_orchard.core.pictures.variation import Variation
from vast_orchard.core.team import Team

__all__ = ["vary"]


def _draws(identities: Array, seed: int, epoch: int) -> FloatArray:
    """Three uniform numbers in [0, 1) for each picture, from a counter-based generator keyed by the picture.

    Philox (Salmon et al. 2011, "Parallel random numbers: as easy as 1, 2, 3") needs no history, so a picture's
    numbers do not depend on which others stand in its batch.
    """
    draws = np.empty((len(identities), 3))
    for place, identity in enumerate(identities):
        generator = np.random.Generator(
            np.random.Philox(key=[int(identity), seed & 0xFFFFFFFF], counter=[epoch, 0, 0, 0])
        )
        draws[place] = generator.random(3)
    return draws


def vary(
    pixels: Array, identities: Array, variation: Variation, seed: int, epoch: int, team: Team | None = None
) -> Array:
    """Varied copies of training pictures: mirrored, then turned about the middle, then made darker or lighter.

    Parameters
    ----------
    pixels : ndarray, shape (N, H, W, C), uint8
        At least 2 pixels high and wide.
    identities : ndarray, shape (N,), uint64
        A number that stays with the picture's content.
    variation : Variation
    seed, epoch : int
    team : Team, optional
        Threads to share out the pictures.

    Returns
    -------
    ndarray, shape (N, H, W, C), uint8
        Each picture depends on seed, epoch and its own identity, and on nothing else.
    """
    if variation.does_nothing:
        return pixels
    draws = _draws(identities, seed, epoch).astype(np.float32)
    mirrored = (draws[:, 0] < 0.5) & variation.mirror
    radians = np.radians((2 * draws[:, 1] - 1) * np.float32(variation.turn_degrees))
    factors = 1 + (2 * draws[:, 2] - 1) * np.float32(variation.brightness)
    cosines, sines, out = np.cos(radians), np.sin(radians), np.empty_like(pixels)

    def some(first: int) -> None:
        count = min(AT_ONCE, len(pixels) - first)
        vary_pictures(pixels, mirrored, cosines, sines, factors, first, count, out)

    (team or Team(1)).run(some, range(0, len(pixels), AT_ONCE))
    return out
