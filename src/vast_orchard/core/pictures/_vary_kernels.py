"""Compiled loops of a variation: random numbers by counting, one resampling, one pass over colours, then damage."""

import numpy as np
from numba import njit

from vast_orchard.core.ops._vectors import load_bytes, spread, store

__all__ = ["PLAN", "draw_uniforms", "vary_pictures"]

# What happens to one picture. The words of the key count its noise.
PLAN = np.dtype(
    [
        ("way", np.uint8),  # 0: no pixel moves; 1: parallels stay parallel; 2: perspective
        ("matrix", np.float32, (9,)),  # from a place in the result to one in the picture, both from the middle
        ("recoloured", np.uint8),
        ("colour", np.float32, (9,)),  # of red, green, blue; of grey pictures the first alone
        ("contrast", np.float32),
        ("gamma", np.float32),
        ("blur", np.float32),  # deviation in pixels; 0 is off, here and below
        ("sharpen", np.float32),
        ("noise", np.float32),  # deviation in levels of 0 to 255
        ("quality", np.int32),
        ("block", np.int32, (4,)),  # top, left, height, width
        ("grid", np.float32, (6,)),  # period, side and offset of the squares: down and across each
        ("key", np.uint32, (4,)),
    ],
    align=True,
)

_LOW = np.uint64(0xFFFFFFFF)
_HALF = np.uint64(32)
_TABLE_BITS = 12
# Steps of the table for gamma: fine enough that a straight line between two of them is off by less than a level.
_GAMMA_STEPS = 1024

# ITU-T T.81, annex K: quantisation of luminance and chrominance.
_LUMINANCE = np.array(
    [
        [16, 11, 10, 16, 24, 40, 51, 61],
        [12, 12, 14, 19, 26, 58, 60, 55],
        [14, 13, 16, 24, 40, 57, 69, 56],
        [14, 17, 22, 29, 51, 87, 80, 62],
        [18, 22, 37, 56, 68, 109, 103, 77],
        [24, 35, 55, 64, 81, 104, 113, 92],
        [49, 64, 78, 87, 103, 121, 120, 101],
        [72, 92, 95, 98, 112, 100, 103, 99],
    ],
    np.float32,
)
_CHROMINANCE = np.full((8, 8), 99, np.float32)
_CHROMINANCE[:4, :4] = [[17, 18, 24, 47], [18, 21, 26, 66], [24, 26, 56, 99], [47, 66, 99, 99]]
# The orthonormal discrete cosine transform: row u holds the cosine of frequency u.
_COSINES = np.array(
    [[np.sqrt((1 if u == 0 else 2) / 8) * np.cos((2 * x + 1) * u * np.pi / 16) for x in range(8)] for u in range(8)],
    np.float32,
)
_COSINES_DOWN = np.ascontiguousarray(_COSINES.T)


@njit(nogil=True, cache=True, inline="always")
def _philox(c0, c1, c2, c3, k0, k1):
    """Philox4x32-10 of Salmon et al. 2011, "Parallel random numbers: as easy as 1, 2, 3"; words in 64-bit numbers."""
    for _ in range(10):
        p0 = np.uint64(0xD2511F53) * c0
        p1 = np.uint64(0xCD9E8D57) * c2
        c0, c1, c2, c3 = (p1 >> _HALF) ^ c1 ^ k0, p1 & _LOW, (p0 >> _HALF) ^ c3 ^ k1, p0 & _LOW
        k0 = (k0 + np.uint64(0x9E3779B9)) & _LOW
        k1 = (k1 + np.uint64(0xBB67AE85)) & _LOW
    return c0, c1, c2, c3


@njit(nogil=True, cache=True)
def draw_uniforms(identities, codes, seed, epoch, repeats, out):
    """`out` (N, K, 8): numbers in [0, 1) of 24 bits for each picture and operation."""
    scale = 1.0 / 16777216.0
    for n in range(len(identities)):
        low, high = identities[n] & _LOW, identities[n] >> _HALF
        for k in range(len(codes)):
            for block in range(2):
                words = _philox(
                    np.uint64(2 * codes[k] + block), np.uint64(epoch), np.uint64(seed), np.uint64(2 * repeats[n]),
                    low, high,
                )  # fmt: skip
                for w in range(4):
                    out[n, k, 4 * block + w] = (words[w] >> np.uint64(8)) * scale


