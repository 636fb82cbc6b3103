"""Compiled loops that lay pictures over each other; only arithmetic."""

import numpy as np
from numba import njit

__all__ = ["agree_pairs", "align_pairs"]


@njit(nogil=True, cache=True)
def _read_from(side, pose, i, j):
    """Where pixel (i, j) of the first lies on the second; a hair outside is inside, so that rounding takes no edge."""
    half = np.float32((side - 1) / 2)
    u, v = np.float32(j) / half - np.float32(1), np.float32(i) / half - np.float32(1)
    one = np.float32(1)
    x = half * (one + (one + pose[0]) * u - pose[1] * v + pose[2])
    y = half * (one + pose[1] * u + (one + pose[0]) * v + pose[3])
    hair, last = np.float32(1e-3), np.float32(side - 1)
    inside = x > -hair and y > -hair and x < last + hair and y < last + hair
    return inside, min(max(x, np.float32(0)), last), min(max(y, np.float32(0)), last)


@njit(nogil=True, cache=True)
def _lay(second, pose, lying, inside):
    """The second picture (S, S) as it lies in its pose, read between pixels along straight lines."""
    side = second.shape[0]
    one = np.float32(1)
    for i in range(side):
        for j in range(side):
            inside[i, j], x, y = _read_from(side, pose, i, j)
            left, top = min(int(x), side - 2), min(int(y), side - 2)
            across, along = x - np.float32(left), y - np.float32(top)
            upper = second[top, left] * (one - across) + second[top, left + 1] * across
            lower = second[top + 1, left] * (one - across) + second[top + 1, left + 1] * across
            lying[i, j] = upper * (one - along) + lower * along


@njit(nogil=True, cache=True)
def _sums(first, lying, seen):
    """Number of pixels seen, means, and sums of squares and products about them."""
    side = first.shape[0]
    count, sum_first, sum_lying = 0, 0.0, 0.0
    for i in range(side):
        for j in range(side):
            if seen[i, j]:
                count += 1
                sum_first += first[i, j]
                sum_lying += lying[i, j]
    mean_first, mean_lying = sum_first / max(count, 1), sum_lying / max(count, 1)
    squares_first, squares_lying, products = 0.0, 0.0, 0.0
    for i in range(side):
        for j in range(side):
            if seen[i, j]:
                a, b = first[i, j] - mean_first, lying[i, j] - mean_lying
                squares_first += a * a
                squares_lying += b * b
                products += a * b
    return count, mean_first, mean_lying, squares_first, squares_lying, products


@njit(nogil=True, cache=True)
def _known_slopes(inside, known):
    """Where both neighbours of a pixel are, each way."""
    side = inside.shape[0]
    for i in range(side):
        for j in range(side):
            known[i, j] = (
                inside[i, j]
                and inside[max(i - 1, 0), j]
                and inside[min(i + 1, side - 1), j]
                and inside[i, max(j - 1, 0)]
                and inside[i, min(j + 1, side - 1)]
            )


@njit(nogil=True, cache=True)
def _step(first, lying, known, nothing, pose, furthest):
    """Change the pose by the least squares of the differences that are left."""
    side = first.shape[0]
    _, mean_first, mean_lying, squares_first, _, products = _sums(first, lying, known)
    gain = products / max(squares_first, nothing)
    normal, pull, slopes = np.zeros((4, 4)), np.zeros(4), np.zeros(4)
    half = (side - 1) / 2
    for i in range(side):
        up, low = max(i - 1, 0), min(i + 1, side - 1)
        for j in range(side):
            if not known[i, j]:
                continue
            left, right = max(j - 1, 0), min(j + 1, side - 1)
            across = (lying[i, right] - lying[i, left]) / (right - left) * half
            along = (lying[low, j] - lying[up, j]) / (low - up) * half
            u, v = j / half - 1, i / half - 1
            slopes[0], slopes[1] = across * u + along * v, along * u - across * v
            slopes[2], slopes[3] = across, along
            left_over = gain * (first[i, j] - mean_first) - (lying[i, j] - mean_lying)
            for n in range(4):
                pull[n] += slopes[n] * left_over
                for m in range(n + 1):
                    normal[n, m] += slopes[n] * slopes[m]
    trace = normal[0, 0] + normal[1, 1] + normal[2, 2] + normal[3, 3]
    for n in range(4):
        for m in range(n):
            normal[m, n] = normal[n, m]
        # A little of Levenberg's damping: a picture of one colour has no slopes at all.
        normal[n, n] += 1e-3 * trace / 4 + 1e-3
    change = np.linalg.solve(normal, pull)
    for n in range(4):
        pose[n] = min(max(pose[n] + np.float32(change[n]), -furthest), furthest)


@njit(nogil=True, cache=True)
def align_pairs(first, second, steps, furthest, nothing, begin, count, pose):
    """Poses (P, 4) in which the second (P, S, S) lie on the first."""
    side = first.shape[1]
    lying = np.empty((side, side), np.float32)
    inside, known = np.empty((side, side), np.bool_), np.empty((side, side), np.bool_)
    for n in range(begin, begin + count):
        for _ in range(steps):
            _lay(second[n], pose[n], lying, inside)
            _known_slopes(inside, known)
            _step(first[n], lying, known, nothing, pose[n], furthest)


@njit(nogil=True, cache=True)
def agree_pairs(first, second, pose, nothing, begin, count, concordance, overlap):
    """Lin's coefficient (P,) of coloured pictures (P, C, S, S) in their poses, and the share of overlap (P,)."""
    _, channels, side, _ = first.shape
    lying = np.empty((side, side), np.float32)
    inside = np.empty((side, side), np.bool_)
    for n in range(begin, begin + count):
        together, spread, seen = 0.0, 0.0, 0
        for c in range(channels):
            _lay(second[n, c], pose[n], lying, inside)
            seen, mean_first, mean_lying, squares_first, squares_lying, products = _sums(first[n, c], lying, inside)
            together += 2 * products
            spread += squares_first + squares_lying + seen * (mean_first - mean_lying) ** 2
        # Two pictures of one and the same colour agree, though they have no spread.
        concordance[n] = together / spread if spread > nothing else 1.0
        overlap[n] = seen / (side * side)
