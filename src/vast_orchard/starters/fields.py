"""Kinds of figures computed at every pixel: gratings, grain, cells, fractals, solid bodies."""

import numpy as np
from scipy.ndimage import gaussian_filter

from vast_orchard.core.arrays import Array, FloatArray
from vast_orchard.starters.pose import Layer, Pose
from vast_orchard.starters.shapes import Draw

__all__ = ["cells", "fractals", "grain", "gratings", "solids"]


def _whole(mix: FloatArray) -> Layer:
    ones = np.ones_like(mix)
    return Layer(cover=ones, mix=mix, shade=ones)


def gratings(of_class: np.random.Generator) -> Draw:
    """One to three waves over the whole picture, smooth or cut to stripes, straight or bent."""
    count = int(of_class.integers(1, 4))
    beats = of_class.uniform(2, 9, count)
    turns = of_class.uniform(0, np.pi, count)
    sharp, bent, joined = of_class.choice([1.5, 12.0]), of_class.choice([0.0, 0.0, 0.25, 0.5]), of_class.random() < 0.5

    def draw(random: np.random.Generator, pose: Pose) -> Layer:
        x, y = pose.plane()
        wave = bent * np.sin(2.2 * x + random.uniform(0, 6.28)) if bent else np.float32(0)
        found = np.zeros_like(x) if joined else np.full_like(x, -1)
        for beat, turn in zip(beats, turns, strict=True):
            along = np.sin(beat * 2.4 * (x * np.cos(turn) + (y + wave) * np.sin(turn)) + random.uniform(0, 6.28))
            found = found + along / count if joined else np.maximum(found, along)
        return _whole((1 / (1 + np.exp(-sharp * found))).astype(np.float32))

    return draw


def grain(of_class: np.random.Generator) -> Draw:
    """Noise of one fineness, direction and share."""
    fineness, slim = np.exp(of_class.uniform(np.log(0.8), np.log(5))), of_class.choice([1.0, 1.0, 0.3, 0.15])
    share, sharp, layers = of_class.uniform(0.25, 0.75), of_class.choice([2.0, 10.0]), int(of_class.integers(1, 3))

    def draw(random: np.random.Generator, pose: Pose) -> Layer:
        found = np.zeros((pose.side, pose.side), np.float32)
        for octave in range(layers):
            noise = random.standard_normal(found.shape).astype(np.float32)
            width = fineness * 3**octave * pose.side / 96
            blurred = gaussian_filter(noise, (width * slim, width), mode="wrap")
            found += blurred / (blurred.std() + 1e-6)
        found -= np.quantile(found, 1 - share)
        return _whole((1 / (1 + np.exp(-sharp * found))).astype(np.float32))

    return draw


def cells(of_class: np.random.Generator) -> Draw:
    """Cells around scattered or ordered points: their borders, their insides or their distance."""
    count, order = int(of_class.integers(6, 40)), of_class.choice([0.1, 0.5, 1.0])
    manner, slim, metric = int(of_class.integers(3)), of_class.uniform(0.4, 1), int(of_class.integers(2))

    def draw(random: np.random.Generator, pose: Pose) -> Layer:
        side = int(np.ceil(np.sqrt(count)))
        grid = np.stack(np.meshgrid(*[np.linspace(-1.6, 1.6, side)] * 2), axis=-1).reshape(-1, 2)
        points = (grid + random.uniform(-1, 1, grid.shape) * order * 1.6 / side).astype(np.float32)
        x, y = pose.plane()
        apart = np.abs(x[..., None] - points[:, 0]), np.abs(y[..., None] - points[:, 1]) / np.float32(slim)
        far = apart[0] + apart[1] if metric else apart[0] ** 2 + apart[1] ** 2
        two = np.partition(far, 1, axis=-1)[..., :2]
        scale = 3.2 / side
        match manner:
            case 0:
                edge = (np.sqrt(two[..., 1]) - np.sqrt(two[..., 0])) / scale
                mix = 1 / (1 + np.exp(-14 * (edge - 0.18)))
            case 1:
                mix = np.clip(np.sqrt(two[..., 0]) / scale * 1.3, 0, 1)
            case _:
                mix = (far.argmin(axis=-1) * 37 % 11 / 10).astype(np.float32)
        return _whole(mix.astype(np.float32))

    return draw


