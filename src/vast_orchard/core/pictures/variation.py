"""Mirroring, turning and brightness at random, drawn from seed, epoch and the picture's identity only."""

from dataclasses import dataclass

import numpy as np

from vast_orchard.core.arrays import Array, FloatArray
from vast_orchard.errors import SettingError

__all__ = ["NO_VARIATION", "Variation", "vary"]


@dataclass(frozen=True, kw_only=True)
class Variation:
    """What may happen to a training picture each time it is shown."""

    mirror: bool = True  # left to right, in half of the cases
    turn_degrees: float = 15.0  # turned by up to this either way; 180 is any angle, 0 is off
    brightness: float = 0.2  # made darker or lighter by up to this share; 0 is off

    def __post_init__(self) -> None:
        if not 0 <= self.turn_degrees <= 180:
            raise SettingError(f"A turn of up to {self.turn_degrees} degrees is asked for.", "Choose 0 to 180.")
        if not 0 <= self.brightness < 1:
            raise SettingError(f"A brightness change of {self.brightness} is asked for.", "Choose 0 to 0.9.")

    @property
    def does_nothing(self) -> bool:
        """True when every operation is off."""
        return not (self.mirror or self.turn_degrees or self.brightness)


NO_VARIATION = Variation(mirror=False, turn_degrees=0.0, brightness=0.0)


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


def _turn(pixels: FloatArray, radians: FloatArray) -> FloatArray:
    """Each picture turned about its middle, bilinear, its edge mirrored outwards."""
    count, height, width, _ = pixels.shape
    rows, columns = np.mgrid[0:height, 0:width].astype(np.float32)
    rows, columns = rows - (height - 1) / 2, columns - (width - 1) / 2
    cos, sin = np.cos(radians)[:, None, None], np.sin(radians)[:, None, None]
    y = np.clip(_reflect(cos * rows - sin * columns + np.float32((height - 1) / 2), height), 0, height - 1)
    x = np.clip(_reflect(sin * rows + cos * columns + np.float32((width - 1) / 2), width), 0, width - 1)
    top, left = np.minimum(y.astype(np.intp), height - 2), np.minimum(x.astype(np.intp), width - 2)
    down, across = (y - top)[..., None].astype(np.float32), (x - left)[..., None].astype(np.float32)
    flat = pixels.reshape(count * height * width, -1)
    base = (np.arange(count) * (height * width))[:, None, None] + top * width + left
    upper = flat[base] * (1 - across) + flat[base + 1] * across
    lower = flat[base + width] * (1 - across) + flat[base + width + 1] * across
    return upper * (1 - down) + lower * down


def _reflect(position: FloatArray, size: int) -> FloatArray:
    last = np.float32(size - 1)
    return last - np.abs(np.mod(position, 2 * last) - last)


def vary(pixels: Array, identities: Array, variation: Variation, seed: int, epoch: int) -> Array:
    """Varied copies of training pictures.

    Parameters
    ----------
    pixels : ndarray, shape (N, H, W, C), uint8
        At least 2 pixels high and wide.
    identities : ndarray, shape (N,), uint64
        A number that stays with the picture's content.
    variation : Variation
    seed, epoch : int

    Returns
    -------
    ndarray, shape (N, H, W, C), uint8
        Each picture depends on seed, epoch and its own identity, and on nothing else.
    """
    if variation.does_nothing:
        return pixels
    draws = _draws(identities, seed, epoch).astype(np.float32)
    out = pixels.astype(np.float32)
    if variation.mirror:
        mirrored = draws[:, 0] < 0.5
        out[mirrored] = out[mirrored, :, ::-1]
    if variation.turn_degrees:
        out = _turn(out, np.radians((2 * draws[:, 1] - 1) * np.float32(variation.turn_degrees)))
    if variation.brightness:
        out *= (1 + (2 * draws[:, 2] - 1) * np.float32(variation.brightness))[:, None, None, None]
    return np.clip(np.rint(out), 0, 255).astype(np.uint8)
