"""Coloured things of eight kinds in front of clutter, with shade and light from somewhere."""

from collections.abc import Callable

import numpy as np
from PIL import Image, ImageDraw, ImageFilter

from vast_orchard.core.arrays import FloatArray

__all__ = ["CLASSES", "draw_thing"]

_Pen = ImageDraw.ImageDraw
_Colour = tuple[int, int, int]


class _Canvas:
    """Draws in units of the thing, turned and stretched, onto a layer with its own outline."""

    def __init__(self, big: int, random: np.random.Generator) -> None:
        self.image = Image.new("RGBA", (big, big))
        self._pen = ImageDraw.Draw(self.image)
        turn = random.normal(0, 0.25)
        scale = big * random.uniform(0.24, 0.44) * random.uniform(0.85, 1.15, 2)
        self._map = np.array([[np.cos(turn), np.sin(turn)], [-np.sin(turn), np.cos(turn)]]) * scale
        self._map[:, 0] *= random.choice([-1.0, 1.0])
        self._place = big / 2 + random.uniform(-0.16, 0.16, 2) * big

    def shape(self, points: FloatArray, colour: FloatArray) -> None:
        placed = [(float(x), float(y)) for x, y in np.asarray(points) @ self._map + self._place]
        self._pen.polygon(placed, fill=(*_bytes(colour), 255))

    def oval(self, centre: tuple[float, float], radii: tuple[float, float], colour: FloatArray) -> None:
        angles = np.linspace(0, 2 * np.pi, 28, endpoint=False)
        self.shape(np.array(centre) + np.stack([np.cos(angles) * radii[0], np.sin(angles) * radii[1]], axis=1), colour)

    def box(self, left: float, top: float, right: float, bottom: float, colour: FloatArray) -> None:
        self.shape(np.array([[left, top], [right, top], [right, bottom], [left, bottom]]), colour)


def _bytes(colour: FloatArray) -> _Colour:
    red, green, blue = np.clip(colour * 255, 0, 255).astype(int)
    return int(red), int(green), int(blue)


def _mug(c: _Canvas, tint: FloatArray, random: np.random.Generator) -> None:
    width = random.uniform(0.45, 0.65)
    c.oval((width, 0.05), (0.35, 0.4), tint * 0.8)
    c.oval((width, 0.05), (0.2, 0.25), tint * 0.25)
    c.box(-width, -0.6, width, 0.7, tint)
    c.oval((0, -0.6), (width, 0.16), tint * 1.2)
    c.oval((0, -0.6), (width * 0.85, 0.11), tint * 0.4)


def _bottle(c: _Canvas, tint: FloatArray, random: np.random.Generator) -> None:
    width, neck = random.uniform(0.25, 0.4), random.uniform(0.1, 0.16)
    c.box(-width, -0.15, width, 0.9, tint)
    c.shape(np.array([[-width, -0.15], [-neck, -0.5], [neck, -0.5], [width, -0.15]]), tint)
    c.box(-neck, -0.95, neck, -0.5, tint * 0.9)
    c.box(-width, 0.15, width, 0.55, 1.1 - tint * 0.5)


def _fish(c: _Canvas, tint: FloatArray, random: np.random.Generator) -> None:
    height = random.uniform(0.3, 0.5)
    c.shape(np.array([[0.5, 0], [1.0, -0.45], [0.9, 0], [1.0, 0.45]]), tint * 0.8)
    c.shape(np.array([[-0.1, -height * 0.8], [0.15, -height - 0.25], [0.35, -height * 0.6]]), tint * 0.7)
    c.oval((-0.1, 0), (0.75, height), tint)
    c.oval((-0.55, -0.1), (0.08, 0.08), np.full(3, 0.95))
    c.oval((-0.56, -0.1), (0.04, 0.04), np.full(3, 0.05))


def _house(c: _Canvas, tint: FloatArray, random: np.random.Generator) -> None:
    width = random.uniform(0.5, 0.75)
    c.box(-width, -0.1, width, 0.8, tint)
    c.shape(np.array([[-width - 0.15, -0.1], [0, -random.uniform(0.6, 0.95)], [width + 0.15, -0.1]]), tint[::-1] * 0.7)
    c.box(-0.15, 0.25, 0.15, 0.8, tint * 0.4)
    for left in (-width * 0.8, width * 0.45):
        c.box(left, 0.1, left + 0.22, 0.38, np.array([0.8, 0.9, 1.0]))


def _boat(c: _Canvas, tint: FloatArray, random: np.random.Generator) -> None:
    sail = 1.1 - tint * 0.4
    c.shape(np.array([[-0.9, 0.3], [0.9, 0.3], [0.55, 0.75], [-0.6, 0.75]]), tint)
    c.box(-0.05, -0.9, 0.03, 0.3, tint * 0.4)
    c.shape(np.array([[0.08, -0.85], [random.uniform(0.5, 0.8), 0.2], [0.08, 0.2]]), sail)
    c.shape(np.array([[-0.1, -0.6], [-random.uniform(0.4, 0.7), 0.2], [-0.1, 0.2]]), sail * 0.85)


