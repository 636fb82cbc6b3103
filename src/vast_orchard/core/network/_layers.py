"""The layers as they compute: each holds its parameters and what its backward pass needs."""

from typing import Protocol

import numpy as np

from vast_orchard.core.arrays import FloatArray
from vast_orchard.core.network import description as d
from vast_orchard.core.ops.batch_norm import (
    BatchNormSaved,
    batch_norm_backward,
    batch_norm_inference,
    batch_norm_train,
)
from vast_orchard.core.ops.conv2d import conv2d, conv2d_backward
from vast_orchard.core.ops.dropout import dropout_mask
from vast_orchard.core.ops.pooling import (
    global_average_pool,
    global_average_pool_backward,
    max_pool,
    max_pool_backward,
)

__all__ = ["LayerState", "build_layer"]

# Weight of the past in the running statistics of batch norm: about the last ten batches count.
_RUNNING = 0.9


class LayerState(Protocol):
    """What `Network` asks of a layer."""

    parameters: dict[str, FloatArray]
    gradients: dict[str, FloatArray]
    statistics: dict[str, FloatArray]

    def forward(self, x: FloatArray, random: np.random.Generator | None) -> FloatArray:
        """The layer's output; `random` is None in inference mode."""

    def backward(self, grad: FloatArray, *, input_gradient: bool) -> FloatArray:
        """Gradient with respect to the input; stores those of the parameters."""


class _Plain:
    """A layer without parameters; the base of all."""

    def __init__(self) -> None:
        self.parameters: dict[str, FloatArray] = {}
        self.gradients: dict[str, FloatArray] = {}
        self.statistics: dict[str, FloatArray] = {}


class _Conv2D(_Plain):
    def __init__(
        self, layer: d.Conv2D, channels: int, random: np.random.Generator, dtype: np.dtype[np.floating]
    ) -> None:
        super().__init__()
        fan_in = layer.kernel**2 * channels
        shape = (layer.kernel, layer.kernel, channels, layer.filters)
        # He et al. 2015, "Delving Deep into Rectifiers", eq. 10: keeps the variance through ReLU.
        self.parameters["weights"] = (random.standard_normal(shape) * np.sqrt(2 / fan_in)).astype(dtype)
        if layer.bias:
            self.parameters["bias"] = np.zeros(layer.filters, dtype)
        self._padding = layer.padding
        self._x: FloatArray | None = None

    def forward(self, x: FloatArray, random: np.random.Generator | None) -> FloatArray:
        self._x = x if random is not None else None
        out = conv2d(x, self.parameters["weights"], self._padding)
        if "bias" in self.parameters:
            out += self.parameters["bias"]
        return out

    def backward(self, grad: FloatArray, *, input_gradient: bool) -> FloatArray:
        assert self._x is not None
        x_gradient, self.gradients["weights"] = conv2d_backward(
            self._x, self.parameters["weights"], grad, self._padding, input_gradient=input_gradient
        )
        if "bias" in self.parameters:
            self.gradients["bias"] = grad.sum(axis=(0, 1, 2))
        self._x = None
        return grad if x_gradient is None else x_gradient


class _BatchNorm(_Plain):
    def __init__(self, channels: int, dtype: np.dtype[np.floating]) -> None:
        super().__init__()
        self.parameters = {"gamma": np.ones(channels, dtype), "beta": np.zeros(channels, dtype)}
        self.statistics = {"mean": np.zeros(channels, dtype), "variance": np.ones(channels, dtype)}
        self._saved: BatchNormSaved | None = None

    def forward(self, x: FloatArray, random: np.random.Generator | None) -> FloatArray:
        gamma, beta = self.parameters["gamma"], self.parameters["beta"]
        if random is None:
            return batch_norm_inference(x, gamma, beta, self.statistics["mean"], self.statistics["variance"])
        out, self._saved = batch_norm_train(x, gamma, beta)
        count = self._saved.normalised.shape[0]
        # The running variance estimates the population's, so Bessel's correction applies (Ioffe & Szegedy, alg. 2).
        unbiased = self._saved.variance * (count / max(count - 1, 1))
        for name, fresh in (("mean", self._saved.mean), ("variance", unbiased)):
            running = self.statistics[name]
            self.statistics[name] = (running * _RUNNING + fresh * (1 - _RUNNING)).astype(running.dtype)
        return out

    def backward(self, grad: FloatArray, *, input_gradient: bool) -> FloatArray:
        assert self._saved is not None
        out, self.gradients["gamma"], self.gradients["beta"] = batch_norm_backward(self._saved, grad)
        self._saved = None
        return out


