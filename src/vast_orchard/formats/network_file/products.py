"""What multiplies and adds: dense layers, batch norms, sums and products, by constants and of values."""

from collections.abc import Mapping
from dataclasses import replace

import numpy as np

from vast_orchard.core.arrays import Array, FloatArray
from vast_orchard.core.network import layers as d
from vast_orchard.core.ops.batch_norm import EPSILON
from vast_orchard.formats.network_file.given import Given
from vast_orchard.formats.network_file.values import Affine, Mistake, Value, constant_by_channel
from vast_orchard.formats.network_file.work import Operator, Work

__all__ = ["PRODUCTS"]


def _norm(work: Work, given: Given) -> Value:
    value = given.first()
    gamma, beta, mean, variance = (given.numbers(n, "numbers").reshape(-1).astype(np.float64) for n in range(1, 5))
    if {len(gamma), len(beta), len(mean), len(variance)} != {value.channels} or (value.maps and value.last):
        raise Mistake(f"has other numbers than its {value.channels} channels")
    if given.whole("training_mode", 0):
        raise Mistake("goes by each batch, as in training")
    if variance.min() < 0:
        raise Mistake("has a variance below zero")
    # Another epsilon is laid into the variance; where that is too small for it, into what multiplies.
    wanted = variance + given.number("epsilon", 1e-5)
    if wanted.min() <= 0:
        raise Mistake("divides by zero")
    held = np.maximum(wanted - EPSILON, 0.0)
    gamma = gamma * np.sqrt((held + EPSILON) / wanted)
    numbers = {"gamma": gamma, "beta": beta, "mean": mean, "variance": held}
    if value.order is not None:
        numbers = {key: one[value.order] for key, one in numbers.items()}
    return work.add(d.BatchNorm(), [value], replace(value, least=-np.inf), numbers)


def _gemm(work: Work, given: Given) -> Value:
    if given.whole("transA", 0):
        raise Mistake("turns its input round")
    weights = given.numbers(1, "weights") * np.float32(given.number("alpha", 1.0))
    weights = weights.T if given.whole("transB", 0) else weights
    bias = given.maybe(2)
    if len(given.node.input) > 2 and given.node.input[2] and bias is None:
        raise Mistake("adds what is no constant")
    return _dense(work, given.first(), weights, None if bias is None else bias * given.number("beta", 1.0))


def _matmul(work: Work, given: Given) -> Value:
    return _dense(work, given.first(), given.numbers(1, "weights"), None)


def _dense(work: Work, value: Value, weights: Array, bias: Array | None) -> Value:
    if value.maps or weights.ndim != 2 or weights.shape[0] != value.channels:
        raise Mistake(f"has weights of shape {list(weights.shape)} over values of shape {list(value.shape)}")
    made = weights.shape[1]
    if value.order is not None:
        weights = weights[value.order]
    numbers: dict[str, Array] = {"weights": weights}
    if bias is not None:
        if bias.size not in (1, made):
            raise Mistake(f"has a bias of {bias.size} numbers for {made} outputs")
        numbers["bias"] = np.broadcast_to(bias.reshape(-1), made)
    like = replace(value, shape=(made,), order=None, least=-np.inf)
    return work.add(d.Dense(outputs=made, bias=bias is not None), [value], like, numbers)


def _joined(work: Work, given: Given) -> Value:
    """A sum, difference, product or quotient: of values, or of one and a constant."""
    kind, names = given.node.op_type, list(given.node.input)
    constants = [work.constants.get(name) for name in names]
    if all(constant is None for constant in constants):
        return _product(work, given) if kind == "Mul" else _sum(work, given)
    if len(names) != 2:
        raise Mistake("joins more than a value and a constant")
    place = 0 if constants[1] is not None else 1
    value, constant = work.values[names[place]], constants[1 - place]
    assert value is not None and constant is not None
    by = constant_by_channel(constant, value)
    ones, zeros = np.ones_like(by), np.zeros_like(by)
    if kind == "Div" and (place or not by.all()):
        raise Mistake("divides by zero" if not place else "divides a constant by values")
    steps: dict[str, tuple[FloatArray, FloatArray]] = {
        "Add": (ones, by), "Sum": (ones, by), "Mul": (by, zeros),
        "Sub": (-ones, by) if place else (ones, -by), "Div": (1 / np.where(by, by, 1), zeros),
    }  # fmt: skip
    return _scaled(work, value, names[place], *steps[kind])


def _scaled(work: Work, value: Value, name: str, times: FloatArray, plus: FloatArray) -> Value:
    """A step by channel: part of standardising, of the weights before it, or a batch norm."""
    if value.is_picture and times.min() > 0:
        before = value.affine or Affine(times=np.ones(value.channels), plus=np.zeros(value.channels))
        return replace(value, affine=before.then(times, plus), least=-np.inf)
    like = replace(value, least=-np.inf)
    if not value.is_picture and work.only_reader(name) and work.layering.fold(value.id, times, plus):
        return like
    return replace(like, id=work.layering.scale(work.settled(value).id, times, plus), affine=None)


def _sum(work: Work, given: Given) -> Value:
    values = given.all_values()
    if given.node.op_type in ("Sub", "Div"):
        raise Mistake("joins two values in a way that the core does not have")
    first = values[0]
    if len(values) < 2 or any(not _alike(first, value) for value in values[1:]):
        raise Mistake("adds values of different shapes")
    return work.add(d.Add(), values, replace(first, least=sum(value.least for value in values)))


def _product(work: Work, given: Given) -> Value:
    one, other = given.all_values()
    gate = _silu(work, given, one, other)
    if gate is not None:
        return gate
    if not _alike(one, other) and one.shape == (1, 1, other.channels):
        one, other = other, one
    if not _alike(one, other) and not (one.maps and other.shape == (1, 1, one.channels) and (one.last == other.last)):
        raise Mistake(f"multiplies values of shapes {list(one.shape)} and {list(other.shape)}")
    least = 0.0 if min(one.least, other.least) >= 0 else -np.inf
    return work.add(d.Multiply(), [one, other], replace(one, least=least))


def _silu(work: Work, given: Given, one: Value, other: Value) -> Value | None:
    """x · sigmoid(x) in one, where nobody else reads the sigmoid."""
    for value, bent, name in ((one, other, given.node.input[1]), (other, one, given.node.input[0])):
        last = work.layering.last(bent.id)
        if isinstance(last, d.Sigmoid | d.HardSigmoid) and work.only_reader(name):
            before = last.inputs or ((work.layering.layers[-2].id,) if len(work.layering.layers) > 1 else (d.INPUT,))
            if before == (value.id,) and not value.is_picture:
                work.layering.layers.pop()
                gated = d.SiLU() if isinstance(last, d.Sigmoid) else d.HardSwish()
                return work.add(gated, [value], replace(value, least=-0.375))
    return None


def _alike(one: Value, other: Value) -> bool:
    same_order = (one.order is None) == (other.order is None) and (
        one.order is None or other.order is None or np.array_equal(one.order, other.order)
    )
    return one.shape == other.shape and one.last == other.last and same_order


PRODUCTS: Mapping[str, Operator] = {
    "BatchNormalization": _norm, "Gemm": _gemm, "MatMul": _matmul,
    "Add": _joined, "Sum": _joined, "Sub": _joined, "Mul": _joined, "Div": _joined,
}  # fmt: skip