def _mushroom(c: _Canvas, tint: FloatArray, random: np.random.Generator) -> None:
    stem = random.uniform(0.14, 0.26)
    c.shape(np.array([[-stem, 0.0], [stem, 0.0], [stem * 1.4, 0.85], [-stem * 1.4, 0.85]]), 0.9 - tint * 0.2)
    angles = np.linspace(np.pi, 2 * np.pi, 18)
    wide, high = random.uniform(0.6, 0.9), random.uniform(0.5, 0.85)
    c.shape(np.stack([np.cos(angles) * wide, np.sin(angles) * high + 0.05], axis=1), tint)
    for x, y in random.uniform((-0.45, -0.5), (0.45, -0.1), (4, 2)):
        c.oval((float(x), float(y)), (0.08, 0.06), tint * 0.4 + 0.55)


def _leaf(c: _Canvas, tint: FloatArray, random: np.random.Generator) -> None:
    along = np.linspace(0, 1, 16)
    half = random.uniform(0.3, 0.5) * np.sin(np.pi * along**0.8) * (1 + 0.12 * np.cos(along * 40))
    x = along * 1.6 - 0.8
    c.shape(np.vstack([np.stack([x, half], axis=1), np.stack([x, -half], axis=1)[::-1]]), tint)
    c.box(-1.0, -0.03, 0.75, 0.03, tint * 0.6)
    for place in (-0.4, -0.05, 0.3):
        c.shape(np.array([[place, 0], [place + 0.25, 0.25], [place + 0.28, 0.22]]), tint * 0.6)
        c.shape(np.array([[place, 0], [place + 0.25, -0.25], [place + 0.28, -0.22]]), tint * 0.6)


def _lamp(c: _Canvas, tint: FloatArray, random: np.random.Generator) -> None:
    top, low = random.uniform(0.2, 0.35), random.uniform(0.5, 0.75)
    c.box(-0.05, -0.1, 0.05, 0.8, tint * 0.5)
    c.oval((0, 0.82), (0.4, 0.12), tint * 0.5)
    c.shape(np.array([[-top, -0.85], [top, -0.85], [low, -0.1], [-low, -0.1]]), tint * 0.5 + 0.5)


_THINGS: dict[str, Callable[[_Canvas, FloatArray, np.random.Generator], None]] = {
    "mug": _mug,
    "bottle": _bottle,
    "fish": _fish,
    "house": _house,
    "boat": _boat,
    "mushroom": _mushroom,
    "leaf": _leaf,
    "lamp": _lamp,
}
CLASSES = tuple(_THINGS)


def _tint(random: np.random.Generator) -> FloatArray:
    # Never grey: a thing has a colour, and any thing may have any.
    tint = random.uniform(0.1, 0.9, 3)
    tint[int(random.integers(3))] = random.uniform(0.7, 1.0)
    return np.asarray(tint)


def _clutter(big: int, random: np.random.Generator) -> Image.Image:
    """Patches and bars of any colour over a ground that changes slowly."""
    small = np.clip(random.uniform(0.1, 0.9, 3) + random.normal(0, 0.2, (3, 3, 3)), 0, 1)
    ground = Image.fromarray((small * 255).astype(np.uint8), "RGB").resize((big, big), Image.Resampling.BICUBIC)
    pen = ImageDraw.Draw(ground)
    for _ in range(int(random.integers(2, 12))):
        corner, size = random.uniform(-0.2, 1.0, 2) * big, random.uniform(0.05, 0.5, 2) * big
        box = [float(corner[0]), float(corner[1]), float(corner[0] + size[0]), float(corner[1] + size[1])]
        colour = _bytes(_tint(random) * random.uniform(0.4, 1.1))
        (pen.ellipse if random.random() < 0.4 else pen.rectangle)(box, fill=colour)
    return ground.filter(ImageFilter.GaussianBlur(random.uniform(0, 4)))


def draw_thing(name: str, random: np.random.Generator, side: int) -> Image.Image:
    """A thing of the kind `name`, `side` pixels square, RGB."""
    big = side * 3
    canvas = _Canvas(big, random)
    _THINGS[name](canvas, _tint(random), random)
    picture = _clutter(big, random)
    shadow = Image.new("RGBA", (big, big), (0, 0, 0, int(random.uniform(60, 150))))
    outline = canvas.image.getchannel("A")
    away = (int(random.normal(0, 0.05) * big), int(random.uniform(0.01, 0.08) * big))
    picture.paste(shadow, away, outline.filter(ImageFilter.GaussianBlur(big / 40)))
    picture.paste(canvas.image, (0, 0), outline)
    # Something may lie in front of a part of it.
    if random.random() < 0.35:
        pen, at = ImageDraw.Draw(picture), random.uniform(0, 0.85, 2) * big
        reach = random.uniform(0.1, 0.3, 2) * big
        pen.rectangle([*map(float, at), *map(float, at + reach)], fill=_bytes(_tint(random)))
    picture = picture.filter(ImageFilter.GaussianBlur(random.uniform(0, 3))).resize((side, side), Image.Resampling.BOX)
    rows, columns = np.mgrid[0:side, 0:side] / side - 0.5
    lean = random.uniform(-0.7, 0.7, 2)
    lamp = (1 + lean[0] * rows + lean[1] * columns)[..., None] * random.uniform(0.5, 1.1, (1, 1, 1))
    warmth = random.uniform(0.85, 1.1, 3)
    noisy = np.asarray(picture, np.float32) * lamp * warmth + random.normal(0, random.uniform(2, 12), (side, side, 3))
    return Image.fromarray(np.clip(noisy, 0, 255).astype(np.uint8), "RGB")
