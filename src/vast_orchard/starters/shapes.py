"""Kinds of figures drawn with a pen: strokes, outlines, polygons, blobs, branches.

Each kind takes the chance of a class and returns how that class is drawn: from the chance of one picture and a pose.
"""

from collections.abc import Callable
from itertools import pairwise

import numpy as np
from PIL import Image, ImageDraw

from vast_orchard.core.arrays import Array, FloatArray
from vast_orchard.starters.pose import Layer, Pose

__all__ = ["Draw", "blobs", "branches", "outlines", "polygons", "smooth_noise", "strokes"]

Draw = Callable[[np.random.Generator, Pose], Layer]


class _Sheet:
    """What a pen has covered, and where it drew in the second colour."""

    def __init__(self, pose: Pose) -> None:
        self._pose = pose
        self._images = [Image.new("L", (pose.side, pose.side)) for _ in range(2)]
        self._pens = [ImageDraw.Draw(image) for image in self._images]

    def area(self, points: Array, *, second: bool = False) -> None:
        placed = self._pose.placed(points)
        self._pens[0].polygon(placed, fill=255)
        self._pens[1].polygon(placed, fill=255 if second else 0)

    def line(self, points: Array, width: float, *, second: bool = False) -> None:
        """`width` in units of the figure."""
        placed, pixels = self._pose.placed(points), max(1, round(width * self._pose.unit))
        self._pens[0].line(placed, fill=255, width=pixels, joint="curve")
        self._pens[1].line(placed, fill=255 if second else 0, width=pixels, joint="curve")

    def layer(self) -> Layer:
        cover, mix = (np.asarray(image, np.float32) / 255 for image in self._images)
        return Layer(cover=cover, mix=mix, shade=np.ones_like(cover))


def _curve(points: Array, samples: int = 18) -> Array:
    """Bézier curve by its control points (N, 2): Bernstein polynomials."""
    t, degree = np.linspace(0, 1, samples)[:, None], len(points) - 1
    powers = np.arange(degree + 1)
    choose = np.cumprod([1.0, *[(degree - k) / (k + 1) for k in range(degree)]])
    return np.asarray((choose * t**powers * (1 - t) ** (degree - powers)) @ points)


def _round(centre: Array, radii: Array, turn: float, corners: int) -> Array:
    angles = turn + np.arange(corners) * (2 * np.pi / corners)
    return np.asarray(centre + np.stack([np.cos(angles), np.sin(angles)], axis=1) * radii)


def strokes(of_class: np.random.Generator) -> Draw:
    """A few lines and curves in fixed relation."""
    count, curved = int(of_class.integers(1, 6)), of_class.random() < 0.6
    paths = [of_class.uniform(-1, 1, (int(of_class.integers(2, 5)), 2)) for _ in range(count)]
    if of_class.random() < 0.4:
        # Pen not lifted: each begins where the one before ended.
        for before, path in pairwise(paths):
            path[0] = before[-1]
    width, two = of_class.uniform(0.06, 0.2), of_class.random() < 0.25

    def draw(random: np.random.Generator, pose: Pose) -> Layer:
        sheet, thick = _Sheet(pose), width * random.uniform(0.7, 1.4)
        for number, path in enumerate(paths):
            points = path + random.normal(0, 0.06, path.shape)
            sheet.line(_curve(points) if curved else points, thick, second=two and number == 0)
        return sheet.layer()

    return draw


def outlines(of_class: np.random.Generator) -> Draw:
    """A closed curve by a few harmonics of its radius, filled, as a ring or with a rim."""
    orders = np.arange(2, 8)
    heights = of_class.normal(0, 0.32, len(orders)) / orders**0.5 * (of_class.random(len(orders)) < 0.6)
    phases, stretch = of_class.uniform(0, 2 * np.pi, len(orders)), of_class.uniform(0.5, 1)
    manner, rim = int(of_class.integers(3)), of_class.uniform(0.12, 0.3)
    angles = np.linspace(0, 2 * np.pi, 48, endpoint=False)

    def draw(random: np.random.Generator, pose: Pose) -> Layer:
        wobble = heights + random.normal(0, 0.025, len(orders))
        radius = 0.75 * np.exp(wobble @ np.cos(orders[:, None] * angles + phases[:, None]))
        points = np.stack([np.cos(angles) * radius, np.sin(angles) * radius * stretch], axis=1)
        sheet = _Sheet(pose)
        if manner == 0:
            sheet.line(np.concatenate([points, points[:2]]), rim)
        else:
            sheet.area(points, second=manner == 2)
        if manner == 2:
            sheet.area(points * (1 - rim))
        return sheet.layer()

    return draw


