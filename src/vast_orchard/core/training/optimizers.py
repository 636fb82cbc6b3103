"""Rules that move parameters against their gradients; their memory is plain arrays, so that it can be stored."""

from collections.abc import Mapping
from typing import Protocol

import numpy as np

from vast_orchard.core.arrays import Array, FloatArray
from vast_orchard.errors import SettingError

__all__ = ["OPTIMIZERS", "Adam", "Momentum", "Optimizer", "make_optimizer"]


class Optimizer(Protocol):
    """Changes parameters in place."""

    def step(
        self, parameters: Mapping[str, FloatArray], gradients: Mapping[str, FloatArray], learning_rate: float
    ) -> None:
        """Move every parameter once."""

    def state(self) -> dict[str, Array]:
        """Copies of the rule's memory, by name."""

    def load(self, state: Mapping[str, Array]) -> None:
        """Take over what `state` returned."""


class Momentum:
    """Stochastic gradient descent with momentum (Sutskever et al. 2013, eq. 1–2).

    Parameters
    ----------
    momentum : float
        0.9 is the paper's usual value.
    """

    def __init__(self, momentum: float = 0.9) -> None:
        self._momentum = momentum
        self._velocity: dict[str, FloatArray] = {}

    def step(
        self, parameters: Mapping[str, FloatArray], gradients: Mapping[str, FloatArray], learning_rate: float
    ) -> None:
        """Move every parameter once."""
        for name, value in parameters.items():
            velocity = self._velocity.setdefault(name, np.zeros_like(value))
            velocity *= self._momentum
            velocity -= gradients[name] * value.dtype.type(learning_rate)
            value += velocity

    def state(self) -> dict[str, Array]:
        """Copies of the velocities, by name."""
        return {f"velocity.{name}": value.copy() for name, value in self._velocity.items()}

    def load(self, state: Mapping[str, Array]) -> None:
        """Take over what `state` returned."""
        self._velocity = {name.removeprefix("velocity."): value.copy() for name, value in state.items()}


class Adam:
    """Adam (Kingma & Ba 2015, algorithm 1) with the paper's defaults."""

    def __init__(self, beta1: float = 0.9, beta2: float = 0.999, epsilon: float = 1e-8) -> None:
        self._beta1, self._beta2, self._epsilon = beta1, beta2, epsilon
        self._steps = 0
        self._first: dict[str, FloatArray] = {}
        self._second: dict[str, FloatArray] = {}

    def step(
        self, parameters: Mapping[str, FloatArray], gradients: Mapping[str, FloatArray], learning_rate: float
    ) -> None:
        """Move every parameter once."""
        self._steps += 1
        # Both bias corrections in one factor, as the paper notes at the end of its section 2.
        rate = learning_rate * np.sqrt(1 - self._beta2**self._steps) / (1 - self._beta1**self._steps)
        epsilon = self._epsilon * np.sqrt(1 - self._beta2**self._steps)
        for name, value in parameters.items():
            kind = value.dtype.type
            first = self._first.setdefault(name, np.zeros_like(value))
            second = self._second.setdefault(name, np.zeros_like(value))
            gradient = gradients[name]
            first += (gradient - first) * kind(1 - self._beta1)
            second += (gradient * gradient - second) * kind(1 - self._beta2)
            value -= kind(rate) * first / (np.sqrt(second) + kind(epsilon))

    def state(self) -> dict[str, Array]:
        """Copies of both moments, by name, and the number of steps."""
        moments = {"first": self._first, "second": self._second}
        arrays = {f"{kind}.{name}": value.copy() for kind, values in moments.items() for name, value in values.items()}
        return {**arrays, "steps": np.array([self._steps], np.int64)}

    def load(self, state: Mapping[str, Array]) -> None:
        """Take over what `state` returned."""
        self._steps = int(state["steps"][0])
        for kind, values in (("first.", self._first), ("second.", self._second)):
            values.clear()
            values.update({n.removeprefix(kind): v.copy() for n, v in state.items() if n.startswith(kind)})


OPTIMIZERS: dict[str, type[Adam] | type[Momentum]] = {"adam": Adam, "momentum": Momentum}


def make_optimizer(name: str) -> Optimizer:
    """The optimizer of that name.

    Raises
    ------
    SettingError
        There is none.
    """
    if name not in OPTIMIZERS:
        raise SettingError(f"There is no optimizer named {name!r}.", f"Choose one of {', '.join(OPTIMIZERS)}.")
    return OPTIMIZERS[name]()
