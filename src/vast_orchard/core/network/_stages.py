"""The stages as they compute: each reads planes, writes a plane, and takes gradients back the same way.

A stage works on any part of a batch, images `first` to `first + count`, which belongs to one shard; parts of different
shards may run at the same time.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from vast_orchard.core.arrays import FloatArray
from vast_orchard.core.network import layers as d
from vast_orchard.core.network.layout import SHARDS, Stage
from vast_orchard.core.network.parameters import LayerNumbers
from vast_orchard.core.network.plan import window_of
from vast_orchard.core.ops import _pooling_kernels as pooling
from vast_orchard.core.ops._batch_norm_kernels import add_gradients, add_moments, input_gradient, normalise
from vast_orchard.core.ops._elementwise_kernels import add_partials, add_rows, back_through_slope
from vast_orchard.core.ops.activations import Activation, activate, activation_gradient
from vast_orchard.core.ops.batch_norm import BatchMoments, gradient_shares, merge_moments, scale_and_shift
from vast_orchard.core.ops.conv2d import Convolution, ConvolutionGradient
from vast_orchard.core.ops.dropout import dropout_mask
from vast_orchard.core.ops.pooling import pooling_steps
from vast_orchard.core.ops.window import Window
from vast_orchard.core.plane import Plane, padded, padded_length

__all__ = ["Joints", "NormWork", "StageWork", "WeightedWork", "make_work"]

# Weight of the past in the running statistics of batch norm: about the last ten batches count.
_RUNNING = 0.9

_POINT = Window(size=1, padding="valid")

_ACTIVATIONS: dict[type[d.Layer], Activation] = {
    d.SiLU: Activation.SILU,
    d.Tanh: Activation.TANH,
    d.Sigmoid: Activation.SIGMOID,
    d.ReLU: Activation.LEAKY_RELU,
    d.LeakyReLU: Activation.LEAKY_RELU,
}


@dataclass(frozen=True, kw_only=True, eq=False)
class Joints:
    """The planes between which a stage works."""

    x: tuple[Plane, ...]  # its inputs
    y: Plane  # its output
    gradient: Plane | None  # with respect to the output; None at inference
    x_gradients: tuple[Plane | None, ...]  # with respect to each input; None where nobody asks
    images: int  # most images of one call


class StageWork:
    """What a program asks of a stage."""

    def __init__(self, joints: Joints) -> None:
        self._x, self._y = joints.x[0], joints.y
        self._gradient, self._x_gradient = joints.gradient, joints.x_gradients[0]

    def load(self) -> None:
        """Take over the present weights."""

    def start(self, random: np.random.Generator) -> None:
        """Begin a training step."""

    def forward(self, first: int, count: int, shard: int) -> None:
        """Compute a part of the output."""
        raise NotImplementedError

    def backward(self, first: int, count: int, shard: int) -> None:
        """Compute a part of the input's gradient and add to those of the weights."""
        raise NotImplementedError

    def collect(self) -> None:
        """Add up what the shards found for the weights."""