class _ReLU(_Plain):
    def forward(self, x: FloatArray, random: np.random.Generator | None) -> FloatArray:
        out = np.maximum(x, 0)
        self._out = out if random is not None else None
        return out

    def backward(self, grad: FloatArray, *, input_gradient: bool) -> FloatArray:
        assert self._out is not None
        return grad * (self._out > 0)


class _MaxPool(_Plain):
    def __init__(self, layer: d.MaxPool) -> None:
        super().__init__()
        self._size = layer.size

    def forward(self, x: FloatArray, random: np.random.Generator | None) -> FloatArray:
        out = max_pool(x, self._size)
        self._saved = (x, out) if random is not None else None
        return out

    def backward(self, grad: FloatArray, *, input_gradient: bool) -> FloatArray:
        assert self._saved is not None
        return max_pool_backward(*self._saved, grad, self._size)


class _GlobalAveragePool(_Plain):
    def forward(self, x: FloatArray, random: np.random.Generator | None) -> FloatArray:
        self._shape = x.shape
        return global_average_pool(x)

    def backward(self, grad: FloatArray, *, input_gradient: bool) -> FloatArray:
        return global_average_pool_backward(self._shape, grad)


class _Flatten(_Plain):
    def forward(self, x: FloatArray, random: np.random.Generator | None) -> FloatArray:
        self._shape = x.shape
        return x.reshape(len(x), -1)

    def backward(self, grad: FloatArray, *, input_gradient: bool) -> FloatArray:
        return grad.reshape(self._shape)


class _Dropout(_Plain):
    def __init__(self, layer: d.Dropout) -> None:
        super().__init__()
        self._rate = layer.rate

    def forward(self, x: FloatArray, random: np.random.Generator | None) -> FloatArray:
        if random is None:
            return x
        self._mask = dropout_mask(x.shape, self._rate, random, x.dtype)
        return x * self._mask

    def backward(self, grad: FloatArray, *, input_gradient: bool) -> FloatArray:
        return grad * self._mask


class _Dense(_Plain):
    def __init__(self, layer: d.Dense, inputs: int, random: np.random.Generator, dtype: np.dtype[np.floating]) -> None:
        super().__init__()
        # Glorot & Bengio 2010, eq. 16: the uniform rule, for a layer that feeds softmax and not ReLU.
        limit = np.sqrt(6 / (inputs + layer.units))
        self.parameters["weights"] = random.uniform(-limit, limit, (inputs, layer.units)).astype(dtype)
        self.parameters["bias"] = np.zeros(layer.units, dtype)

    def forward(self, x: FloatArray, random: np.random.Generator | None) -> FloatArray:
        self._x = x if random is not None else None
        return x @ self.parameters["weights"] + self.parameters["bias"]

    def backward(self, grad: FloatArray, *, input_gradient: bool) -> FloatArray:
        assert self._x is not None
        self.gradients["weights"] = self._x.T @ grad
        self.gradients["bias"] = grad.sum(axis=0)
        return grad @ self.parameters["weights"].T


def build_layer(
    layer: d.Layer, shape: tuple[int, ...], random: np.random.Generator, dtype: np.dtype[np.floating]
) -> LayerState:
    """The computing form of `layer` for an input of `shape` (without the batch axis)."""
    match layer:
        case d.Conv2D():
            return _Conv2D(layer, shape[2], random, dtype)
        case d.BatchNorm():
            return _BatchNorm(shape[-1], dtype)
        case d.ReLU():
            return _ReLU()
        case d.MaxPool():
            return _MaxPool(layer)
        case d.GlobalAveragePool():
            return _GlobalAveragePool()
        case d.Flatten():
            return _Flatten()
        case d.Dropout():
            return _Dropout(layer)
        case d.Dense():
            return _Dense(layer, shape[0], random, dtype)
