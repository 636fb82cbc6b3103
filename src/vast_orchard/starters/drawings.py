"""Drawn classes and their pictures: figures with colours, on grounds, among clutter, in light.

There are as many classes as one asks for; each is a number. A picture follows from the seed, its class and its own
number, whoever draws it. Nothing of it are snow crystals, letters or digits, and no fonts are used.
"""

from dataclasses import dataclass

import numpy as np
from PIL import Image, ImageDraw, ImageFilter

from vast_orchard.core.arrays import Array, FloatArray
from vast_orchard.starters import fields, shapes
from vast_orchard.starters.pose import Layer, Pose
from vast_orchard.starters.shapes import Draw, smooth_noise

__all__ = ["DrawnClass", "draw_picture", "drawn_class"]

# How many of a hundred classes are of each kind.
_KINDS = (
    (shapes.strokes, 24),
    (shapes.outlines, 12),
    (shapes.polygons, 12),
    (shapes.blobs, 10),
    (shapes.branches, 6),
    (fields.solids, 14),
    (fields.gratings, 6),
    (fields.grain, 5),
    (fields.cells, 5),
    (fields.fractals, 6),
)
_WHOLE = (fields.gratings, fields.grain, fields.cells)  # fill the picture
# Classes that are another's mirror image: without them nothing would teach that sides matter.
_TWINS = 0.2


@dataclass(frozen=True, kw_only=True, eq=False)
class DrawnClass:
    """What the pictures of a class have in common."""

    draw: Draw
    whole: bool  # covers its ground
    mirrored: bool
    hue: float | None  # of its first colour, 0 to 1; None: any
    turn: float  # deviation in radians


def drawn_class(seed: int, number: int) -> DrawnClass:
    """The class of a number, from 0; the same for ever."""
    twin = number > 0 and np.random.default_rng([seed, number, 1]).random() < _TWINS
    of_class = np.random.default_rng([seed, number - twin, 2])
    chances = np.array([share for _, share in _KINDS])
    kind = _KINDS[int(of_class.choice(len(_KINDS), p=chances / chances.sum()))][0]
    hue = float(of_class.random()) if of_class.random() < 0.35 else None
    turn = float(of_class.choice([0.1, 0.25, 0.5]))
    return DrawnClass(draw=kind(of_class), whole=kind in _WHOLE, mirrored=bool(twin), hue=hue, turn=turn)


def _colour(random: np.random.Generator, hue: float | None = None) -> Array:
    """Red, green and blue, 0 to 1."""
    hue = random.random() if hue is None else hue + random.normal(0, 0.03)
    strength, value = random.beta(1.6, 1.4), random.uniform(0.15, 1)
    wheel = np.clip(np.abs((hue + np.array([0, 2 / 3, 1 / 3])) % 1 * 6 - 3) - 1, 0, 1)
    return np.asarray(value * (1 - strength * (1 - wheel)))


def _unlike(random: np.random.Generator, other: Array, hue: float | None = None) -> Array:
    """A colour that stands out from another."""
    for _ in range(12):
        found = _colour(random, hue)
        if abs((found - other) @ (0.3, 0.59, 0.11)) > 0.18:
            break
    return found


def _pose(made: DrawnClass, random: np.random.Generator, side: int) -> Pose:
    turn, scale = random.normal(0, made.turn), side * random.uniform(0.26, 0.46)
    matrix = np.array([[np.cos(turn), -np.sin(turn)], [np.sin(turn), np.cos(turn)]]) * scale
    matrix = matrix @ np.array([[1, random.normal(0, 0.12)], [0, 1]]) * random.uniform(0.87, 1.15, 2)
    if made.mirrored:
        matrix = matrix @ np.diag([-1, 1])
    return Pose(matrix=matrix, place=side * (0.5 + random.uniform(-0.13, 0.13, 2)), side=side)


