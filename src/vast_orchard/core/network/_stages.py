"""The stages without weights as they compute, and how each kind of layer becomes its stage."""

from collections.abc import Sequence

import numpy as np

from vast_orchard.core.arrays import FloatArray
from vast_orchard.core.network import layers as d
from vast_orchard.core.network._stage_work import Joints, StageWork
from vast_orchard.core.network._weighted_stages import NormWork, SteadyNormWork, WeightedWork
from vast_orchard.core.network.layout import SHARDS, Stage
from vast_orchard.core.network.parameters import LayerNumbers
from vast_orchard.core.network.plan import window_of
from vast_orchard.core.ops import _pooling_kernels as pooling
from vast_orchard.core.ops.activations import Activation, activate, activation_gradient
from vast_orchard.core.ops.dropout import dropout_mask
from vast_orchard.core.ops.pooling import pooling_steps
from vast_orchard.core.ops.shares import bounded_log, bounded_log_gradient, shares, shares_gradient
from vast_orchard.core.plane import Plane, padded_length

__all__ = ["make_work"]

_ACTIVATIONS: dict[type[d.Layer], Activation] = {
    d.SiLU: Activation.SILU,
    d.Tanh: Activation.TANH,
    d.Sigmoid: Activation.SIGMOID,
    d.ReLU: Activation.LEAKY_RELU,
    d.LeakyReLU: Activation.LEAKY_RELU,
    d.ClippedReLU: Activation.CLIPPED_RELU,
    d.HardSigmoid: Activation.HARD_SIGMOID,
    d.HardSwish: Activation.HARD_SWISH,
}


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
    def __init__(self, joints: Joints) -> None:
        super().__init__(joints)
        # Between planes that may have padding: a layer behind may slide a window over the maps of one pixel.
        size = padded_length(self._y.inside.size)
        self._means, self._shares = (np.zeros(size, self._y.values.dtype) for _ in range(2))

    def _rows(self, flat: FloatArray, part: slice) -> FloatArray:
        channels = self._y.channels
        return flat[part.start * channels : part.stop * channels].reshape(-1, 1, 1, channels)

    def forward(self, first: int, count: int, shard: int) -> None:
        part = slice(first, first + count)
        pooling.global_mean(self._x.flat, self._x.frame, self._x.channels, self._means, first, count)
        self._y.inside[part] = self._rows(self._means, part)

    def backward(self, first: int, count: int, shard: int) -> None:
        part = slice(first, first + count)
        g, out = self._gradient, self._x_gradient
        if out is not None and g is not None:
            self._rows(self._shares, part)[:] = g.inside[part]
            pooling.spread_mean(self._shares, out.flat, out.frame, out.channels, first, count)


class _FlattenWork(StageWork):
    def forward(self, first: int, count: int, shard: int) -> None:
        part = slice(first, first + count)
        self._y.inside[part] = self._x.inside[part].reshape(count, 1, 1, -1)

    def backward(self, first: int, count: int, shard: int) -> None:
        part, out = slice(first, first + count), self._x_gradient
        if out is not None and self._gradient is not None:
            out.inside[part] = self._gradient.inside[part].reshape(out.inside[part].shape)


class _PadWork(StageWork):
    def __init__(self, stage: Stage, joints: Joints) -> None:
        super().__init__(joints)
        assert isinstance(stage.layer, d.Pad)
        top, left, (height, width) = stage.layer.top, stage.layer.left, self._x.size
        self._rows, self._columns = slice(top, top + height), slice(left, left + width)

    def forward(self, first: int, count: int, shard: int) -> None:
        part = slice(first, first + count)
        self._y.inside[part] = 0
        self._y.inside[part, self._rows, self._columns] = self._x.inside[part]

    def backward(self, first: int, count: int, shard: int) -> None:
        part, out = slice(first, first + count), self._x_gradient
        if out is not None and self._gradient is not None:
            out.inside[part] = self._gradient.inside[part, self._rows, self._columns]


