"""Outlines and ridges of snow crystals in a unit square, from the geometry of real habits.

After Nakaya 1954, "Snow Crystals": six-fold plates and arms, hexagonal columns seen from the side, rimed lumps.
Every shape is a list of strokes: polygons to fill and lines to draw, with a brightness each.
"""

from dataclasses import dataclass

import numpy as np

from vast_orchard.core.arrays import FloatArray

__all__ = ["CLASSES", "Stroke", "draw_shape"]

CLASSES = ("needle", "column", "plate", "sectored", "stellar", "dendrite", "graupel")


@dataclass(frozen=True, kw_only=True)
class Stroke:
    """One thing to draw."""

    points: FloatArray  # (N, 2), x and y, the crystal spans about −1 to 1
    light: float  # brightness added, 0 to 1
    width: float = 0.0  # of a line, in the same units; 0 fills the polygon


def _hexagon(radius: float, roughness: float, random: np.random.Generator) -> FloatArray:
    angles = np.arange(6) * np.pi / 3
    radii = radius * (1 + roughness * random.uniform(-1, 1, 6))
    return np.stack([radii * np.cos(angles), radii * np.sin(angles)], axis=1)


def _bar(length: float, width: float, angle: float, centre: tuple[float, float] = (0.0, 0.0)) -> FloatArray:
    corners = np.array([[-length, -width], [length, -width], [length, width], [-length, width]])
    cos, sin = np.cos(angle), np.sin(angle)
    return corners @ np.array([[cos, sin], [-sin, cos]]) + np.array(centre)


def _rod(random: np.random.Generator, aspect: float) -> list[Stroke]:
    """A hexagonal prism from the side: two visible faces, meeting in a line, and end faces."""
    length = random.uniform(0.75, 1.0)
    width = length / aspect
    strokes = [
        Stroke(points=_bar(length, width, 0.0), light=random.uniform(0.4, 0.6)),
        Stroke(points=np.array([[-length, width * 0.1], [length, width * 0.1]]), light=0.25, width=0.025),
    ]
    if width > 0.12 and random.random() < 0.6:
        # The hollow of a column shows as an hourglass: two wedges pointing to the middle.
        for side in (-1, 1):
            wedge = np.array([[side * length, -width * 0.6], [side * length, width * 0.6], [side * length * 0.25, 0.0]])
            strokes.append(Stroke(points=wedge, light=-0.18))
    return strokes


def _needle(random: np.random.Generator) -> list[Stroke]:
    strokes = _rod(random, random.uniform(5.5, 16.0))
    for _ in range(int(random.integers(0, 3))):
        at = (float(random.uniform(-0.4, 0.4)), float(random.uniform(-0.12, 0.12)))
        bar = _bar(random.uniform(0.3, 0.6), random.uniform(0.02, 0.05), random.normal(0, 0.15), at)
        strokes.append(Stroke(points=bar, light=random.uniform(0.25, 0.45)))
    return strokes


def _column(random: np.random.Generator) -> list[Stroke]:
    return _rod(random, random.uniform(1.5, 6.2))


def _plate(random: np.random.Generator) -> list[Stroke]:
    strokes = [Stroke(points=_hexagon(random.uniform(0.7, 0.95), 0.04, random), light=random.uniform(0.3, 0.45))]
    for _ in range(int(random.integers(1, 4))):
        ring = _hexagon(random.uniform(0.2, 0.75), 0.02, random)
        strokes.append(Stroke(points=np.vstack([ring, ring[:1]]), light=random.uniform(0.15, 0.3), width=0.03))
    return strokes


def _arms(random: np.random.Generator, body: float, branching: float, arm_width: float) -> list[Stroke]:
    """Six arms around a hexagonal body; `branching` (0 to 1) sets number and length of their side branches."""
    strokes = [Stroke(points=_hexagon(body, 0.05, random), light=0.35)]
    length = random.uniform(0.85, 1.0)
    branches = round(1 + 6 * branching + random.uniform(-0.5, 0.5)) if branching > 0.12 else 0
    reach = 0.18 + 0.36 * branching
    places = np.sort(random.uniform(0.25, 0.9, branches))
    lengths = random.uniform(0.6, 1.1, branches)
    for arm in range(6):
        if random.random() < 0.05:
            continue  # broken off
        grown = length * random.uniform(0.85, 1.0)
        angle = arm * np.pi / 3
        along, across = np.array([np.cos(angle), np.sin(angle)]), np.array([-np.sin(angle), np.cos(angle)])
        strokes.append(Stroke(points=_bar(grown / 2, arm_width, angle, tuple(along * grown / 2)), light=0.42))
        for place, size in zip(places, lengths, strict=True):
            start = along * grown * place
            side_length = reach * size * (1.1 - place)
            for side in (-1, 1):
                # Side branches stand at 60 degrees to their arm, as the lattice has it.
                tip = start + side_length * (along * 0.5 + side * across * 0.866)
                strokes.append(Stroke(points=np.stack([start, tip]), light=0.38, width=max(0.035, arm_width * 0.9)))
    return strokes


def _sectored(random: np.random.Generator) -> list[Stroke]:
    """Broad sectors with ridges: a plate whose corners have begun to grow."""
    strokes = _arms(random, random.uniform(0.42, 0.72), random.uniform(0.0, 0.3), random.uniform(0.11, 0.24))
    for arm in range(6):
        angle = arm * np.pi / 3
        ridge = np.array([[0.0, 0.0], [np.cos(angle) * 0.85, np.sin(angle) * 0.85]])
        strokes.append(Stroke(points=ridge, light=0.22, width=0.03))
    return strokes


def _stellar(random: np.random.Generator) -> list[Stroke]:
    return _arms(random, random.uniform(0.14, 0.42), random.uniform(0.05, 0.5), random.uniform(0.06, 0.13))


def _dendrite(random: np.random.Generator) -> list[Stroke]:
    return _arms(random, random.uniform(0.08, 0.24), random.uniform(0.45, 1.0), random.uniform(0.035, 0.075))


def _graupel(random: np.random.Generator) -> list[Stroke]:
    """A lump of frozen droplets: many small discs within a rough oval."""
    squash = random.uniform(0.65, 1.0)
    strokes = []
    corners = np.arange(10) * 2 * np.pi / 10
    for _ in range(int(random.integers(28, 46))):
        angle, far = random.uniform(0, 2 * np.pi), 0.75 * np.sqrt(random.uniform(0, 1))
        size = random.uniform(0.1, 0.26)
        centre = np.array([far * np.cos(angle), far * np.sin(angle) * squash])
        disc = centre + size * np.stack([np.cos(corners), np.sin(corners)], axis=1)
        strokes.append(Stroke(points=disc, light=random.uniform(0.08, 0.26)))
    return strokes


_SHAPES = {
    "needle": _needle,
    "column": _column,
    "plate": _plate,
    "sectored": _sectored,
    "stellar": _stellar,
    "dendrite": _dendrite,
    "graupel": _graupel,
}


def draw_shape(name: str, random: np.random.Generator) -> list[Stroke]:
    """The strokes of one crystal of the class `name`."""
    return _SHAPES[name](random)
