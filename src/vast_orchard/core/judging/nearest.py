"""Which of many pictures lie nearest to one in a network's features."""

import numpy as np

from vast_orchard.core.arrays import Array, FloatArray

__all__ = ["nearest"]

# Widened from half precision so many at a time, which bounds memory.
_AT_ONCE = 16_384


def nearest(features: Array, one: FloatArray, count: int) -> list[tuple[int, float]]:
    """Rows and their likeness: the cosine of the angle between both, largest first.

    Parameters
    ----------
    features : ndarray, shape (N, F), float16
        Of unit length.
    one : ndarray, shape (F,), float32
        Of unit length.
    count : int
        So many at the most.
    """
    parts = [features[start : start + _AT_ONCE].astype(np.float32) @ one for start in range(0, len(features), _AT_ONCE)]
    likeness = np.concatenate(parts) if parts else np.zeros(0, np.float32)
    # Equally near ones in the order in which they stand.
    rows = np.argsort(-likeness, kind="stable")[:count]
    return [(int(row), float(np.clip(likeness[row], -1, 1))) for row in rows]
