"""Vectors as values inside compiled functions: `LANES` numbers that are loaded, computed with and stored at once.

Left to itself, a compiler turns loops over a handful of channels into scalar code. With these, a kernel says what it
means: take the channels' numbers into registers, walk along the pixels, store.

    scale = load(scales, c)
    for j in range(width):
        store(out, at + j * channels, load(x, at + j * channels) * scale, channels - c)

A load takes a whole vector, so arrays have some slack behind their last value; a store writes `lanes` values at most.
"""

import operator
from collections.abc import Callable
from typing import Any

from llvmlite import binding, ir
from numba import types
from numba.core import cgutils, config
from numba.core.datamodel import models
from numba.extending import intrinsic, overload, register_model

__all__ = [
    "LANES",
    "Emitter",
    "add_to",
    "equal_or",
    "larger",
    "larger_or",
    "load",
    "load_bytes",
    "spread",
    "store",
    "store_bytes",
    "wins_or",
]


def _has_avx512() -> bool:
    # Numba compiles for what its setting names, if there is one, and else for what the processor reports.
    if config.CPU_FEATURES is not None:
        return "+avx512f" in config.CPU_FEATURES
    return bool(binding.get_host_cpu_features().get("avx512f", False))


# Values in one register of the processor, in single precision.
LANES = 16 if _has_avx512() else 8

_I32, _I64 = ir.IntType(32), ir.IntType(64)


class _Vector(types.Type):  # type: ignore[misc]
    """Numba's type of a vector of float32 or float64."""

    def __init__(self, dtype: Any) -> None:
        self.dtype = dtype
        super().__init__(name=f"Vector({dtype}, {LANES})")


@register_model(_Vector)
class _VectorModel(models.PrimitiveModel):  # type: ignore[misc]
    def __init__(self, manager: Any, kind: _Vector) -> None:
        super().__init__(manager, kind, ir.VectorType(_scalar(kind.dtype), LANES))


def _scalar(dtype: Any) -> ir.Type:
    return ir.FloatType() if dtype == types.float32 else ir.DoubleType()


class Emitter:
    """The instructions that vector code is made of, for one element type."""

    def __init__(self, context: Any, builder: Any, dtype: Any) -> None:
        self.builder, self._context = builder, context
        self.vector = ir.VectorType(_scalar(dtype), LANES)
        self._suffix = f"v{LANES}{'f32' if dtype == types.float32 else 'f64'}"
        self._align = 4 if dtype == types.float32 else 8

    def _declared(self, name: str, result: ir.Type, arguments: list[ir.Type]) -> Any:
        return cgutils.get_or_insert_function(self.builder.module, ir.FunctionType(result, arguments), name)

    def data(self, kind: Any, array: Any) -> Any:
        """Pointer to an array's first value."""
        return cgutils.create_struct_proxy(kind)(self._context, self.builder, array).data

    def at(self, pointer: Any, *offsets: Any) -> Any:
        """The pointer moved by some values."""
        for offset in offsets:
            pointer = self.builder.gep(pointer, [offset])
        return pointer

    def load(self, pointer: Any) -> Any:
        """A vector from memory that need not be aligned."""
        return self.builder.load(self.builder.bitcast(pointer, self.vector.as_pointer()), align=self._align)

    def splat(self, value: Any) -> Any:
        """A vector of one value."""
        vector = ir.VectorType(value.type, LANES)
        one = self.builder.insert_element(ir.Constant(vector, ir.Undefined), value, _I32(0))
        zeros = ir.Constant(ir.VectorType(_I32, LANES), [0] * LANES)
        return self.builder.shuffle_vector(one, ir.Constant(vector, ir.Undefined), zeros)

    def phis(self, kind: Any, starts: list[Any], block: Any) -> list[Any]:
        """One loop variable for each start value, coming from `block`."""
        made = []
        for start in starts:
            phi = self.builder.phi(kind)
            phi.add_incoming(start, block)
            made.append(phi)
        return made

    def fma(self, a: Any, b: Any, c: Any) -> Any:
        """a · b + c, rounded once."""
        function = self._declared(f"llvm.fma.{self._suffix}", self.vector, [self.vector] * 3)
        return self.builder.call(function, [a, b, c])

    def larger(self, a: Any, b: Any) -> Any:
        """The larger of each pair; b where one of them is not a number."""
        return self.builder.select(self.builder.fcmp_ordered(">", a, b), a, b)

    def store(self, value: Any, pointer: Any, lanes: Any, first: int = 0) -> None:
        """Write the lanes of `value` whose number, counted from `first`, is below `lanes`."""
        numbers = ir.Constant(ir.VectorType(_I64, LANES), list(range(first, first + LANES)))
        mask = self.builder.icmp_signed("<", numbers, self.splat(lanes))
        target = self.builder.bitcast(self.at(pointer, _I64(first)), value.type.as_pointer())
        element = value.type.element
        suffix = f"v{LANES}i8" if isinstance(element, ir.IntType) else self._suffix
        align = 1 if isinstance(element, ir.IntType) else self._align
        kinds = [value.type, value.type.as_pointer(), _I32, mask.type]
        function = self._declared(f"llvm.masked.store.{suffix}.p0", ir.VoidType(), kinds)
        self.builder.call(function, [value, target, _I32(align), mask])


