"""Facts of a picture that tell why a network errs on it: how strong its contrast is, and how sharp it is."""

from dataclasses import dataclass

import numpy as np
from scipy.ndimage import gaussian_filter

from vast_orchard.core.arrays import Array

__all__ = ["PictureMeasures", "measure"]

# What lies between the picture and itself blurred so far, in pixels: fine detail, and all detail.
_FINE, _ALL = 1.0, 8.0
# Of 255: below it a picture is taken for even, and its detail for noise of the encoding.
_EVEN = 1.0


@dataclass(frozen=True, kw_only=True)
class PictureMeasures:
    """Of one picture; contrast and sharpness do not depend on each other."""

    contrast: float  # standard deviation of the brightness, 0 to 0.5
    sharpness: float  # share of the detail that is fine, 0 to 1; 0 for an even picture


def measure(brightness: Array) -> PictureMeasures:
    """Measure a picture.

    Parameters
    ----------
    brightness : ndarray, shape (H, W), uint8
        Best at the size that people see: the sharpness of a reduced picture is that of what is left.
    """
    wide = brightness.astype(np.float32)
    fine = float(np.abs(wide - gaussian_filter(wide, _FINE, mode="nearest")).mean())
    detail = float(np.abs(wide - gaussian_filter(wide, _ALL, mode="nearest")).mean())
    return PictureMeasures(
        contrast=float(wide.std()) / 255, sharpness=min(1.0, fine / detail) if detail >= _EVEN else 0.0
    )