@njit(nogil=True, cache=True, inline="always")
def _reflected(position, last):
    """A place outside 0 … last, mirrored at the edges as often as it takes."""
    position = abs(position)
    if position > last:
        span = last + last
        position = position - span * np.float32(np.floor(position / span))
        if position > last:
            position = span - position
    return min(max(position, np.float32(0)), last)


@njit(nogil=True, cache=True)
def _resample(source, start, way, matrix, out):
    """Bilinear, the edge mirrored outwards; the picture begins at `start` of a flat array with slack behind it."""
    height, width, channels = out.shape
    one, nearest = np.float32(1), np.float32(0.05)
    middle_y, middle_x = np.float32((height - 1) / 2), np.float32((width - 1) / 2)
    last_y, last_x = np.float32(height - 1), np.float32(width - 1)
    m0, m1, m2, m3, m4, m5 = matrix[0], matrix[1], matrix[2], matrix[3], matrix[4], matrix[5]
    m6, m7, m8 = matrix[6], matrix[7], matrix[8]
    line, target, at = channels * width, out.reshape(-1), 0
    for i in range(height):
        v = np.float32(i) - middle_y
        for j in range(width):
            u = np.float32(j) - middle_x
            x, y = m0 * u + m1 * v + m2, m3 * u + m4 * v + m5
            if way == 2:
                # Made smaller or slanted as well, a picture can reach beyond the horizon; what lies there is not shown.
                w = one / max(m6 * u + m7 * v + m8, nearest)
                x, y = x * w, y * w
            x, y = x + middle_x, y + middle_y
            if x < 0 or x > last_x:
                x = _reflected(x, last_x)
            if y < 0 or y > last_y:
                y = _reflected(y, last_y)
            top, left = min(int(y), height - 2), min(int(x), width - 2)
            # All channels of a pixel are loaded and worked on at once.
            first = start + top * line + channels * left
            down, across = spread(y - np.float32(top), target), spread(x - np.float32(left), target)
            p, q = load_bytes(source, first, down), load_bytes(source, first + channels, down)
            r, s = load_bytes(source, first + line, down), load_bytes(source, first + line + channels, down)
            upper, lower = p + (q - p) * across, r + (s - r) * across
            store(target, at, upper + (lower - upper) * down, channels)
            at += channels


@njit(nogil=True, cache=True)
def _mean(source, start, size):
    total = np.int64(0)
    for k in range(start, start + size):
        total += source[k]
    return np.float32(total / size)


@njit(nogil=True, cache=True)
def _recolour(picture, colour, contrast, mean, gamma):
    """One pass: contrast about the mean, a matrix on the colours, then gamma; in place."""
    height, width, channels = picture.shape
    zero, most, steps = np.float32(0), np.float32(255), np.float32(_GAMMA_STEPS / 255)
    table = np.empty(_GAMMA_STEPS + 2, np.float32)
    if gamma != 1:
        for k in range(_GAMMA_STEPS + 2):
            table[k] = most * np.float32((k / _GAMMA_STEPS) ** gamma)
    rest = (np.float32(1) - contrast) * mean
    for i in range(height):
        for j in range(width):
            if channels == 3:
                a, b, c = picture[i, j, 0], picture[i, j, 1], picture[i, j, 2]
                a, b, c = contrast * a + rest, contrast * b + rest, contrast * c + rest
                picture[i, j, 0] = colour[0] * a + colour[1] * b + colour[2] * c
                picture[i, j, 1] = colour[3] * a + colour[4] * b + colour[5] * c
                picture[i, j, 2] = colour[6] * a + colour[7] * b + colour[8] * c
            else:
                picture[i, j, 0] = colour[0] * (contrast * picture[i, j, 0] + rest)
            if gamma != 1:
                for c in range(channels):
                    place = min(max(picture[i, j, c], zero), most) * steps
                    below = int(place)
                    picture[i, j, c] = table[below] + (table[below + 1] - table[below]) * (place - np.float32(below))


@njit(nogil=True, cache=True)
def _mirrored_place(place, size):
    """A whole place outside 0 … size − 1, mirrored at the edge pixels."""
    if size == 1:
        return 0
    place = abs(place) % (2 * (size - 1))
    return place if place < size else 2 * (size - 1) - place


