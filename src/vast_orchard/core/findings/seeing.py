"""How well a picture can be seen: its light, contrast, blur and noise, and how much of it is cut off."""

from dataclasses import dataclass

import numpy as np
from scipy.ndimage import convolve, gaussian_filter, sobel

from vast_orchard.core.arrays import Array, FloatArray

__all__ = ["Seeing", "seeing"]

# The percentiles that stand for the brightest and the darkest part, and for the ground: single pixels of noise have no
# say.
_BRIGHTEST, _DARKEST, _GROUND = 99.9, 2.0, 20.0
# How much of a picture's light is told by its brightest part. What is photographed differs less in that than grounds
# do; weights by which two such signs tell a common factor best are as one to the other's variance (Aitken 1935).
_OF_BRIGHTEST = 0.75
# Noise is smoothed so far, in pixels, before the light is read.
_SMOOTH = 0.7
# A side of so many pixels is the one at which blur is told.
_SIDE = 96.0
# What differs from the rim's middle by more than this share of all the light there is goes on beyond the picture; the
# rim is so many pixels wide.
_GOES_ON, _RIM = 0.35, 2
_EVEN = 3.0  # of 255
# Before edges are looked for the picture is blurred so far, in pixels, so that noise makes none; then again so far.
_CALM, _AGAIN = 1.0, 1.5
# Of the gradients the strongest share is taken for edges.
_EDGES = 0.03
_MOST_BLUR = 20.0
# What the mask of Immerkær 1996 leaves of noise: deviation = sqrt(pi / 2) / 6 of the mean of its amounts.
_MASK = np.array([[1, -2, 1], [-2, 4, -2], [1, -2, 1]], np.float32)
_OF_MASK = float(np.sqrt(np.pi / 2) / 6)


@dataclass(frozen=True, kw_only=True)
class Seeing:
    """Of one picture, at the size of its thumbnail."""

    light: float  # of its brightest part and, with less weight, of its ground, 0 to 1
    span: float  # between its brightest and darkest part, as a share of their sum (Michelson 1927), 0 to 1
    blur: float  # radius of the blur of its edges, in pixels of a picture whose longer side has 96
    noise: float  # deviation, as a share of 1
    cut: float  # share of its rim where what is shown goes on beyond the picture
    frame: float | None  # grey level of a frame around it, 0 to 255; None where its rim is not even


def seeing(brightness: Array) -> Seeing:
    """Measure a picture.

    Blur is told by blurring once more: an edge of radius r has a gradient R times as steep before as after, with
    r = r0 / sqrt(R² - 1) (Zhuo & Sim 2011, "Defocus map estimation from a single image"). Noise is what a difference
    of two Laplacians leaves, of which plain edges and slopes are taken off (Immerkær 1996, "Fast noise variance
    estimation").

    Parameters
    ----------
    brightness : ndarray, shape (H, W), uint8
    """
    wide = brightness.astype(np.float32)
    smooth = gaussian_filter(wide, _SMOOTH, mode="nearest")
    darkest, ground, brightest = (float(x) for x in np.percentile(smooth, [_DARKEST, _GROUND, _BRIGHTEST]))
    return Seeing(
        light=float((brightest + 1) ** _OF_BRIGHTEST * (ground + 1) ** (1 - _OF_BRIGHTEST)) / 256,
        span=(brightest - darkest) / max(1.0, brightest + darkest),
        blur=min(_MOST_BLUR, _blur(wide) * _SIDE / max(wide.shape)),
        noise=_noise(wide),
        cut=_cut(smooth, brightest - darkest),
        frame=_frame(wide),
    )


def _frame(wide: FloatArray) -> float | None:
    rim = np.concatenate([wide[0], wide[-1], wide[:, 0], wide[:, -1]])
    # Encoded again, an even frame moves by a level or two.
    return float(np.median(rim)) if float(np.ptp(rim)) <= _EVEN else None


def _cut(smooth: FloatArray, light: float) -> float:
    inner = np.ones(smooth.shape, bool)
    inner[_RIM:-_RIM, _RIM:-_RIM] = False
    rim = smooth[inner]
    if light < 1:
        return 0.0
    return float((np.abs(rim - np.median(rim)) > _GOES_ON * light).mean())


def _steepness(wide: FloatArray) -> FloatArray:
    return np.hypot(sobel(wide, axis=0), sobel(wide, axis=1))


def _blur(wide: FloatArray) -> float:
    calm = gaussian_filter(wide, _CALM, mode="nearest")
    before = _steepness(calm)
    after = _steepness(gaussian_filter(calm, _AGAIN, mode="nearest"))
    steep = np.partition(before.ravel(), -max(8, int(_EDGES * before.size)))[-max(8, int(_EDGES * before.size)) :]
    edges = before >= max(float(steep.min()), 1e-3)
    if not edges.any():
        return _MOST_BLUR
    ratio = float(np.median(before[edges] / np.maximum(after[edges], 1e-6)))
    if ratio <= 1.0:
        return _MOST_BLUR
    whole = _AGAIN**2 / (ratio**2 - 1)
    # Without what was blurred here before.
    return float(min(_MOST_BLUR, np.sqrt(max(0.0, whole - _CALM**2))))


def _noise(wide: FloatArray) -> float:
    if min(wide.shape) < 3:
        return 0.0
    left = np.abs(convolve(wide, _MASK, mode="nearest")[1:-1, 1:-1])
    return _OF_MASK * float(left.mean()) / 255
