"""Signs drawn by a pen, among them pairs that a mirror would turn into each other."""

import numpy as np
from PIL import Image, ImageDraw, ImageFilter

from vast_orchard.core.arrays import FloatArray

__all__ = ["CLASSES", "draw_sign"]

# Nodes of each sign in a square from −1 to 1, in the order of writing. The first of each pair is given; the second is
# its mirror image, so that which way round it stands is all that tells them apart.
_SIGNS = {
    "hook": ((-0.5, -0.8), (-0.5, 0.3), (-0.1, 0.8), (0.5, 0.6), (0.6, 0.1)),
    "coil": ((0.1, 0.0), (0.3, 0.2), (0.0, 0.45), (-0.45, 0.1), (-0.2, -0.5), (0.5, -0.5), (0.8, 0.2), (0.4, 0.8)),
    "stair": ((-0.8, -0.6), (-0.3, -0.6), (-0.3, 0.0), (0.3, 0.0), (0.3, 0.6), (0.8, 0.6)),
    "flag": ((-0.4, 0.8), (-0.4, -0.8), (0.5, -0.45), (-0.4, -0.1)),
    "loop": ((-0.8, 0.5), (-0.1, 0.1), (0.3, -0.5), (-0.1, -0.8), (-0.4, -0.4), (0.1, 0.2), (0.8, 0.6)),
    "bow": ((-0.6, -0.7), (0.4, -0.5), (0.1, 0.0), (0.5, 0.4), (-0.5, 0.8)),
}
CLASSES = tuple(f"{sign} {side}" for sign in _SIGNS for side in ("left", "right"))

_OVERSAMPLING = 3


def _curve(nodes: FloatArray, roundness: float) -> FloatArray:
    """A line through the nodes: straight, or bent as by Catmull & Rom 1974, or between them."""
    ends = np.vstack([2 * nodes[:1] - nodes[1:2], nodes, 2 * nodes[-1:] - nodes[-2:-1]])
    share = np.linspace(0, 1, 9)[:-1, None]
    parts = []
    for before, start, stop, after in zip(ends, ends[1:], ends[2:], ends[3:], strict=False):
        bent = 0.5 * (
            2 * start
            + (stop - before) * share
            + (2 * before - 5 * start + 4 * stop - after) * share**2
            + (3 * start - before - 3 * stop + after) * share**3
        )
        parts.append(roundness * bent + (1 - roundness) * (start + (stop - start) * share))
    return np.vstack([*parts, nodes[-1:]])


def draw_sign(name: str, random: np.random.Generator, side: int) -> Image.Image:
    """A sign of the class `name`, `side` pixels square, RGB: by some hand, with some pen, on some paper."""
    sign, _, facing = name.partition(" ")
    nodes = np.array(_SIGNS[sign]) + random.normal(0, 0.11, (len(_SIGNS[sign]), 2))
    if facing == "right":
        nodes[:, 0] *= -1
    slant, turn = random.normal(0, 0.16), random.normal(0, 0.14)
    hand = np.array([[np.cos(turn), np.sin(turn)], [-np.sin(turn), np.cos(turn)]]) @ np.array([[1, 0], [slant, 1]])
    big = side * _OVERSAMPLING
    size = big * random.uniform(0.24, 0.42) * random.uniform(0.85, 1.15, 2)
    line = _curve(nodes @ hand, random.uniform(0.2, 1.0)) * size + big / 2 + random.uniform(-0.1, 0.1, 2) * big
    width = max(2, round(big * random.uniform(0.025, 0.075)))
    layer = Image.new("L", (big, big))
    pen = ImageDraw.Draw(layer)
    points = [(float(x), float(y)) for x, y in line]
    pen.line(points, fill=255, width=width, joint="curve")
    # Now and then the end of a neighbouring sign reaches into the picture.
    if random.random() < 0.4:
        edge = random.uniform(0, big, 2)
        edge[int(random.integers(2))] = float(random.choice([0.0, big]))
        reach = edge + random.normal(0, 0.2 * big, 2)
        pen.line([(float(edge[0]), float(edge[1])), (float(reach[0]), float(reach[1]))], fill=200, width=width)
    ink = np.asarray(layer.filter(ImageFilter.GaussianBlur(random.uniform(0, 2.5))).resize((side, side)), np.float32)
    rows, columns = np.mgrid[0:side, 0:side] / side - 0.5
    lean = random.uniform(-0.3, 0.3, 2)
    paper = random.uniform(0.55, 1.0, 3) * random.uniform(0.8, 1.0)
    colour = random.uniform(0.0, 0.4, 3)
    if random.random() < 0.3:  # chalk on a board
        paper, colour = colour, paper
    share = (ink / 255 * random.uniform(0.6, 1.0))[..., None]
    light = (paper * (1 - share) + colour * share) * (1 + lean[0] * rows + lean[1] * columns)[..., None]
    noisy = light * 255 + random.normal(0, random.uniform(2, 14), light.shape)
    return Image.fromarray(np.clip(noisy, 0, 255).astype(np.uint8), "RGB")
