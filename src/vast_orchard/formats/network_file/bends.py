"""What bends each value by itself."""

from collections.abc import Mapping
from dataclasses import replace

import numpy as np

from vast_orchard.core.network import layers as d
from vast_orchard.formats.network_file.given import Given
from vast_orchard.formats.network_file.values import Mistake, Value
from vast_orchard.formats.network_file.work import Operator, Work

__all__ = ["BENDS"]


def _leaky(work: Work, given: Given) -> Value:
    slope = given.number("alpha", 0.01)
    if given.node.op_type == "PRelu":
        slopes = given.numbers(1, "slopes")
        if np.ptp(slopes) > 0:
            raise Mistake("has a slope of its own for each channel")
        slope = float(slopes.reshape(-1)[0])
    if not 0 <= slope < 1:
        raise Mistake(f"has a slope of {slope:g}")
    return _plain(d.LeakyReLU(slope=slope) if slope else d.ReLU(), -np.inf if slope else 0.0)(work, given)


def _clip(work: Work, given: Given) -> Value:
    ends = [given.maybe(n) for n in (1, 2)]
    low, high = (
        float(np.reshape(end, ())) if end is not None else given.number(name, default)
        for end, name, default in zip(ends, ("min", "max"), (-np.inf, np.inf), strict=True)
    )
    if low != 0 or not high > 0:
        raise Mistake(f"limits values to {low:g} to {high:g}; from 0 on is read")
    return _plain(d.ClippedReLU(limit=high) if high < 1e30 else d.ReLU(), 0.0)(work, given)


def _hard_sigmoid(work: Work, given: Given) -> Value:
    alpha, beta = given.number("alpha", 0.2), given.number("beta", 0.5)
    if abs(alpha - 1 / 6) > 1e-6 or abs(beta - 0.5) > 1e-6:
        raise Mistake(f"rises by {alpha:g} through {beta:g}; 1/6 through 0.5 is read")
    return _plain(d.HardSigmoid(), 0.0)(work, given)


def _plain(layer: d.Layer, least: float) -> Operator:
    return lambda work, given: work.add(layer, [given.first()], replace(given.first(), least=least))


BENDS: Mapping[str, Operator] = {
    "Relu": _plain(d.ReLU(), 0.0), "LeakyRelu": _leaky, "PRelu": _leaky, "Clip": _clip,
    "Sigmoid": _plain(d.Sigmoid(), 0.0), "Tanh": _plain(d.Tanh(), -1.0),
    "HardSigmoid": _hard_sigmoid, "HardSwish": _plain(d.HardSwish(), -0.375),
}  # fmt: skip
