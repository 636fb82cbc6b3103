"""Lays one picture over another: turned, zoomed and shifted a little, until they agree as well as they can."""

from collections.abc import Callable

import numpy as np

from vast_orchard.core.arrays import Array, FloatArray
from vast_orchard.core.pictures._alignment_kernels import agree_pairs, align_pairs
from vast_orchard.core.team import Team
from vast_orchard.errors import ShapeError

__all__ = ["align", "concordance"]

# No pair is pulled further than this, so that two different crystals are not turned until they fit: zoom, turn in
# radians (7.4°), shift each way in half widths.
_FURTHEST = np.float32(0.13)
# Less overlap than this share says nothing.
_FEWEST = 0.6
# A sum of squared grey levels below this is rounding.
_NOTHING = 1e-3
# Pairs that one thread takes at a time.
_AT_ONCE = 64


def align(
    first: FloatArray,
    second: FloatArray,
    *,
    begin: FloatArray | None = None,
    steps: int = 6,
    team: Team | None = None,
) -> FloatArray:
    """Find the turn, zoom and shift that lay each second picture on its first.

    Gauss and Newton's method on the squared differences, with gain and offset of the light left free (Lucas and Kanade
    1981; the additive form of Baker and Matthews, *Lucas-Kanade 20 Years On*, 2004).

    Parameters
    ----------
    first, second : ndarray, shape (P, S, S), float32
        Grey values of square pictures, 0 to 255, at least two pixels wide.
    begin : ndarray, shape (P, 4), float32, optional
        Poses to begin from, as found on smaller pictures; lying as they are by default.
    steps : int
        Of the search. From a picture that lies as it is, a turn of 4° is found in three or four.
    team : Team, optional
        Threads to share out the pairs.

    Returns
    -------
    ndarray, shape (P, 4), float32
        Poses: zoom - 1, turn in radians, shift right and down in half widths; each at most 0.13 either way.

    Raises
    ------
    ShapeError
    """
    _check(first, second, "P, side, side")
    pose = np.zeros((len(first), 4), np.float32) if begin is None else begin.astype(np.float32)

    def some(start: int, number: int) -> None:
        align_pairs(first, second, steps, _FURTHEST, _NOTHING, start, number, pose)

    _share_out(some, len(first), team)
    return pose


def concordance(first: FloatArray, second: FloatArray, pose: FloatArray, *, team: Team | None = None) -> FloatArray:
    """How well coloured pictures agree in their poses: 1 where they are the same, light and tint included.

    Lin's concordance correlation coefficient (*A Concordance Correlation Coefficient to Evaluate Reproducibility*,
    1989), the sums of all channels taken together. Unlike Pearson's it falls with a difference of light, which
    turning, cropping and encoding again do not change.

    Parameters
    ----------
    first, second : ndarray, shape (P, C, S, S), float32
    pose : ndarray, shape (P, 4), float32
        Of the second on the first, as `align` finds it.
    team : Team, optional
        Threads to share out the pairs.

    Returns
    -------
    ndarray, shape (P,), float32
        -1 to 1; -1 where too little of them overlaps.

    Raises
    ------
    ShapeError
    """
    _check(first, second, "P, channels, side, side")
    found, overlap = np.empty(len(first), np.float32), np.empty(len(first), np.float32)

    def some(start: int, number: int) -> None:
        agree_pairs(first, second, pose, _NOTHING, start, number, found, overlap)

    _share_out(some, len(first), team)
    found[overlap < _FEWEST] = -1
    return found


def _check(first: Array, second: Array, wanted: str) -> None:
    fits = first.ndim == wanted.count(",") + 1 and first.shape[-1] == first.shape[-2] >= 2
    if first.shape != second.shape or not fits or first.dtype != np.float32 or second.dtype != np.float32:
        raise ShapeError(
            f"Pictures of shapes {first.shape} and {second.shape}, {first.dtype} and {second.dtype}, were given.",
            f"Give two of ({wanted}), float32.",
        )


def _share_out(some: Callable[[int, int], None], count: int, team: Team | None) -> None:
    (team or Team(1)).run(lambda start: some(start, min(_AT_ONCE, count - start)), range(0, count, _AT_ONCE))
