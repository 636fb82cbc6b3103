"""One photograph of a snow crystal on a dark plate: light, turn, size, defocus, noise."""

from typing import Any, cast

import numpy as np
from PIL import Image, ImageDraw, ImageFilter

from vast_orchard.core.arrays import FloatArray
from vast_orchard.demo.shapes import Stroke, draw_shape

__all__ = ["Box", "near_copy", "photograph", "photographed"]

Box = tuple[float, float, float, float]  # left, top, right, bottom in fractions of a picture's sides

# Drawn at twice the size and reduced, so that edges are smooth.
_OVERSAMPLING = 2


def _stroke_layer(strokes: list[Stroke], size: int, place: FloatArray, scale: float, turn: float) -> FloatArray:
    """The strokes as light of shape (size, size)."""
    total = np.zeros((size, size), np.float32)
    rotation = _rotation(scale, turn)
    layers: dict[int, Image.Image] = {}
    for stroke in strokes:
        # Equal brightnesses share a layer: overlapping branches do not add up then, and drawing is much faster.
        key = round(stroke.light * 50)
        layer = layers.setdefault(key, Image.new("L", (size, size)))
        points = [(float(x), float(y)) for x, y in stroke.points @ rotation + place]
        pen = ImageDraw.Draw(layer)
        if stroke.width:
            pen.line(points, fill=255, width=max(1, round(stroke.width * scale)))
        else:
            pen.polygon(points, fill=255)
    for key, layer in layers.items():
        total += np.asarray(layer, np.float32) * np.float32(key / 50 / 255)
    return total


def _rotation(scale: float, turn: float) -> FloatArray:
    cos, sin = np.cos(turn), np.sin(turn)
    return np.array([[cos, sin], [-sin, cos]]) * scale


def _extent(strokes: list[Stroke], place: FloatArray, scale: float, turn: float) -> FloatArray:
    """Least and most x and y of what is drawn: (2, 2)."""
    rotation = _rotation(scale, turn)
    ends = [
        (stroke.points @ rotation + place)[:, None] + np.array([[-1], [1]]) * stroke.width * scale / 2
        for stroke in strokes
    ]
    points = np.concatenate([end.reshape(-1, 2) for end in ends])
    return np.stack([points.min(axis=0), points.max(axis=0)])


def photograph(name: str, random: np.random.Generator, **options: Any) -> Image.Image:
    """A picture of a crystal, see `photographed`."""
    return photographed(name, random, **options)[0]


def photographed(
    name: str,
    random: np.random.Generator,
    *,
    side: int | None = None,
    blur: float | None = None,
    dim: float = 1.0,
) -> tuple[Image.Image, Box]:
    """A picture of a crystal of the class `name`, and the box around what was drawn of it.

    Parameters
    ----------
    name : str
        One of `vast_orchard.demo.shapes.CLASSES`.
    random : Generator
    side : int, optional
        Larger side in pixels; 64 to 128 when not given.
    blur : float, optional
        Radius of the defocus at a side of 96 pixels; slight when not given.
    dim : float
        Factor on all light.

    Returns
    -------
    tuple of PIL.Image.Image and Box
        RGB; the box ends at the picture's sides.
    """
    side = side or int(random.integers(64, 129))
    big = side * _OVERSAMPLING
    scale = big * random.uniform(0.26, 0.46)
    place = np.array([big / 2, big / 2]) + random.uniform(-0.07, 0.07, 2) * big
    strokes, turn = draw_shape(name, random), random.uniform(0, 2 * np.pi)
    light = _stroke_layer(strokes, big, place, scale, turn)
    if random.random() < 0.12:
        # A fragment of a neighbour lies in the picture.
        other = draw_shape(str(random.choice(["needle", "plate", "stellar", "dendrite"])), random)
        corner = np.array([big * float(random.choice([0.05, 0.95])), big * random.uniform(0.1, 0.9)])
        light += _stroke_layer(other, big, corner, scale * random.uniform(0.3, 0.6), random.uniform(0, 6.28))
    rows, columns = np.mgrid[0:big, 0:big].astype(np.float32) / big - 0.5
    lean = random.uniform(-0.25, 0.25, 2)
    lamp = (1 + lean[0] * rows + lean[1] * columns) * random.uniform(0.75, 1.1) * dim
    plate = random.uniform(0.06, 0.16)
    gray = np.clip((plate + np.clip(light, -0.05, 0.85) * random.uniform(0.7, 1.05)) * lamp, 0, 1)
    image = Image.fromarray((gray * 255).astype(np.uint8))
    radius = blur if blur is not None else float(random.choice([0.0, 0.4, 0.7, 1.2], p=[0.3, 0.4, 0.2, 0.1]))
    if radius:
        image = image.filter(ImageFilter.GaussianBlur(radius * big / 96))
    height = side if random.random() < 0.5 else round(side * random.uniform(0.9, 1.0))
    top = (big - height * _OVERSAMPLING) // 2
    image = image.crop((0, top, big, top + height * _OVERSAMPLING)).resize((side, height), Image.Resampling.BOX)
    noisy = np.asarray(image, np.float32) + random.normal(0, random.uniform(1.5, 6.0), (height, side)).astype(
        np.float32
    )
    tint = np.array([random.uniform(0.86, 1.0), random.uniform(0.93, 1.0), 1.0], np.float32)
    drawn = Image.fromarray(np.clip(noisy[..., None] * tint, 0, 255).astype(np.uint8), "RGB")
    extent = (_extent(strokes, place, scale, turn) - [0, top]) / [big, height * _OVERSAMPLING]
    (left, first), (right, last) = np.clip(extent, 0, 1).tolist()
    return drawn, (left, first, right, last)


def near_copy(image: Image.Image, random: np.random.Generator) -> Image.Image:
    """The same photograph turned by up to four degrees, cropped by up to four per cent, or encoded again."""
    way = int(random.integers(3))
    if way == 0:
        fill = cast(tuple[int, int, int], image.getpixel((1, 1)))
        return image.rotate(float(random.uniform(1, 4)), Image.Resampling.BILINEAR, fillcolor=fill)
    if way == 1:
        cut = max(1, round(min(image.size) * random.uniform(0.01, 0.04)))
        return image.crop((cut, cut, image.width - cut, image.height - cut))
    return image