class _ActivationWork(StageWork):
    def __init__(self, stage: Stage, joints: Joints) -> None:
        super().__init__(joints)
        self._kind = _ACTIVATIONS[type(stage.layer)]
        match stage.layer:
            case d.LeakyReLU(slope=number) | d.ClippedReLU(limit=number):
                self._bend = number
            case _:
                self._bend = 0.0

    def forward(self, first: int, count: int, shard: int) -> None:
        part = slice(first, first + count)
        activate(self._kind, self._x.inside[part], self._y.inside[part], self._bend)

    def backward(self, first: int, count: int, shard: int) -> None:
        part, out = slice(first, first + count), self._x_gradient
        if out is not None and self._gradient is not None:
            out.inside[part] = activation_gradient(
                self._kind, self._x.inside[part], self._y.inside[part], self._gradient.inside[part], self._bend
            )


class _SoftmaxWork(StageWork):
    def forward(self, first: int, count: int, shard: int) -> None:
        part = slice(first, first + count)
        self._y.inside[part] = shares(self._x.inside[part])

    def backward(self, first: int, count: int, shard: int) -> None:
        part, out = slice(first, first + count), self._x_gradient
        if out is not None and self._gradient is not None:
            out.inside[part] = shares_gradient(self._y.inside[part], self._gradient.inside[part])


class _LogWork(StageWork):
    def forward(self, first: int, count: int, shard: int) -> None:
        part = slice(first, first + count)
        self._y.inside[part] = bounded_log(self._x.inside[part])

    def backward(self, first: int, count: int, shard: int) -> None:
        part, out = slice(first, first + count), self._x_gradient
        if out is not None and self._gradient is not None:
            out.inside[part] = bounded_log_gradient(self._x.inside[part], self._gradient.inside[part])


class _DropoutWork(StageWork):
    def __init__(self, stage: Stage, joints: Joints) -> None:
        super().__init__(joints)
        assert isinstance(stage.layer, d.Dropout | d.ChannelDropout)
        self._rate = stage.layer.share
        count, height, width, channels = self._y.inside.shape
        one = isinstance(stage.layer, d.ChannelDropout)
        self._shape = (1 if one else height, 1 if one else width, channels)
        self._count, self._training = count, False

    def start(self, random: np.random.Generator) -> None:
        if not self._training:
            self._mask = np.ones((self._count, *self._shape), self._y.values.dtype)
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


class _MultiplyWork(_JointWork):
    def forward(self, first: int, count: int, shard: int) -> None:
        part = slice(first, first + count)
        maps, factors = (plane.inside[part] for plane in self._inputs)
        np.multiply(maps, factors, out=self._y.inside[part])

    def backward(self, first: int, count: int, shard: int) -> None:
        part = slice(first, first + count)
        self._emptied(part)
        maps, factors = (plane.inside[part] for plane in self._inputs)
        for out, other in zip(self._input_gradients, (factors, maps), strict=True):
            if out is not None and self._gradient is not None:
                view, share = out.inside[part], self._gradient.inside[part] * other
                # One number a channel had a say in every pixel.
                view += share if share.shape == view.shape else share.sum(axis=(1, 2), keepdims=True)


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
        case d.Conv() | d.DepthwiseConv() | d.Dense():
            return WeightedWork(stage, joints, own, None if stage.norm is None else numbers[stage.norm - 1])
        case d.BatchNorm():
            return (SteadyNormWork if stage.steady else NormWork)(stage, joints, own)
        case d.MaxPool():
            return _MaxPoolWork(stage, joints)
        case d.AveragePool():
            return _AveragePoolWork(stage, joints)
        case d.GlobalAveragePool():
            return _GlobalAverageWork(joints)
        case d.Flatten():
            return _FlattenWork(joints)
        case d.Dropout() | d.ChannelDropout():
            return _DropoutWork(stage, joints)
        case d.Add():
            return _AddWork(joints)
        case d.Concat():
            return _ConcatWork(joints)
        case d.Multiply():
            return _MultiplyWork(joints)
        case d.Softmax():
            return _SoftmaxWork(joints)
        case d.Log():
            return _LogWork(joints)
        case d.Pad():
            return _PadWork(stage, joints)
        case (
            d.ReLU()
            | d.LeakyReLU()
            | d.ClippedReLU()
            | d.SiLU()
            | d.Tanh()
            | d.Sigmoid()
            | d.HardSigmoid()
            | d.HardSwish()
        ):
            return _ActivationWork(stage, joints)