def polygons(of_class: np.random.Generator) -> Draw:
    """Two to five polygons that together are one body."""
    parts = []
    centre = np.zeros(2)
    for _ in range(int(of_class.integers(2, 6))):
        corners, radii = int(of_class.integers(3, 7)), of_class.uniform(0.2, 0.7, 2)
        parts.append((_round(centre, radii, of_class.uniform(0, 2 * np.pi), corners), of_class.random() < 0.4))
        turn = of_class.uniform(0, 2 * np.pi)
        centre = np.clip(centre + np.array([np.cos(turn), np.sin(turn)]) * of_class.uniform(0.3, 0.7), -0.7, 0.7)

    def draw(random: np.random.Generator, pose: Pose) -> Layer:
        sheet = _Sheet(pose)
        for points, second in parts:
            moved = points * random.uniform(0.85, 1.15, 2) + random.normal(0, 0.04, 2)
            sheet.area(moved + random.normal(0, 0.03, points.shape), second=second)
        return sheet.layer()

    return draw


def _arranged(manner: int, count: int, random: np.random.Generator) -> Array:
    """Middles of so many blobs: in a row, on a ring, on a grid, in a heap, anywhere."""
    along = np.linspace(-0.85, 0.85, count)
    match manner:
        case 0:
            return np.stack([along, np.zeros(count)], axis=1)
        case 1:
            return _round(np.zeros(2), np.full(2, 0.75), 0.0, count)
        case 2:
            side = int(np.ceil(np.sqrt(count)))
            grid = np.stack(np.meshgrid(*[np.linspace(-0.8, 0.8, side)] * 2), axis=-1).reshape(-1, 2)
            return grid[:count]
        case 3:
            return random.normal(0, 0.35, (count, 2))
        case _:
            return random.uniform(-1, 1, (count, 2))


def blobs(of_class: np.random.Generator) -> Draw:
    """Many small bodies of one kind in one manner of lying."""
    few, more = sorted(int(n) for n in of_class.integers(2, 22, 2))
    manner, corners = int(of_class.integers(5)), int(of_class.choice([3, 4, 5, 14, 14]))
    size = of_class.uniform(0.08, 0.3)
    slim, hollow, own_turn = of_class.uniform(0.35, 1), of_class.random() < 0.25, of_class.random() < 0.5

    def draw(random: np.random.Generator, pose: Pose) -> Layer:
        count, sheet = int(random.integers(few, more + 1)), _Sheet(pose)
        for centre in _arranged(manner, count, random) + random.normal(0, 0.04, (count, 2)):
            radii = size * random.uniform(0.75, 1.3) * np.array([1, slim])
            points = _round(np.zeros(2), radii, 0.0, corners)
            turn = random.uniform(0, 2 * np.pi) if own_turn else random.normal(0, 0.1)
            points = points @ np.array([[np.cos(turn), np.sin(turn)], [-np.sin(turn), np.cos(turn)]]) + centre
            sheet.area(points)
            if hollow:
                sheet.area(centre + (points - centre) * 0.55, second=True)
        return sheet.layer()

    return draw


def branches(of_class: np.random.Generator) -> Draw:
    """A stem that forks again and again."""
    forks = of_class.normal(0, 0.6, int(of_class.integers(2, 4)))
    shrink, depth, width = of_class.uniform(0.55, 0.78), int(of_class.integers(2, 5)), of_class.uniform(0.07, 0.18)
    bend, leaf = of_class.normal(0, 0.25), of_class.random() < 0.4

    def draw(random: np.random.Generator, pose: Pose) -> Layer:
        sheet = _Sheet(pose)

        def grow(foot: Array, angle: float, length: float, left: int) -> None:
            middle = foot + 0.5 * length * np.array([np.sin(angle), -np.cos(angle)])
            lean = angle + bend
            top = middle + 0.5 * length * np.array([np.sin(lean), -np.cos(lean)])
            sheet.line(np.stack([foot, middle, top]), width * length)
            if not left:
                if leaf:
                    sheet.area(_round(top, np.full(2, 0.11), 0.0, 8), second=True)
                return
            for fork in forks:
                grow(top, lean + fork + random.normal(0, 0.08), length * shrink * random.uniform(0.85, 1.15), left - 1)

        grow(np.array([0.0, 0.95]), random.normal(0, 0.06), 0.75, depth)
        return sheet.layer()

    return draw


def smooth_noise(random: np.random.Generator, side: int, cells: float) -> FloatArray:
    """Noise of about so many cells a side, (side, side), 0 to 1."""
    few = max(2, round(cells) + 1)
    image = Image.fromarray(random.integers(0, 256, (few, few), dtype=np.uint8))
    return np.asarray(image.resize((side, side), Image.Resampling.BICUBIC), np.float32) / 255
