"""Compiled loops of the optimizers over flat parameters; only arithmetic."""

import numpy as np
from numba import njit

__all__ = ["adam", "momentum", "rmsprop", "scale", "sum_of_squares"]


@njit(nogil=True, cache=True)
def momentum(value, gradient, velocity, rate, share, nesterov):
    """velocity = share · velocity − rate · gradient; value moves by it or, with Nesterov, by one step further."""
    kind = value.dtype.type
    rate, share = kind(rate), kind(share)
    for n in range(len(value)):
        velocity[n] = share * velocity[n] - rate * gradient[n]
        value[n] += share * velocity[n] - rate * gradient[n] if nesterov else velocity[n]


@njit(nogil=True, cache=True)
def rmsprop(value, gradient, second, rate, past, epsilon):
    """The gradient divided by the root of its running mean square."""
    kind = value.dtype.type
    rate, past, fresh, epsilon = kind(rate), kind(past), kind(1 - past), kind(epsilon)
    for n in range(len(value)):
        second[n] = past * second[n] + fresh * gradient[n] * gradient[n]
        value[n] -= rate * gradient[n] / (np.sqrt(second[n]) + epsilon)


@njit(nogil=True, cache=True)
def adam(value, gradient, first, second, rate, beta1, beta2, epsilon, kept):
    """Adam's step with both corrections in `rate` and `epsilon`; before it the value is multiplied by `kept`."""
    kind = value.dtype.type
    fresh1, fresh2 = kind(1 - beta1), kind(1 - beta2)
    rate, epsilon, kept = kind(rate), kind(epsilon), kind(kept)
    for n in range(len(value)):
        g = gradient[n]
        first[n] += (g - first[n]) * fresh1
        second[n] += (g * g - second[n]) * fresh2
        value[n] = value[n] * kept - rate * first[n] / (np.sqrt(second[n]) + epsilon)


@njit(nogil=True, cache=True)
def sum_of_squares(values):
    """In double precision, always added in the same order."""
    # Eight sums side by side, because each addition to the same one has to wait for the last.
    sums = np.zeros(8)
    whole = len(values) // 8 * 8
    for start in range(0, whole, 8):
        for n in range(8):
            value = np.float64(values[start + n])
            sums[n] += value * value
    for n in range(whole, len(values)):
        value = np.float64(values[n])
        sums[0] += value * value
    return sums.sum()


@njit(nogil=True, cache=True)
def scale(values, factor):
    """Multiply in place."""
    factor = values.dtype.type(factor)
    for n in range(len(values)):
        values[n] *= factor
