"""Surfaces of eight kinds, of any colours, seen from near or far and at any angle."""

from collections.abc import Callable

import numpy as np
from PIL import Image
from scipy.ndimage import gaussian_filter, map_coordinates

from vast_orchard.core.arrays import FloatArray

__all__ = ["CLASSES", "draw_surface"]

# Each gives heights for the places (x, y), in units of its grain.
_Surface = Callable[[FloatArray, FloatArray, np.random.Generator], FloatArray]


def _noise(x: FloatArray, y: FloatArray, random: np.random.Generator) -> FloatArray:
    """Smooth values at the places, about −1 to 1."""
    grid = random.normal(0, 1, (64, 64))
    return np.asarray(map_coordinates(grid, [y % 64, x % 64], order=3, mode="grid-wrap"))


def _ripples(x: FloatArray, y: FloatArray, random: np.random.Generator) -> FloatArray:
    return np.asarray(np.sin(2 * np.pi * x + 1.2 * _noise(x * 0.4, y * 0.4, random)))


def _grain(x: FloatArray, y: FloatArray, random: np.random.Generator) -> FloatArray:
    """Rings of a trunk cut lengthwise: stripes of unequal width that bend around a knot."""
    knot = random.uniform(-2, 2, 2)
    far = np.hypot(x - knot[0], (y - knot[1]) * 0.25) + 0.3 * _noise(x * 0.5, y * 0.15, random)
    return np.asarray(np.sin(2 * np.pi * far) + 0.5 * np.sin(4.7 * np.pi * far))


def _weave(x: FloatArray, y: FloatArray, random: np.random.Generator) -> FloatArray:
    over = (np.floor(x) + np.floor(y)) % 2
    bulge = np.abs(np.sin(np.pi * x)), np.abs(np.sin(np.pi * y))
    return np.asarray(np.where(over > 0, bulge[0] * 2, bulge[1] * 1.2) - 1 + 0.2 * _noise(x * 3, y * 3, random))


def _points(x: FloatArray, y: FloatArray, random: np.random.Generator, spread: float) -> tuple[FloatArray, FloatArray]:
    """Distances to the nearest and the second nearest of scattered points, one to a cell."""
    shift = random.uniform(-spread, spread, (64, 64, 2))
    found = np.full((9, *x.shape), np.inf)
    for number, (i, j) in enumerate((i, j) for i in (-1, 0, 1) for j in (-1, 0, 1)):
        column, row = np.floor(x).astype(int) + i, np.floor(y).astype(int) + j
        moved = shift[row % 64, column % 64]
        found[number] = np.hypot(x - column - 0.5 - moved[..., 0], y - row - 0.5 - moved[..., 1])
    found.sort(axis=0)
    return found[0], found[1]


def _pebbles(x: FloatArray, y: FloatArray, random: np.random.Generator) -> FloatArray:
    near, _ = _points(x, y, random, 0.4)
    return 1.2 - 2.6 * near


def _cracks(x: FloatArray, y: FloatArray, random: np.random.Generator) -> FloatArray:
    near, next_ = _points(x, y, random, 0.5)
    return np.asarray(np.clip((next_ - near) * 6, 0, 1.5) - 1 + 0.25 * _noise(x * 2, y * 2, random))


def _bricks(x: FloatArray, y: FloatArray, random: np.random.Generator) -> FloatArray:
    row = np.floor(y)
    across = (x / 2 + 0.5 * (row % 2)) % 1
    joint = np.minimum(np.minimum(across, 1 - across) * 2, np.minimum(y % 1, 1 - y % 1))
    tone = random.normal(0, 0.4, (64, 64))[row.astype(int) % 64, np.floor(x / 2 + 0.5 * (row % 2)).astype(int) % 64]
    return np.asarray(np.where(joint < 0.1, -1.4, tone))


def _cloud(x: FloatArray, y: FloatArray, random: np.random.Generator) -> FloatArray:
    return np.asarray(sum(_noise(x * 2**n * 0.5, y * 2**n * 0.5, random) / 1.7**n for n in range(4)) * 0.7)


def _straw(x: FloatArray, y: FloatArray, random: np.random.Generator) -> FloatArray:
    """Short lines in all directions, each over those before."""
    height = np.zeros_like(x)
    for _ in range(90):
        angle, place = random.uniform(0, np.pi), (random.uniform(x.min(), x.max()), random.uniform(y.min(), y.max()))
        along = (x - place[0]) * np.cos(angle) + (y - place[1]) * np.sin(angle)
        across = -(x - place[0]) * np.sin(angle) + (y - place[1]) * np.cos(angle)
        line = (np.abs(along) < random.uniform(0.6, 1.6)) & (np.abs(across) < 0.09)
        height = np.where(line, random.uniform(-1.5, 1.5), height)
    return height


_SURFACES: dict[str, _Surface] = {
    "ripples": _ripples,
    "grain": _grain,
    "weave": _weave,
    "pebbles": _pebbles,
    "cracks": _cracks,
    "bricks": _bricks,
    "cloud": _cloud,
    "straw": _straw,
}
CLASSES = tuple(_SURFACES)


def draw_surface(name: str, random: np.random.Generator, side: int) -> Image.Image:
    """A surface of the kind `name`, `side` pixels square, RGB."""
    turn, grains = random.uniform(0, 2 * np.pi), random.uniform(3.0, 8.0)
    rows, columns = np.mgrid[0:side, 0:side] / side - 0.5
    # Seen at a slant: what lies further up is smaller.
    depth = 1 + random.uniform(0, 0.8) * rows
    across, down = columns / depth * grains, rows / depth * grains
    x = across * np.cos(turn) - down * np.sin(turn) + random.uniform(0, 40)
    y = across * np.sin(turn) + down * np.cos(turn) + random.uniform(0, 40)
    height = _SURFACES[name](x, y, random)
    # Stains lie over every kind, so that the tone alone tells nothing.
    height = height * random.uniform(0.6, 1.0) + random.uniform(0, 0.5) * _noise(x * 0.35, y * 0.35, random)
    height = gaussian_filter(height, random.uniform(0, 0.9))
    # What lies deep is darker, whatever colours the surface has.
    one, two = random.uniform(0, 0.45, 3), random.uniform(0.4, 1, 3)
    share = (0.5 + 0.35 * height)[..., None]
    shade = (1 + random.uniform(-0.5, 0.5) * rows + random.uniform(-0.5, 0.5) * columns)[..., None]
    colour = (one * (1 - share) + two * share) * shade
    noisy = colour * 255 + random.normal(0, random.uniform(2, 10), colour.shape)
    return Image.fromarray(np.clip(noisy, 0, 255).astype(np.uint8), "RGB")
