"""Patches of padded pictures, gathered into a given array; only moves numbers."""

import numpy as np

from vast_orchard.core.arrays import FloatArray

__all__ = ["gather_patches"]


def gather_patches(padded: FloatArray, kernel: tuple[int, int], patches: FloatArray) -> None:
    """Copy every `kernel` window of `padded` (N, H, W, C) into `patches` (N, H', W', kh, kw, C)."""
    windows = np.lib.stride_tricks.sliding_window_view(padded, kernel, axis=(1, 2))
    np.copyto(patches, windows.transpose(0, 1, 2, 4, 5, 3))
