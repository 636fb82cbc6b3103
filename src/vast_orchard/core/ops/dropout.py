"""Dropout (Srivastava et al. 2014), scaled in training so that inference does nothing."""

import numpy as np

from vast_orchard.core.arrays import FloatArray
from vast_orchard.errors import SettingError

__all__ = ["dropout_mask"]


def dropout_mask(
    shape: tuple[int, ...], rate: float, random: np.random.Generator, dtype: np.dtype[np.floating]
) -> FloatArray:
    """Zeros with probability `rate`, else 1 / (1 − rate); multiply x and its gradient by it.

    Of the shape and floating dtype asked for.

    Raises
    ------
    SettingError
        The rate is not at least 0 and below 1.
    """
    if not 0 <= rate < 1:
        raise SettingError(f"The dropout rate is {rate}.", "Choose one from 0 up to, but not including, 1.")
    kept = random.random(shape, dtype=np.float32) >= rate
    return kept.astype(dtype) / dtype.type(1 - rate)