@njit(nogil=True, cache=True)
def _blur(picture, deviation, temporary, out):
    """Gaussian of three deviations either way, the edge mirrored outwards."""
    height, width, channels = picture.shape
    radius, line = int(np.ceil(3 * deviation)), width * channels
    weights = np.empty(2 * radius + 1, np.float32)
    for k in range(2 * radius + 1):
        weights[k] = np.exp(-0.5 * ((k - radius) / deviation) ** 2)
    weights /= weights.sum()
    source, between, target = picture.reshape(height, line), temporary.reshape(height, line), out.reshape(height, line)
    # A row with its mirrored ends, so that the loop along it is a plain one.
    row = np.empty((width + 2 * radius) * channels, np.float32)
    for i in range(height):
        _clear(between[i])
        for k in range(2 * radius + 1):
            _add_times(between[i], source[_mirrored_place(i + k - radius, height)], weights[k])
    for i in range(height):
        for j in range(width + 2 * radius):
            place = _mirrored_place(j - radius, width)
            for c in range(channels):
                row[j * channels + c] = between[i, place * channels + c]
        _clear(target[i])
        for k in range(2 * radius + 1):
            _add_times(target[i], row[k * channels : k * channels + line], weights[k])


@njit(nogil=True, cache=True)
def _clear(row):
    for x in range(len(row)):
        row[x] = 0


@njit(nogil=True, cache=True)
def _add_times(row, other, weight):
    for x in range(len(row)):
        row[x] += weight * other[x]


