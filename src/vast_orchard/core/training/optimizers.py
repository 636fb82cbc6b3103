"""Rules that move parameters against their gradients; their memory is plain arrays, so that it can be stored."""

import math
from collections.abc import Mapping
from types import MappingProxyType
from typing import Protocol

import numpy as np

from vast_orchard.core.arrays import Array, FloatArray
from vast_orchard.core.training import _optimizer_kernels as kernels
from vast_orchard.core.training.settings import OptimizerName, TrainingSettings

__all__ = ["Adam", "Momentum", "Optimizer", "RMSprop", "clip_by_norm", "gradient_norm", "make_optimizer"]

Named = Mapping[str, FloatArray]
_NONE: Mapping[str, float] = MappingProxyType({})


class Optimizer(Protocol):
    """Changes parameters in place."""

    def step(
        self, parameters: Named, gradients: Named, learning_rate: float, factors: Mapping[str, float] = _NONE
    ) -> None:
        """Move every parameter once; by its rate times its factor, where it has one."""

    def state(self) -> dict[str, Array]:
        """Copies of the rule's memory, by name.

        Each of its parameter's shape and floating dtype, besides the number of steps, int64 of shape (1,).
        """

    def load(self, state: Mapping[str, Array]) -> None:
        """Take over what `state` returned. Of the shapes and dtypes of `state`: those of the parameters, floating."""


class _Memory:
    """Arrays shaped like the parameters, by kind and name of parameter, and the number of steps done."""

    def __init__(self, *kinds: str) -> None:
        self._kinds = kinds
        self._arrays: dict[str, FloatArray] = {}
        self._steps = 0

    def _of(self, kind: str, name: str, like: FloatArray) -> FloatArray:
        return self._arrays.setdefault(f"{kind}.{name}", np.zeros_like(like)).reshape(-1)

    def state(self) -> dict[str, Array]:
        """Copies of the rule's memory, by name."""
        return {name: value.copy() for name, value in self._arrays.items()} | {"steps": np.array([self._steps])}

    def load(self, state: Mapping[str, Array]) -> None:
        """Take over what `state` returned."""
        self._steps = int(state["steps"][0]) if "steps" in state else 0
        self._arrays = {n: v.copy() for n, v in state.items() if n.split(".", 1)[0] in self._kinds}


class Momentum(_Memory):
    """Stochastic gradient descent with momentum, Nesterov's if asked for (Sutskever et al. 2013, eq. 1–4).

    Parameters
    ----------
    momentum : float
        0.9 is the paper's usual value; 0 is plain gradient descent.
    nesterov : bool
        Look one step ahead before correcting. The parameters are those at which the gradient is taken
        (Bengio, Boulanger-Lewandowski & Pascanu 2013, eq. 7).
    """

    def __init__(self, momentum: float = 0.9, *, nesterov: bool = False) -> None:
        super().__init__("velocity")
        self._momentum, self._nesterov = momentum, nesterov

    def step(
        self, parameters: Named, gradients: Named, learning_rate: float, factors: Mapping[str, float] = _NONE
    ) -> None:
        """Move every parameter once; by its rate times its factor, where it has one."""
        for name, value in parameters.items():
            velocity = self._of("velocity", name, value)
            gradient = gradients[name].reshape(-1)
            rate = learning_rate * factors.get(name, 1.0)
            kernels.momentum(value.reshape(-1), gradient, velocity, rate, self._momentum, self._nesterov)


class RMSprop(_Memory):
    """RMSprop (Hinton, Srivastava & Swersky 2012, lecture 6e).

    Parameters
    ----------
    past : float
        Weight of the past in the running mean of squares; 0.9 is the lecture's.
    epsilon : float
        Keeps the division finite.
    """

    def __init__(self, past: float = 0.9, epsilon: float = 1e-8) -> None:
        super().__init__("second")
        self._past, self._epsilon = past, epsilon

    def step(
        self, parameters: Named, gradients: Named, learning_rate: float, factors: Mapping[str, float] = _NONE
    ) -> None:
        """Move every parameter once; by its rate times its factor, where it has one."""
        for name, value in parameters.items():
            second = self._of("second", name, value)
            gradient = gradients[name].reshape(-1)
            rate = learning_rate * factors.get(name, 1.0)
            kernels.rmsprop(value.reshape(-1), gradient, second, rate, self._past, self._epsilon)


class Adam(_Memory):
    """Adam (Kingma & Ba 2015, algorithm 1), with decoupled weight decay if asked for (Loshchilov & Hutter 2019).

    Parameters
    ----------
    beta1, beta2, epsilon : float
        The paper's defaults.
    decay : float
        Share of each weight that is taken off at a learning rate of 1. Biases and the numbers of batch norm are left
        alone: pulling them to zero does not make a network simpler.
    """

    def __init__(self, beta1: float = 0.9, beta2: float = 0.999, epsilon: float = 1e-8, decay: float = 0.0) -> None:
        super().__init__("first", "second")
        self._beta1, self._beta2, self._epsilon, self._decay = beta1, beta2, epsilon, decay

    def step(
        self, parameters: Named, gradients: Named, learning_rate: float, factors: Mapping[str, float] = _NONE
    ) -> None:
        """Move every parameter once; by its rate times its factor, where it has one."""
        self._steps += 1
        # Both bias corrections in one factor, as the paper notes at the end of its section 2.
        correction = math.sqrt(1 - self._beta2**self._steps)
        rate, epsilon = learning_rate * correction / (1 - self._beta1**self._steps), self._epsilon * correction
        for name, value in parameters.items():
            first, second = (self._of(kind, name, value) for kind in ("first", "second"))
            factor = factors.get(name, 1.0)
            kept = 1 - learning_rate * factor * self._decay if name.endswith(".weights") else 1.0
            gradient, own = gradients[name].reshape(-1), rate * factor
            kernels.adam(value.reshape(-1), gradient, first, second, own, self._beta1, self._beta2, epsilon, kept)


def make_optimizer(settings: TrainingSettings) -> Optimizer:
    """The optimizer that the settings ask for."""
    match settings.optimizer:
        case OptimizerName.SGD:
            return Momentum(settings.momentum, nesterov=settings.nesterov)
        case OptimizerName.RMSPROP:
            return RMSprop()
        case OptimizerName.ADAMW:
            return Adam(decay=settings.weight_decay)
        case OptimizerName.ADAM:
            return Adam()


def gradient_norm(gradients: Named) -> float:
    """Euclidean length of all gradients together; not finite when one of them is not."""
    return math.sqrt(sum(kernels.sum_of_squares(value.reshape(-1)) for value in gradients.values()))


def clip_by_norm(gradients: Named, norm: float, limit: float) -> None:
    """Shorten all gradients together, in place, so that their length `norm` becomes `limit` at most.

    Pascanu, Mikolov & Bengio 2013, "On the difficulty of training recurrent neural networks", algorithm 1.
    """
    if norm > limit:
        for value in gradients.values():
            kernels.scale(value.reshape(-1), limit / norm)
