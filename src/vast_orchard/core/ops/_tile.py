"""The one inner loop of convolution, dense layers and their gradients, written as LLVM vector instructions.

A tile keeps `POSITIONS` × `vectors` accumulators in registers and adds one product to each for every step of a sum.
A compiler that starts from scalar loops keeps them in memory instead, which costs most of the machine's speed; and
vector instructions of LLVM need no compiler on the user's machine, because Numba brings its own.
"""

from collections.abc import Callable
from typing import Any

from llvmlite import ir
from numba import types
from numba.extending import intrinsic

from vast_orchard.core.ops._vectors import LANES, Emitter

__all__ = ["LANES", "POSITIONS", "make_tile"]

# Rows of a tile. 32 registers of 16 values hold 8 × 3 accumulators, three weights and a broadcast value; the 16
# registers of smaller processors hold 4 × 3.
POSITIONS = 8 if LANES == 16 else 4

_I64 = ir.IntType(64)


def make_tile(vectors: int, *, channelwise: bool = False) -> Callable[..., Any]:
    """An intrinsic for Numba that computes one tile of a sum of products.

    In the notation of NumPy, for p in 0 … POSITIONS − 1 and a row of `vectors` · LANES values::

        y[p] = start[p] + Σ_s Σ_k  a[a_at[first + p] + a_runs[s] + k · a_step] · b[b_runs[s] + k · b_step + (0 … row)]
        out[out_at[first + p] + (0 … row)] = max(y[p], slope · y[p])

    where `a` gives one value that is multiplied with the whole row or, `channelwise`, a row of its own. Offsets are
    counted in values. The arguments are, in order::

        out, out_base, out_at, first, positions, lanes    only `positions` rows and `lanes` values of each are written
        start, start_base, start_follows                  start[p] is read at start_base + start_follows · out_at[…]
        a, a_base, a_at, a_runs, a_step
        b, b_base, b_runs, b_step
        runs, length                                      bounds of s and k, each at least 1
        slope
    """

    @intrinsic
    def tile(
        typing_context, out, out_base, out_at, first, positions, lanes, start, start_base, start_follows,
        a, a_base, a_at, a_runs, a_step, b, b_base, b_runs, b_step, runs, length, slope,
    ):  # fmt: skip
        signature = types.void(
            out, out_base, out_at, first, positions, lanes, start, start_base, start_follows,
            a, a_base, a_at, a_runs, a_step, b, b_base, b_runs, b_step, runs, length, slope,
        )  # fmt: skip

        def generate(context: Any, builder: Any, _signature: Any, arguments: Any) -> Any:
            names = tile_arguments
            v = dict(zip(names, arguments, strict=True))
            kinds = dict(zip(names, signature.args, strict=True))
            _generate(Emitter(context, builder, out.dtype), v, kinds, vectors, channelwise)
            return context.get_dummy_value()

        return signature, generate

    tile_arguments = (
        "out", "out_base", "out_at", "first", "positions", "lanes", "start", "start_base", "start_follows",
        "a", "a_base", "a_at", "a_runs", "a_step", "b", "b_base", "b_runs", "b_step", "runs", "length", "slope",
    )  # fmt: skip
    return tile


def _generate(e: Emitter, v: dict[str, Any], kinds: dict[str, Any], vectors: int, channelwise: bool) -> None:
    builder = e.builder
    p = {name: e.data(kinds[name], v[name]) for name in kinds if isinstance(kinds[name], types.Array)}
    places = [builder.add(v["first"], _I64(n)) for n in range(POSITIONS)]
    out_at = [builder.load(e.at(p["out_at"], place)) for place in places]
    a_at = [e.at(p["a"], v["a_base"], builder.load(e.at(p["a_at"], place))) for place in places]
    b_at = e.at(p["b"], v["b_base"])
    begun = []
    for offset in out_at:
        row = e.at(p["start"], v["start_base"], builder.mul(v["start_follows"], offset))
        begun += [e.load(e.at(row, _I64(n * LANES))) for n in range(vectors)]

    entry = builder.block
    outer, inner, outer_end, done = (
        builder.append_basic_block(name) for name in ("run", "step", "run_end", "tile_end")
    )
    builder.branch(outer)
    builder.position_at_end(outer)
    (run,) = e.phis(_I64, [_I64(0)], entry)
    sums = e.phis(e.vector, begun, entry)
    a_offset, b_offset = (builder.load(e.at(p[name], run)) for name in ("a_runs", "b_runs"))
    a_rows = [e.at(pointer, a_offset) for pointer in a_at]
    b_row = e.at(b_at, b_offset)
    builder.branch(inner)

    builder.position_at_end(inner)
    step, a_moved, b_moved = e.phis(_I64, [_I64(0)] * 3, outer)
    inner_sums = e.phis(e.vector, sums, outer)
    weights = [e.load(e.at(b_row, b_moved, _I64(n * LANES))) for n in range(vectors)]
    added = []
    for place, pointer in enumerate(a_rows):
        source = e.at(pointer, a_moved)
        broadcast = None if channelwise else e.splat(builder.load(source))
        for n in range(vectors):
            value = e.load(e.at(source, _I64(n * LANES))) if broadcast is None else broadcast
            added.append(e.fma(value, weights[n], inner_sums[place * vectors + n]))
    moves = [builder.add(x, y) for x, y in ((step, _I64(1)), (a_moved, v["a_step"]), (b_moved, v["b_step"]))]
    for phi, value in zip([step, a_moved, b_moved, *inner_sums], [*moves, *added], strict=True):
        phi.add_incoming(value, inner)
    builder.cbranch(builder.icmp_signed("<", moves[0], v["length"]), inner, outer_end)

    builder.position_at_end(outer_end)
    next_run = builder.add(run, _I64(1))
    for phi, value in zip([run, *sums], [next_run, *added], strict=True):
        phi.add_incoming(value, outer_end)
    builder.cbranch(builder.icmp_signed("<", next_run, v["runs"]), outer, done)

    builder.position_at_end(done)
    slope = e.splat(v["slope"])
    target = e.at(p["out"], v["out_base"])
    for place, offset in enumerate(out_at):
        with builder.if_then(builder.icmp_signed("<", _I64(place), v["positions"])):
            row = e.at(target, offset)
            for n in range(vectors):
                value = added[place * vectors + n]
                # The product keeps infinity and not-a-number alive at slope 0, which a plain ReLU would hide.
                e.store(e.larger(value, builder.fmul(value, slope)), row, v["lanes"], n * LANES)