@njit(nogil=True, cache=True)
def _add_noise(flat, deviation, key, table):
    """Gaussian numbers from a table of their inverse distribution, eight of each call of the generator; in place."""
    k0, k1, epoch, seed = np.uint64(key[0]), np.uint64(key[1]), np.uint64(key[2]), np.uint64(key[3])
    size = len(flat)
    shift, mask = np.uint64(16 - _TABLE_BITS), np.uint64((1 << _TABLE_BITS) - 1)
    upper = np.uint64(32 - _TABLE_BITS)
    stream = np.uint64(1)  # even ones are for `draw_uniforms`
    for block in range((size + 7) // 8):
        words = _philox(np.uint64(block), epoch, seed, stream, k0, k1)
        start = 8 * block
        if start + 8 <= size:
            for w in range(4):
                flat[start + 2 * w] += deviation * table[(words[w] >> shift) & mask]
                flat[start + 2 * w + 1] += deviation * table[words[w] >> upper]
        else:
            for w in range(4):
                if start + 2 * w < size:
                    flat[start + 2 * w] += deviation * table[(words[w] >> shift) & mask]
                if start + 2 * w + 1 < size:
                    flat[start + 2 * w + 1] += deviation * table[words[w] >> upper]


@njit(nogil=True, cache=True)
def _round(source, start, out):
    """Flat floats to whole numbers of 0 to 255 in `out`, from `start` on."""
    zero, half, most = np.float32(0), np.float32(0.5), np.float32(255)
    for k in range(len(source)):
        value = source[k] + half
        value = value if value > zero else zero
        out[start + k] = np.uint8(np.int32(value if value < most else most))


@njit(nogil=True, cache=True)
def _quantised(block, steps, temporary):
    """An 8×8 block through the transform, rounded to multiples of the steps, and back; in place."""
    _product(_COSINES, block, temporary)
    _product(temporary, _COSINES_DOWN, block)
    for u in range(8):
        for v in range(8):
            block[u, v] = np.rint(block[u, v] / steps[u, v]) * steps[u, v]
    _product(_COSINES_DOWN, block, temporary)
    _product(temporary, _COSINES, block)


@njit(nogil=True, cache=True)
def _product(a, b, out):
    """Of two 8×8 matrices; the inner loop runs along rows."""
    for i in range(8):
        for j in range(8):
            out[i, j] = a[i, 0] * b[0, j]
        for k in range(1, 8):
            for j in range(8):
                out[i, j] += a[i, k] * b[k, j]


@njit(nogil=True, cache=True)
def _compress(picture, quality):
    """What JPEG's quantisation (ITU-T T.81) does to a picture (H, W, C) of 0 to 255, float32; in place.

    Colours as ITU-T T.871 has them, without halving the chrominance; the edge is repeated to full blocks. Quality
    scales the tables of annex K by the rule that most encoders share: 5000 / q percent below 50, else 200 − 2 q.
    """
    height, width, channels = picture.shape
    scale = np.float32(5000 // quality if quality < 50 else 200 - 2 * quality)
    if channels == 3:
        for i in range(height):
            for j in range(width):
                a, b, c = picture[i, j, 0], picture[i, j, 1], picture[i, j, 2]
                picture[i, j, 0] = np.float32(0.299) * a + np.float32(0.587) * b + np.float32(0.114) * c
                picture[i, j, 1] = np.float32(-0.168736) * a - np.float32(0.331264) * b + np.float32(0.5) * c + 128
                picture[i, j, 2] = np.float32(0.5) * a - np.float32(0.418688) * b - np.float32(0.081312) * c + 128
    block, temporary, steps = np.empty((8, 8), np.float32), np.empty((8, 8), np.float32), np.empty((8, 8), np.float32)
    for c in range(channels):
        table = _LUMINANCE if c == 0 else _CHROMINANCE
        for u in range(8):
            for v in range(8):
                steps[u, v] = min(max(np.floor((table[u, v] * scale + 50) / 100), 1), 255)
        for top in range(0, height, 8):
            for left in range(0, width, 8):
                for y in range(8):
                    for x in range(8):
                        block[y, x] = picture[min(top + y, height - 1), min(left + x, width - 1), c] - 128
                _quantised(block, steps, temporary)
                for y in range(min(8, height - top)):
                    for x in range(min(8, width - left)):
                        picture[top + y, left + x, c] = block[y, x] + 128
    if channels == 3:
        for i in range(height):
            for j in range(width):
                a, b, c = picture[i, j, 0], picture[i, j, 1] - 128, picture[i, j, 2] - 128
                picture[i, j, 0] = a + np.float32(1.402) * c
                picture[i, j, 1] = a - np.float32(0.344136) * b - np.float32(0.714136) * c
                picture[i, j, 2] = a + np.float32(1.772) * b


@njit(nogil=True, cache=True)
def _cover(picture, block, grid):
    """A rectangle and a grid of squares in the picture's mean colour; in place."""
    height, width, channels = picture.shape
    flat, means = picture.reshape(-1), np.zeros(channels, np.float64)
    for k in range(0, len(flat), channels):
        for c in range(channels):
            means[c] += flat[k + c]
    means /= height * width
    across = np.zeros(width, np.bool_)
    for j in range(width):
        across[j] = grid[4] > 0 and (j + np.float32(0.5) + grid[5]) % grid[3] < grid[4]
    for i in range(height):
        row = grid[1] > 0 and (i + np.float32(0.5) + grid[2]) % grid[0] < grid[1]
        inside = block[0] <= i < block[0] + block[2]
        if row or inside:
            for j in range(width):
                if (inside and block[1] <= j < block[1] + block[3]) or (row and across[j]):
                    for c in range(channels):
                        picture[i, j, c] = means[c]


@njit(nogil=True, cache=True)
def vary_pictures(pixels, shape, plan, table, first, count, out):
    """Some pictures as the plan says.

    `pixels` and `out` are flat and hold pictures of `shape` (H, W, C), uint8; behind the last of `pixels` there is
    slack of a vector. `table` turns 12 bits into a normal number.
    """
    size = shape[0] * shape[1] * shape[2]
    picture, other, temporary = np.empty(shape, np.float32), np.empty(shape, np.float32), np.empty(shape, np.float32)
    flat = picture.reshape(-1)
    for n in range(first, first + count):
        step, start = plan[n], n * size
        if step.way == 0:
            for k in range(size):
                flat[k] = pixels[start + k]
        else:
            _resample(pixels, start, step.way, step.matrix, picture)
        if step.recoloured:
            mean = _mean(pixels, start, size) if step.contrast != 1 else np.float32(0)
            _recolour(picture, step.colour, step.contrast, mean, step.gamma)
        if step.blur > 0:
            _blur(picture, step.blur, temporary, other)
            picture[:] = other
        if step.sharpen > 0:
            _blur(picture, np.float32(1), temporary, other)
            picture += step.sharpen * (picture - other)
        if step.noise > 0:
            _add_noise(flat, step.noise, step.key, table)
        if step.quality > 0:
            _round(flat, start, out)
            for k in range(size):
                flat[k] = out[start + k]
            _compress(picture, step.quality)
        if step.block[2] > 0 or step.grid[1] > 0:
            _cover(picture, step.block, step.grid)
        _round(flat, start, out)
