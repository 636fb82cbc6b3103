"""Where in a picture the network looks: by gradients at a layer, and by covering parts of the picture."""

from collections.abc import Callable

import numpy as np
from scipy.ndimage import zoom

from vast_orchard.core.arrays import Array, FloatArray
from vast_orchard.core.network.network import Network
from vast_orchard.core.network.sensitivity import sensitivity

__all__ = ["covered", "covering_heatmap", "gradient_heatmap", "hottest", "upscaled"]

# A part is a sixth of the side, and every third of it there is one: 16 by 16 of them at any size.
_PARTS_ALONG = 6
_STEPS_A_PART = 3


def gradient_heatmap(network: Network, x: FloatArray, class_place: int, layer: str) -> FloatArray:
    """Where the feature maps of a layer speak for a class.

    Selvaraju et al. 2017, "Grad-CAM": each map is weighted by the mean gradient of the class's logit over it; what
    speaks against the class is left out.

    Parameters
    ----------
    network : Network
    x : ndarray, shape (1, H, W, C)
        One picture, standardised.
    class_place : int
    layer : str
        One of `mapped_layers`.

    Returns
    -------
    ndarray, shape (h, w), float32
        The layer's own height and width; the largest is 1, or all are 0 where nothing speaks for the class.
    """
    found = sensitivity(network, x, class_place, layer)
    weights = found.gradient.mean(axis=(0, 1))
    return _to_one(np.maximum(found.values @ weights, 0))


def covering_heatmap(
    answer: Callable[[Array], FloatArray], pixels: Array, class_place: int, ground: Array | None = None
) -> FloatArray:
    """How far a class's probability falls when a part of the picture is covered.

    Zeiler and Fergus 2014, "Visualizing and understanding convolutional networks", section 4.2; covered with the
    picture's mean colour.

    Parameters
    ----------
    answer : callable
        From pixels (N, H, W, C), uint8, to probabilities (N, K).
    pixels : ndarray, shape (H, W, C), uint8
    class_place : int
    ground : ndarray, shape (C,), optional
        What parts are covered with instead.

    Returns
    -------
    ndarray, shape (H, W), float32
        Mean fall over the parts that cover a pixel; the largest is 1, or all are 0 where covering lowers nothing.
    """
    height, width, _ = pixels.shape
    rows, columns = _parts(height), _parts(width)
    colour = _mean(pixels) if ground is None else ground
    places = [(row, column) for row in rows for column in columns]
    pictures = np.repeat(pixels[None], len(places) + 1, axis=0)
    for picture, (row, column) in zip(pictures[1:], places, strict=True):
        picture[row, column] = colour
    p = answer(pictures)[:, class_place].astype(np.float64)
    falls, counts = np.zeros((height, width)), np.zeros((height, width))
    for fall, (row, column) in zip(p[0] - p[1:], places, strict=True):
        falls[row, column] += fall
        counts[row, column] += 1
    return _to_one(np.maximum(falls / counts, 0))


def _parts(side: int) -> list[slice]:
    size = max(1, round(side / _PARTS_ALONG))
    count = min(side - size + 1, (_PARTS_ALONG - 1) * _STEPS_A_PART + 1)
    return [slice(start, start + size) for start in np.linspace(0, side - size, count).round().astype(int)]


def _mean(pixels: Array) -> Array:
    return np.asarray(pixels.reshape(-1, pixels.shape[2]).mean(axis=0).round(), np.uint8)


def _to_one(heat: FloatArray) -> FloatArray:
    most = float(heat.max())
    return (heat / most if most > 0 else heat).astype(np.float32)


def upscaled(heat: FloatArray, height: int, width: int) -> FloatArray:
    """A heatmap at a picture's size, between its values in straight lines, the largest 1 again.

    Shape (height, width), float32, for (h, w).
    """
    factors = (height / heat.shape[0], width / heat.shape[1])
    return _to_one(zoom(heat, factors, order=1, mode="nearest", grid_mode=True))


def hottest(heat: FloatArray, share: float) -> Array:
    """The hottest share of the pixels: (H, W), bool; among equals those that come first."""
    count = round(share * heat.size)
    mask = np.zeros(heat.size, bool)
    mask[np.argsort(-heat, axis=None, kind="stable")[:count]] = True
    return mask.reshape(heat.shape)


def covered(pixels: Array, mask: Array) -> Array:
    """A picture (H, W, C), uint8, with its mean colour where `mask` (H, W) says so."""
    return np.where(mask[..., None], _mean(pixels), pixels)
