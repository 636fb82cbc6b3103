"""The made-up sets by name, each drawn as large as is wanted and the same from the same seed."""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from PIL import Image

from vast_orchard.core.arrays import Array
from vast_orchard.core.training.values import Examples
from vast_orchard.demo.picture import photograph
from vast_orchard.demo.shapes import CLASSES as CRYSTALS
from vast_orchard.made_up import strokes, textures, things

__all__ = ["MADE_UP_SETS", "MadeUpSet", "draw_set"]


def _crystal(name: str, random: np.random.Generator, side: int) -> Image.Image:
    return photograph(name, random, side=96).resize((side, side), Image.Resampling.BOX)


@dataclass(frozen=True, kw_only=True)
class MadeUpSet:
    """Pictures of several classes."""

    classes: tuple[str, ...]
    draw: Callable[[str, np.random.Generator, int], Image.Image]  # class, chance, side in pixels


MADE_UP_SETS: dict[str, MadeUpSet] = {
    "crystals": MadeUpSet(classes=CRYSTALS, draw=_crystal),  # the demo's
    "strokes": MadeUpSet(classes=strokes.CLASSES, draw=strokes.draw_sign),
    "things": MadeUpSet(classes=things.CLASSES, draw=things.draw_thing),
    "textures": MadeUpSet(classes=textures.CLASSES, draw=textures.draw_surface),
}


def draw_set(name: str, count: int, seed: int, side: int = 48) -> Examples:
    """Pictures of a made-up set, as many of each class as of any other, give or take one.

    Parameters
    ----------
    name : str
        A key of `MADE_UP_SETS`.
    count : int
        Of all pictures; the first of a larger set from the same seed are the same pictures.
    seed : int
    side : int
        Pixels.
    """
    made = MADE_UP_SETS[name]
    place = list(MADE_UP_SETS).index(name)
    pixels: Array = np.empty((count, side, side, 3), np.uint8)
    labels = np.arange(count) % len(made.classes)
    for number, label in enumerate(labels):
        random = np.random.default_rng([seed, place, number])
        pixels[number] = np.asarray(made.draw(made.classes[label], random, side))
    return Examples(pixels=pixels, labels=labels, identities=np.arange(count, dtype=np.uint64) + (seed << 32))