def fractals(of_class: np.random.Generator) -> Draw:
    """The set that a few shrinking maps leave as it is, found by following points through them at random."""
    count = int(of_class.integers(2, 5))
    turns, sizes = of_class.uniform(0, 2 * np.pi, count), of_class.uniform(0.35, 0.75, (count, 2))
    cosines, sines = np.cos(turns), np.sin(turns)
    maps = np.stack([cosines, -sines, sines, cosines], axis=1).reshape(-1, 2, 2) * sizes[:, None]
    shifts, dots, follow = of_class.uniform(-0.6, 0.6, (count, 2)), 700, 9

    def draw(random: np.random.Generator, pose: Pose) -> Layer:
        moved = maps * random.uniform(0.95, 1.05, (count, 1, 1))
        points, trail = random.uniform(-0.5, 0.5, (dots, 2)), []
        for step in range(follow):
            chosen = random.integers(count, size=dots)
            points = np.einsum("nij,nj->ni", moved[chosen], points) + shifts[chosen]
            if step >= 4:
                trail.append(points)
        found = np.concatenate(trail)
        found = (found - found.mean(axis=0)) / (1.8 * found.std() + 1e-6)
        pixels = (found @ pose.matrix.T + pose.place).astype(int)
        inside = ((pixels >= 0) & (pixels < pose.side)).all(axis=1)
        heaps = np.zeros((pose.side, pose.side), np.float32)
        np.add.at(heaps, (pixels[inside, 1], pixels[inside, 0]), 1)
        cover = 1 - np.exp(-3.0 * gaussian_filter(heaps, 0.9 * pose.side / 96))
        return Layer(cover=cover, mix=cover**3, shade=np.ones_like(cover))

    return draw


def solids(of_class: np.random.Generator) -> Draw:
    """Rounded bodies beside and before each other, lit from one side (Lambert's law)."""
    count = int(of_class.integers(1, 6))
    centres, radii = of_class.uniform(-0.65, 0.65, (count, 3)), of_class.uniform(0.2, 0.75, (count, 2))
    square, second = of_class.choice([2.0, 2.0, 4.0], count), of_class.random(count) < 0.35

    def draw(random: np.random.Generator, pose: Pose) -> Layer:
        x, y = pose.plane()
        light = np.array([*random.normal(0, 0.6, 2), 1.0])
        light /= np.linalg.norm(light)
        front = np.full_like(x, -9)
        mix, shade = np.zeros_like(x), np.ones_like(x)
        for (cx, cy, cz), (rx, ry), power, other in zip(centres, radii, square, second, strict=True):
            u = (x - cx - random.normal(0, 0.04)) / (rx * random.uniform(0.85, 1.15))
            v = (y - cy - random.normal(0, 0.04)) / (ry * random.uniform(0.85, 1.15))
            room = 1 - np.abs(u) ** power - np.abs(v) ** power
            up = np.sqrt(np.maximum(room, 0))
            height = np.where(room > 0, cz + up * min(rx, ry), -9)
            nearer = height > front
            lit = np.maximum(0, u * light[0] + v * light[1] + up * light[2])
            front, shade = np.where(nearer, height, front), np.where(nearer, 0.35 + 0.8 * lit, shade)
            mix = np.where(nearer, float(other), mix)
        cover: Array = (front > -8).astype(np.float32)
        return Layer(cover=cover, mix=mix.astype(np.float32), shade=shade.astype(np.float32))

    return draw
