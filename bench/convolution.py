"""Compares the direct way of a 3×3 convolution with minimal filtering, for several sizes, in one thread.

Usage: .venv/bin/python bench/convolution.py

Both take turns; `_MINIMAL_CHANNELS` rests on the ratio of their medians, which is how much faster minimal filtering is.
The last columns are the largest differences from double precision, for numbers near one.
"""

import statistics
import time

import numpy as np

from vast_orchard.core.ops import _conv2d_ways as ways
from vast_orchard.core.ops._conv2d_tables import forward_gathering
from vast_orchard.core.ops.conv2d import conv2d
from vast_orchard.core.ops.window import Window, forward_halo
from vast_orchard.core.plane import make_plane, plane_of

_SIZES = (
    (96, 16, 16),
    (48, 16, 32),
    (48, 32, 32),
    (32, 32, 32),
    (16, 48, 48),
    (24, 64, 64),
    (8, 96, 96),
    (12, 128, 128),
)
_IMAGES, _TURNS = 8, 40


def main() -> None:
    """One line a size."""
    random = np.random.default_rng(0)
    window = (Window(size=3), Window(size=3))
    print("side  channels  filters   direct / minimal   largest differences")
    for side, channels, filters in _SIZES:
        x = random.standard_normal((_IMAGES, side, side, channels)).astype(np.float32)
        weights = (random.standard_normal((3, 3, channels, filters)) / np.sqrt(9 * channels)).astype(np.float32)
        source, target = plane_of(x, forward_halo(window, (side, side))), make_plane(_IMAGES, (side, side, filters))
        tables = forward_gathering(window, 1, source, target, _IMAGES)
        both = [
            ways._Direct(tables, 1, source, target, turned=False),
            ways._Minimal(tables, source, target, turned=False),
        ]
        wanted = conv2d(x.astype(np.float64), weights.astype(np.float64))
        off = []
        for way in both:
            way.load(weights, None)
            way.run(0, _IMAGES, 1.0)
            off.append(float(np.abs(target.values - wanted).max()))
        spent: list[list[float]] = [[], []]
        for _ in range(_TURNS):
            for way, times in zip(both, spent, strict=True):
                began = time.perf_counter()
                way.run(0, _IMAGES, 1.0)
                times.append(time.perf_counter() - began)
        direct, minimal = (statistics.median(times) for times in spent)
        words = f"{off[0]:.0e} direct, {off[1]:.0e} minimal"
        print(f"{side:4}  {channels:8}  {filters:7}   {direct / minimal:16.2f}   {words}")


if __name__ == "__main__":
    main()