def _ground(random: np.random.Generator, side: int) -> FloatArray:
    """(side, side, 3): one colour, two that run into each other, or noise; with clutter now and then."""
    first = _colour(random)
    manner = random.random()
    if manner < 0.4:
        return np.full((side, side, 3), first, np.float32)
    second = np.clip(first + random.normal(0, 0.2, 3), 0, 1)
    if manner < 0.65:
        turn = random.uniform(0, 2 * np.pi)
        rows, columns = np.mgrid[0:side, 0:side] / side - 0.5
        share = np.clip(0.5 + rows * np.sin(turn) + columns * np.cos(turn), 0, 1)
    else:
        share = smooth_noise(random, side, random.choice([3, 8, 16]))
    return np.asarray(first + (second - first) * share[..., None], np.float32)


def _clutter(random: np.random.Generator, ground: FloatArray, most: int) -> FloatArray:
    """Lines, ovals and corners of any colour over a ground."""
    side = len(ground)
    image = Image.fromarray((np.clip(ground, 0, 1) * 255).astype(np.uint8))
    pen = ImageDraw.Draw(image)
    for _ in range(int(random.integers(1, most + 1))):
        red, green, blue = (int(v) for v in _colour(random) * 255)
        x, y = random.uniform(0, side, 2)
        width, height = random.uniform(0.05, 0.35, 2) * side
        match int(random.integers(3)):
            case 0:
                pen.ellipse((x, y, x + width, y + height), fill=(red, green, blue))
            case 1:
                pen.rectangle((x, y, x + width, y + height), fill=(red, green, blue))
            case _:
                x2, y2 = random.uniform(0, side, 2)
                pen.line((x, y, x2, y2), fill=(red, green, blue), width=int(random.integers(1, 4)))
    return np.asarray(image, np.float32) / 255


def _halved(layer: Layer) -> Layer:
    """Drawn at twice the side, so that edges are smooth."""

    def halved(values: FloatArray) -> FloatArray:
        return (values[::2, ::2] + values[1::2, ::2] + values[::2, 1::2] + values[1::2, 1::2]) * np.float32(0.25)

    return Layer(cover=halved(layer.cover), mix=halved(layer.mix), shade=halved(layer.shade))


def _coloured(made: DrawnClass, layer: Layer, ground: FloatArray, random: np.random.Generator) -> FloatArray:
    first = _unlike(random, ground.mean(axis=(0, 1)), made.hue)
    second = _unlike(random, first)
    mix = layer.mix[..., None]
    figure = (first + (second - first) * mix) * layer.shade[..., None]
    if not made.whole and random.random() < 0.3:
        # Uneven surface.
        figure = figure * (0.75 + 0.5 * smooth_noise(random, len(ground), random.choice([4, 12]))[..., None])
    cover = layer.cover[..., None]
    return np.asarray(ground * (1 - cover) + figure * cover, np.float32)


def _lit(picture: FloatArray, random: np.random.Generator) -> FloatArray:
    """Light from one side, brightness, contrast, noise; without colours now and then."""
    side = len(picture)
    rows, columns = np.mgrid[0:side, 0:side] / side - 0.5
    slope = random.normal(0, 0.25, 2)
    light = (1 + slope[0] * rows + slope[1] * columns).astype(np.float32)
    contrast, brightness = random.uniform(0.6, 1.15), random.normal(0, 0.08)
    picture = picture * light[..., None] * np.float32(contrast) + np.float32(0.5 - 0.5 * contrast + brightness)
    if random.random() < 0.2:
        picture = np.repeat(picture.mean(axis=2, keepdims=True), 3, axis=2)
    noise = random.standard_normal(picture.shape, np.float32)
    return np.asarray(picture + noise * np.float32(random.uniform(0, 0.05)))


def draw_picture(made: DrawnClass, random: np.random.Generator, side: int = 48) -> Array:
    """One picture of a class: (side, side, 3), uint8."""
    ground = _ground(random, side)
    if not made.whole and random.random() < 0.35:
        ground = _clutter(random, ground, 5)
    picture = _coloured(made, _halved(made.draw(random, _pose(made, random, 2 * side))), ground, random)
    if random.random() < 0.12:
        picture = _clutter(random, picture, 1)
    image = Image.fromarray((np.clip(_lit(picture, random), 0, 1) * 255).astype(np.uint8))
    if random.random() < 0.3:
        image = image.filter(ImageFilter.GaussianBlur(random.uniform(0.3, 0.9)))
    return np.asarray(image)