@intrinsic
def load(typing_context, array, offset):
    """The vector that begins at `offset` of a flat array."""
    kind = _Vector(array.dtype)

    def generate(context: Any, builder: Any, signature: Any, arguments: Any) -> Any:
        e = Emitter(context, builder, array.dtype)
        return e.load(e.at(e.data(array, arguments[0]), arguments[1]))

    return kind(array, offset), generate


@intrinsic
def store(typing_context, array, offset, vector, lanes):
    """Write the first `lanes` values of `vector` from `offset` of a flat array on; more than there are means all."""

    def generate(context: Any, builder: Any, signature: Any, arguments: Any) -> Any:
        e = Emitter(context, builder, array.dtype)
        e.store(arguments[2], e.at(e.data(array, arguments[0]), arguments[1]), arguments[3])
        return context.get_dummy_value()

    return types.void(array, offset, vector, lanes), generate


@intrinsic
def add_to(typing_context, array, offset, vector, lanes):
    """Add the first `lanes` values of `vector` to those of a flat float64 array."""

    def generate(context: Any, builder: Any, signature: Any, arguments: Any) -> Any:
        e = Emitter(context, builder, types.float64)
        pointer = e.at(e.data(array, arguments[0]), arguments[1])
        wide = arguments[2]
        if vector.dtype == types.float32:
            wide = builder.fpext(wide, e.vector)
        e.store(builder.fadd(e.load(pointer), wide), pointer, arguments[3])
        return context.get_dummy_value()

    return types.void(array, offset, vector, lanes), generate


@intrinsic
def load_bytes(typing_context, array, offset, like):
    """Whole numbers from 0 to 255 of a flat uint8 array as a vector of the type of `like`."""

    def generate(context: Any, builder: Any, signature: Any, arguments: Any) -> Any:
        e = Emitter(context, builder, like.dtype)
        small = ir.VectorType(ir.IntType(8), LANES)
        pointer = e.at(e.data(array, arguments[0]), arguments[1])
        return builder.uitofp(builder.load(builder.bitcast(pointer, small.as_pointer()), align=1), e.vector)

    return like(array, offset, like), generate


@intrinsic
def store_bytes(typing_context, array, offset, vector, lanes):
    """Write whole numbers from 0 to 255 to a flat uint8 array."""

    def generate(context: Any, builder: Any, signature: Any, arguments: Any) -> Any:
        e = Emitter(context, builder, vector.dtype)
        small = builder.fptoui(arguments[2], ir.VectorType(ir.IntType(8), LANES))
        e.store(small, e.at(e.data(array, arguments[0]), arguments[1]), arguments[3])
        return context.get_dummy_value()

    return types.void(array, offset, vector, lanes), generate


@intrinsic
def spread(typing_context, value, array):
    """A vector of one value, of the type of `array`."""

    def generate(context: Any, builder: Any, signature: Any, arguments: Any) -> Any:
        scalar = context.cast(builder, arguments[0], value, array.dtype)
        return Emitter(context, builder, array.dtype).splat(scalar)

    return _Vector(array.dtype)(value, array), generate


@intrinsic
def larger(typing_context, a, b):
    """The larger of each pair; b where one of them is not a number."""

    def generate(context: Any, builder: Any, signature: Any, arguments: Any) -> Any:
        return Emitter(context, builder, a.dtype).larger(*arguments)

    return a(a, b), generate


def _selecting(test: Callable[[Any, Any, Any], Any]) -> Any:
    """An intrinsic of (a, b, yes, no) that takes `yes` in the lanes where `test` holds for a and b."""

    @intrinsic
    def select(typing_context, a, b, yes, no):
        def generate(context: Any, builder: Any, signature: Any, arguments: Any) -> Any:
            return builder.select(test(builder, arguments[0], arguments[1]), arguments[2], arguments[3])

        return yes(a, b, yes, no), generate

    return select


larger_or = _selecting(lambda builder, a, b: builder.fcmp_ordered(">", a, b))
equal_or = _selecting(lambda builder, a, b: builder.fcmp_ordered("==", a, b))
# Not-a-number wins against every number, so that it cannot get lost in a maximum.
wins_or = _selecting(
    lambda builder, a, b: builder.or_(builder.fcmp_ordered(">", a, b), builder.fcmp_unordered("uno", a, a))
)


def _operator(symbol: Callable[[Any, Any], Any], instruction: str) -> None:
    @intrinsic
    def compute(typing_context, a, b):
        def generate(context: Any, builder: Any, signature: Any, arguments: Any) -> Any:
            # A product and its sum may become one instruction that rounds once.
            return getattr(builder, instruction)(*arguments, flags=("contract",))

        return a(a, b), generate

    @overload(symbol)
    def _overloaded(a, b):
        if isinstance(a, _Vector) and isinstance(b, _Vector):
            return lambda a, b: compute(a, b)
        return None


_operator(operator.add, "fadd")
_operator(operator.sub, "fsub")
_operator(operator.mul, "fmul")