class WeightedWork(StageWork):
    """Convolution or dense layer, with folded batch norm, bias and ReLU."""

    def __init__(self, stage: Stage, joints: Joints, numbers: LayerNumbers, norm: LayerNumbers | None) -> None:
        super().__init__(joints)
        self._numbers, self._norm, self._slope = numbers, norm, stage.slope
        weights = self._shaped(numbers.parameters["weights"])
        window = (_POINT, _POINT) if isinstance(stage.layer, d.Dense) else window_of(stage.layer)
        groups = self._x.values.shape[3] // weights.shape[2]
        self._forward = Convolution(window, groups, self._x, self._y, joints.images)
        self._backward: ConvolutionGradient | None = None
        if self._gradient is not None:
            self._backward = ConvolutionGradient(
                window, groups, self._x, self._gradient, self._x_gradient, joints.images
            )
            self._partials = self._backward.empty(SHARDS)
            self._total = np.empty(self._partials[0].size, self._x.values.dtype)
            self._bias_partials = np.zeros((SHARDS, padded_length(weights.shape[3])))

    @staticmethod
    def _shaped(weights: FloatArray) -> FloatArray:
        return weights if weights.ndim == 4 else weights[None, None]

    def load(self) -> None:
        values = self._numbers.parameters
        weights, bias = self._shaped(values["weights"]), values.get("bias")
        if self._norm is not None:
            n = self._norm
            scale, shift = scale_and_shift(
                n.parameters["gamma"], n.parameters["beta"], n.statistics["mean"], n.statistics["variance"]
            )
            folded = weights * scale
            bias = shift + (0 if bias is None else bias.astype(np.float64) * scale)
            self._forward.load(folded.astype(weights.dtype), bias.astype(weights.dtype))
            return
        self._forward.load(weights, bias)
        if self._backward is not None and self._x_gradient is not None:
            self._backward.load(weights)

    def start(self, random: np.random.Generator) -> None:
        self._partials[:] = 0
        self._bias_partials[:] = 0

    def forward(self, first: int, count: int, shard: int) -> None:
        self._forward.run(first, count, self._slope)

    def backward(self, first: int, count: int, shard: int) -> None:
        y, g = self._y, self._gradient
        assert self._backward is not None and g is not None
        if self._slope != 1:
            back_through_slope(y.flat, y.frame, g.flat, g.frame, y.channels, first, count, self._slope)
        self._backward.add_filters(first, count, self._partials[shard])
        if "bias" in self._numbers.parameters:
            add_rows(g.flat, g.frame, g.channels, first, count, self._bias_partials[shard])
        if self._x_gradient is not None:
            self._backward.run_input(first, count)

    def collect(self) -> None:
        weights = self._numbers.parameters["weights"]
        assert self._backward is not None
        out = self._numbers.gradients.setdefault("weights", np.empty_like(weights))
        add_partials(self._partials.reshape(SHARDS, -1), self._total)
        self._backward.finish_filters(self._total, self._shaped(out))
        if "bias" in self._numbers.parameters:
            total = self._bias_partials.sum(axis=0)[: weights.shape[-1]]
            self._numbers.gradients["bias"] = total.astype(weights.dtype)


