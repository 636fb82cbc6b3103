"""Compiled loops of convolution by minimal filtering F(2×2, 3×3): 16 products where the direct way takes 36.

Lavin & Gray 2016, "Fast Algorithms for Convolutional Neural Networks", section 4.1. Overlapping tiles of 4×4 pixels
are transformed by Bᵀ d B, filters by G g Gᵀ; each of the 16 places is then one matrix product over channels, and
Aᵀ m A gives 2×2 pixels. The gradient of the filters is the same turned round: Gᵀ (Σ Bᵀ d B · A m Aᵀ) G. The numbers of
the transforms are 0, ±1 and ½, so hardly a digit is lost.
"""

from numba import njit

from vast_orchard.core.ops._tile import LANES, POSITIONS, make_tile
from vast_orchard.core.ops._vectors import larger, load, spread, store

__all__ = ["gather_filters", "transform_filters", "winograd", "winograd_filters"]

_tile_1, _tile_2, _tile_3 = make_tile(1), make_tile(2), make_tile(3)


@njit(nogil=True, cache=True)
def _by_g(a, b, c, half):
    """G of three vectors."""
    middle = half * (a + c)
    return a, middle + half * b, middle - half * b, c


@njit(nogil=True, cache=True)
def transform_filters(weights, frame, packed):
    """Filters of the `frame` (C, F, length of a row) as `packed`, 16 places of (blocks, C, row).

    `weights` are flat, (3, 3, C, F), and longer by a vector. What fills up the last block stays as it was.
    """
    channels, filters, row = frame
    tap, blocks, half = channels * filters, -(-filters // row), spread(0.5, weights)
    place = blocks * channels * row
    for c in range(channels):
        for f in range(0, filters, LANES):
            p, rest = c * filters + f, filters - f
            block, lane = divmod(f, row)
            o = (block * channels + c) * row + lane
            a0, a1, a2, a3 = _by_g(load(weights, p), load(weights, p + 3 * tap), load(weights, p + 6 * tap), half)
            p += tap
            b0, b1, b2, b3 = _by_g(load(weights, p), load(weights, p + 3 * tap), load(weights, p + 6 * tap), half)
            p += tap
            c0, c1, c2, c3 = _by_g(load(weights, p), load(weights, p + 3 * tap), load(weights, p + 6 * tap), half)
            for filter_row in ((a0, b0, c0), (a1, b1, c1), (a2, b2, c2), (a3, b3, c3)):
                x, y, z = filter_row
                for value in _by_g(x, y, z, half):
                    store(packed, o, value, rest)
                    o += place


@njit(nogil=True, cache=True)
def gather_filters(sums, g, out):
    """The other way for gradients: Gᵀ u G of `sums` (16, C, F) into `out` (3, 3, C, F)."""
    _, _, channels, filters = out.shape
    for r in range(3):
        for s in range(3):
            for c in range(channels):
                target = out[r, s, c]
                target[:] = 0
                for place in range(16):
                    factor, source = g[place // 4, r] * g[place % 4, s], sums[place, c]
                    for f in range(filters):
                        target[f] += factor * source[f]


@njit(nogil=True, cache=True)
def _into(a, b, c, d):
    """Bᵀ of four vectors."""
    return a - c, b + c, c - b, b - d


@njit(nogil=True, cache=True)
def _out_of(a, b, c, d):
    """Aᵀ of four vectors."""
    return a + b + c, b - c - d


@njit(nogil=True, cache=True)
def _column(x, p, row):
    """Bᵀ of one column of a tile."""
    return _into(load(x, p), load(x, p + row), load(x, p + 2 * row), load(x, p + 3 * row))


@njit(nogil=True, cache=True)
def _take_tiles(x, frame, tiling, channels, first, tiles, place, out):
    """Transform `tiles` 4×4 tiles, from number `first` of the batch on, into `out`, 16 places of (tiles, C)."""
    start, row, image, _, _ = frame
    down, across = tiling
    for t in range(tiles):
        n, at = divmod(first + t, down * across)
        i, j = divmod(at, across)
        corner = start + n * image + 2 * i * row + 2 * j * channels
        for c in range(0, channels, LANES):
            p = corner + c
            a0, a1, a2, a3 = _column(x, p, row)
            b0, b1, b2, b3 = _column(x, p + channels, row)
            c0, c1, c2, c3 = _column(x, p + 2 * channels, row)
            d0, d1, d2, d3 = _column(x, p + 3 * channels, row)
            o = t * channels + c
            for tile_row in ((a0, b0, c0, d0), (a1, b1, c1, d1), (a2, b2, c2, d2), (a3, b3, c3, d3)):
                e, f, g, h = tile_row
                for value in _into(e, f, g, h):
                    store(out, o, value, channels - c)
                    o += place


@njit(nogil=True, cache=True)
def _product_column(products, o, place):
    """Aᵀ of one column of a tile of products."""
    return _out_of(
        load(products, o), load(products, o + 4 * place), load(products, o + 8 * place), load(products, o + 12 * place)
    )


@njit(nogil=True, cache=True)
def _give_tiles(products, place, filters, first, tiles, bias, slope, y, frame, tiling):
    """Transform `products`, 16 places of (tiles, F), back into 2×2 pixels each, with bias and ReLU."""
    start, row, image, _, _ = frame
    down, across = tiling
    factor = spread(slope, y)
    for t in range(tiles):
        n, at = divmod(first + t, down * across)
        i, j = divmod(at, across)
        corner = start + n * image + 2 * i * row + 2 * j * filters
        for c in range(0, filters, LANES):
            o, shift = t * filters + c, load(bias, c)
            u0, v0 = _product_column(products, o, place)
            u1, v1 = _product_column(products, o + place, place)
            u2, v2 = _product_column(products, o + 2 * place, place)
            u3, v3 = _product_column(products, o + 3 * place, place)
            p, q = _out_of(u0, u1, u2, u3)
            r, s = _out_of(v0, v1, v2, v3)
            p, q, r, s = p + shift, q + shift, r + shift, s + shift
            store(y, corner + c, larger(p, factor * p), filters - c)
            store(y, corner + c + filters, larger(q, factor * q), filters - c)
            store(y, corner + c + row, larger(r, factor * r), filters - c)
            store(y, corner + c + row + filters, larger(s, factor * s), filters - c)


@njit(nogil=True, cache=True)
def winograd(x, x_frame, y, y_frame, tiling, first, count, packed, bias, slope, room, x_at, y_at, taken, products):
    """Convolve images `first` to `first + count`, cut into `tiling` (down, across) tiles each, `room` at a time.

    `taken` and `products` are the caller's to write in: 16 places of (room, C) and of (room, F), and a vector between
    them. `x_at` and `y_at` are the offsets of their rows.
    """
    _, blocks, steps, row = packed.shape
    flat = packed.reshape(-1)
    # A vector between the places keeps them off the same lines of the cache, which powers of two would fall on.
    channels, filters = x_at[1] - x_at[0], y_at[1] - y_at[0]
    taken_place, product_place = room * channels + LANES, room * filters + LANES
    run, one, zeros = x_at[:1], y.dtype.type(1), bias[len(bias) - 4 * LANES :]
    a_tiling = tiling[0] * tiling[1]
    for tile in range(first * a_tiling, (first + count) * a_tiling, room):
        tiles = min(room, (first + count) * a_tiling - tile)
        _take_tiles(x, x_frame, tiling, channels, tile, tiles, taken_place, taken)
        for place in range(16):
            a = place * taken_place
            for block in range(blocks):
                o, lanes = place * product_place + block * row, filters - block * row
                w = (place * blocks + block) * steps * row
                for p in range(0, tiles, POSITIONS):
                    left = tiles - p
                    if row == LANES:
                        _tile_1(products, o, y_at, p, left, lanes, zeros, 0, 0,
                                taken, a, x_at, run, 1, flat, w, run, row, 1, steps, one)  # fmt: skip
                    elif row == 2 * LANES:
                        _tile_2(products, o, y_at, p, left, lanes, zeros, 0, 0,
                                taken, a, x_at, run, 1, flat, w, run, row, 1, steps, one)  # fmt: skip
                    else:
                        _tile_3(products, o, y_at, p, left, lanes, zeros, 0, 0,
                                taken, a, x_at, run, 1, flat, w, run, row, 1, steps, one)  # fmt: skip
        _give_tiles(products, product_place, filters, tile, tiles, bias, slope, y, y_frame, tiling)


@njit(nogil=True, cache=True)
def _spread_tiles(g, frame, tiling, filters, first, tiles, place, out):
    """A m Aᵀ of 2×2 pixels of a gradient each, into `out`, 16 places of (tiles, F)."""
    start, row, image, _, _ = frame
    down, across = tiling
    zero = spread(0, g)
    for t in range(tiles):
        n, at = divmod(first + t, down * across)
        i, j = divmod(at, across)
        corner = start + n * image + 2 * i * row + 2 * j * filters
        for c in range(0, filters, LANES):
            p, q = load(g, corner + c), load(g, corner + c + filters)
            r, s = load(g, corner + c + row), load(g, corner + c + row + filters)
            o = t * filters + c
            # A is (1, 0), (1, 1), (1, −1), (0, −1).
            for left, right in ((p, q), (p + r, q + s), (p - r, q - s), (zero - r, zero - s)):
                for value in (left, left + right, left - right, zero - right):
                    store(out, o, value, filters - c)
                    o += place


@njit(nogil=True, cache=True)
def winograd_filters(x, x_frame, g, g_frame, tiling, first, count, channels, filters, row, room,
                     sums, sum_at, c_at, taken, spread_out):  # fmt: skip
    """Add to `sums` (16, C, F) each tile's transformed pixels times its transformed gradient.

    `sum_at` are the offsets of its rows of filters and `c_at` counts channels; `taken` and `spread_out` are the
    caller's to write in, as in `winograd`.
    """
    taken_place, spread_place = room * channels + LANES, room * filters + LANES
    run, one = c_at[:1], g.dtype.type(1)
    a_tiling = tiling[0] * tiling[1]
    for tile in range(first * a_tiling, (first + count) * a_tiling, room):
        tiles = min(room, (first + count) * a_tiling - tile)
        _take_tiles(x, x_frame, tiling, channels, tile, tiles, taken_place, taken)
        _spread_tiles(g, g_frame, tiling, filters, tile, tiles, spread_place, spread_out)
        for place in range(16):
            a = place * taken_place
            for f in range(0, filters, row):
                o, b, lanes = place * channels * filters + f, place * spread_place + f, filters - f
                for c in range(0, channels, POSITIONS):
                    left = channels - c
                    if row == LANES:
                        _tile_1(sums, o, sum_at, c, left, lanes, sums, o, 1, taken, a, c_at, run, channels,
                                spread_out, b, run, filters, 1, tiles, one)  # fmt: skip
                    elif row == 2 * LANES:
                        _tile_2(sums, o, sum_at, c, left, lanes, sums, o, 1, taken, a, c_at, run, channels,
                                spread_out, b, run, filters, 1, tiles, one)  # fmt: skip
                    else:
                        _tile_3(sums, o, sum_at, c, left, lanes, sums, o, 1, taken, a, c_at, run, channels,
                                spread_out, b, run, filters, 1, tiles, one)  # fmt: skip