class NormWork(StageWork):
    """Batch norm with the ReLU behind it; in training it needs the whole batch between two passes."""

    def __init__(self, stage: Stage, joints: Joints, numbers: LayerNumbers) -> None:
        super().__init__(joints)
        self._numbers, self._slope = numbers, stage.slope
        channels = padded_length(self._x.channels)
        self._pivots = np.zeros((SHARDS, channels), self._x.values.dtype)
        self._sums, self._counts = np.zeros((SHARDS, 2, channels)), np.zeros(SHARDS, np.int64)
        self._gradient_sums = np.zeros((SHARDS, 2, channels))

    def _padded(self, values: FloatArray) -> FloatArray:
        return padded(values, self._x.values.dtype)

    def load(self) -> None:
        """For inference: scale and shift by the running statistics."""
        p, s = self._numbers.parameters, self._numbers.statistics
        self._take(scale_and_shift(p["gamma"], p["beta"], s["mean"], s["variance"]))

    def _take(self, values: tuple[FloatArray, FloatArray]) -> None:
        self._scale, self._shift = map(self._padded, values)

    def start(self, random: np.random.Generator) -> None:
        for part in (self._sums, self._counts, self._gradient_sums):
            part[:] = 0

    def measure(self, first: int, count: int, shard: int) -> None:
        """Add a part of the input to the batch's moments."""
        x, (height, width) = self._x, self._x.size
        if self._counts[shard] == 0:
            self._pivots[shard, : x.channels] = x.inside[first, height // 2, width // 2]
        self._counts[shard] += count * height * width
        add_moments(x.flat, x.frame, x.channels, first, count, self._pivots[shard], self._sums[shard])

    def settle(self) -> None:
        """When all of the batch is measured: its moments, and the running ones."""
        channels = self._x.channels
        m = merge_moments(self._pivots[:, :channels], self._sums[:, :, :channels], self._counts)
        self._moments: BatchMoments = m
        self._mean = self._padded(m.mean)
        p = self._numbers.parameters
        self._take(scale_and_shift(p["gamma"], p["beta"], m.mean, m.variance))
        # The running variance estimates the population's, so Bessel's correction applies (Ioffe & Szegedy, alg. 2).
        unbiased = m.variance * (m.count / max(m.count - 1, 1))
        for name, fresh in (("mean", m.mean), ("variance", unbiased)):
            running = self._numbers.statistics[name]
            running[:] = running * _RUNNING + fresh * (1 - _RUNNING)

    def forward(self, first: int, count: int, shard: int) -> None:
        x, y = self._x, self._y
        normalise(x.flat, x.frame, y.flat, y.frame, x.channels, first, count, self._scale, self._shift, self._slope)

    def measure_gradient(self, first: int, count: int, shard: int) -> None:
        """Take a part of the gradient back through ReLU, and add it to the batch's sums."""
        x, g = self._x, self._gradient
        assert g is not None
        add_gradients(
            x.flat, x.frame, g.flat, g.frame, x.channels, first, count,
            self._scale, self._shift, self._slope, self._mean, self._gradient_sums[shard],
        )  # fmt: skip

    def settle_gradient(self) -> None:
        """When all of the batch's gradient is summed: that of gamma and beta, and what each pixel gives back."""
        whole, swung = self._gradient_sums.sum(axis=0)[:, : self._x.channels]
        m, dtype = self._moments, self._x.values.dtype
        self._numbers.gradients["beta"] = whole.astype(dtype)
        self._numbers.gradients["gamma"] = (swung / m.deviation).astype(dtype)
        self._steady, self._swing = map(self._padded, gradient_shares(whole, swung, m))

    def backward(self, first: int, count: int, shard: int) -> None:
        x, g, out = self._x, self._gradient, self._x_gradient
        assert g is not None
        if out is not None:
            input_gradient(
                x.flat, x.frame, g.flat, g.frame, out.flat, out.frame, x.channels, first, count,
                self._scale, self._mean, self._steady, self._swing,
            )  # fmt: skip


class _PoolWork(StageWork):
    def __init__(self, stage: Stage, joints: Joints) -> None:
        super().__init__(joints)
        self._steps = pooling_steps(window_of(stage.layer), self._x.size)

    def _emptied(self, first: int, count: int) -> Plane | None:
        """The input's gradient, as zeros to add to."""
        if self._x_gradient is not None:
            self._x_gradient.inside[first : first + count] = 0
        return self._x_gradient


class _MaxPoolWork(_PoolWork):
    def __init__(self, stage: Stage, joints: Joints) -> None:
        super().__init__(stage, joints)
        self._winners = np.zeros(padded_length(self._y.inside.size), np.uint8)

    def forward(self, first: int, count: int, shard: int) -> None:
        x, y = self._x, self._y
        pooling.max_windows(x.flat, x.frame, y.flat, y.frame, x.channels, first, count, self._steps, self._winners)

    def backward(self, first: int, count: int, shard: int) -> None:
        g, out = self._gradient, self._emptied(first, count)
        if out is not None and g is not None:
            pooling.max_backward(
                self._winners, g.flat, g.frame, out.flat, out.frame, out.channels, first, count, self._steps
            )


class _AveragePoolWork(_PoolWork):
    def forward(self, first: int, count: int, shard: int) -> None:
        x, y = self._x, self._y
        pooling.average_windows(x.flat, x.frame, y.flat, y.frame, x.channels, first, count, self._steps)

    def backward(self, first: int, count: int, shard: int) -> None:
        g, out = self._gradient, self._emptied(first, count)
        if out is not None and g is not None:
            pooling.average_backward(g.flat, g.frame, out.flat, out.frame, out.channels, first, count, self._steps)


class _GlobalAverageWork(StageWork):
    def forward(self, first: int, count: int, shard: int) -> None:
        pooling.global_mean(self._x.flat, self._x.frame, self._x.channels, self._y.flat, first, count)

    def backward(self, first: int, count: int, shard: int) -> None:
        g, out = self._gradient, self._x_gradient
        if out is not None and g is not None:
            pooling.spread_mean(g.flat, out.flat, out.frame, out.channels, first, count)


class _FlattenWork(StageWork):
    def forward(self, first: int, count: int, shard: int) -> None:
        part = slice(first, first + count)
        self._y.inside[part] = self._x.inside[part].reshape(count, 1, 1, -1)

    def backward(self, first: int, count: int, shard: int) -> None:
        part, out = slice(first, first + count), self._x_gradient
        if out is not None and self._gradient is not None:
            out.inside[part] = self._gradient.inside[part].reshape(out.inside[part].shape)


class _ActivationWork(StageWork):
    def __init__(self, stage: Stage, joints: Joints) -> None:
        super().__init__(joints)
        self._kind = _ACTIVATIONS[type(stage.layer)]
        self._leak = stage.layer.slope if isinstance(stage.layer, d.LeakyReLU) else 0.0

    def forward(self, first: int, count: int, shard: int) -> None:
        part = slice(first, first + count)
        activate(self._kind, self._x.inside[part], self._y.inside[part], self._leak)

    def backward(self, first: int, count: int, shard: int) -> None:
        part, out = slice(first, first + count), self._x_gradient
        if out is not None and self._gradient is not None:
            out.inside[part] = activation_gradient(
                self._kind, self._x.inside[part], self._y.inside[part], self._gradient.inside[part], self._leak
            )


class _DropoutWork(StageWork):
    def __init__(self, stage: Stage, joints: Joints) -> None:
        super().__init__(joints)
        assert isinstance(stage.layer, d.Dropout | d.SpatialDropout)
        self._rate = stage.layer.rate
        count, height, width, channels = self._y.inside.shape
        one = isinstance(stage.layer, d.SpatialDropout)
        self._shape = (1 if one else height, 1 if one else width, channels)
        self._training = False
        if self._gradient is not None:
            self._mask = np.ones((count, *self._shape), self._y.values.dtype)

    def start(self, random: np.random.Generator) -> None:
        # A stream for each shard, because the order in which threads come to them is left to chance.
        key = int(random.integers(2**63))
        self._streams = [np.random.Generator(np.random.Philox(key=[key, shard])) for shard in range(SHARDS)]
        self._training = True

    def forward(self, first: int, count: int, shard: int) -> None:
        part = slice(first, first + count)
        if not self._training:
            self._y.inside[part] = self._x.inside[part]
            return
        self._mask[part] = dropout_mask((count, *self._shape), self._rate, self._streams[shard], self._mask.dtype)
        np.multiply(self._x.inside[part], self._mask[part], out=self._y.inside[part])

    def backward(self, first: int, count: int, shard: int) -> None:
        part, out = slice(first, first + count), self._x_gradient
        if out is not None and self._gradient is not None:
            np.multiply(self._gradient.inside[part], self._mask[part], out=out.inside[part])


class _JointWork(StageWork):
    """Of several inputs; the same one may come twice."""

    def __init__(self, joints: Joints) -> None:
        super().__init__(joints)
        self._inputs, self._input_gradients = joints.x, joints.x_gradients

    def _emptied(self, part: slice) -> None:
        for out in self._input_gradients:
            if out is not None:
                out.inside[part] = 0


class _AddWork(_JointWork):
    def forward(self, first: int, count: int, shard: int) -> None:
        part = slice(first, first + count)
        total = self._y.inside[part]
        np.add(self._inputs[0].inside[part], self._inputs[1].inside[part], out=total)
        for more in self._inputs[2:]:
            total += more.inside[part]

    def backward(self, first: int, count: int, shard: int) -> None:
        part = slice(first, first + count)
        self._emptied(part)
        for out in self._input_gradients:
            if out is not None and self._gradient is not None:
                view = out.inside[part]
                view += self._gradient.inside[part]


class _ConcatWork(_JointWork):
    def _places(self) -> list[slice]:
        ends = np.cumsum([plane.values.shape[3] for plane in self._inputs])
        return [slice(end - p.values.shape[3], end) for end, p in zip(ends, self._inputs, strict=True)]

    def forward(self, first: int, count: int, shard: int) -> None:
        part = slice(first, first + count)
        for plane, place in zip(self._inputs, self._places(), strict=True):
            self._y.inside[part, :, :, place] = plane.inside[part]

    def backward(self, first: int, count: int, shard: int) -> None:
        part = slice(first, first + count)
        self._emptied(part)
        for out, place in zip(self._input_gradients, self._places(), strict=True):
            if out is not None and self._gradient is not None:
                view = out.inside[part]
                view += self._gradient.inside[part, :, :, place]


def make_work(stage: Stage, joints: Joints, numbers: Sequence[LayerNumbers]) -> StageWork:
    """The computing form of `stage`; `numbers` holds each layer's, by place from 1."""
    own = numbers[stage.place - 1]
    match stage.layer:
        case d.Conv2D() | d.DepthwiseConv2D() | d.Dense():
            return WeightedWork(stage, joints, own, None if stage.norm is None else numbers[stage.norm - 1])
        case d.BatchNorm():
            return NormWork(stage, joints, own)
        case d.MaxPool():
            return _MaxPoolWork(stage, joints)
        case d.AveragePool():
            return _AveragePoolWork(stage, joints)
        case d.GlobalAveragePool():
            return _GlobalAverageWork(joints)
        case d.Flatten():
            return _FlattenWork(joints)
        case d.Dropout() | d.SpatialDropout():
            return _DropoutWork(stage, joints)
        case d.Add():
            return _AddWork(joints)
        case d.Concat():
            return _ConcatWork(joints)
        case d.ReLU() | d.LeakyReLU() | d.SiLU() | d.Tanh() | d.Sigmoid():
            return _ActivationWork(stage, joints)
