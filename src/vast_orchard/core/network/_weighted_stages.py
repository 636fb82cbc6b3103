"""The stages with weights as they compute: convolution and dense layers, and batch norm."""

import numpy as np

from vast_orchard.core.arrays import FloatArray
from vast_orchard.core.network import layers as d
from vast_orchard.core.network._stage_work import Joints, StageWork
from vast_orchard.core.network.layout import SHARDS, Stage
from vast_orchard.core.network.parameters import LayerNumbers
from vast_orchard.core.network.plan import window_of
from vast_orchard.core.ops._batch_norm_kernels import add_gradients, add_moments, input_gradient, normalise
from vast_orchard.core.ops._elementwise_kernels import add_partials, add_rows, back_through_slope
from vast_orchard.core.ops.batch_norm import EPSILON, BatchMoments, gradient_shares, merge_moments, scale_and_shift
from vast_orchard.core.ops.conv2d import Convolution, ConvolutionGradient
from vast_orchard.core.ops.window import Window
from vast_orchard.core.plane import padded, padded_length

__all__ = ["NormWork", "SteadyNormWork", "WeightedWork"]

# Weight of the past in the running statistics of batch norm: about the last ten batches count.
_RUNNING = 0.9

_POINT = Window(size=1, edge="cut")


class WeightedWork(StageWork):
    """Convolution or dense layer, with folded batch norm, bias and ReLU."""

    def __init__(self, stage: Stage, joints: Joints, numbers: LayerNumbers, norm: LayerNumbers | None) -> None:
        super().__init__(joints)
        self._numbers, self._norm, self._slope, self._learns = numbers, norm, stage.slope, stage.learns
        weights = self._shaped(numbers.parameters["weights"])
        window = (_POINT, _POINT) if isinstance(stage.layer, d.Dense) else window_of(stage.layer)
        groups = self._x.values.shape[3] // weights.shape[2]
        self._forward = Convolution(window, groups, self._x, self._y, joints.images)
        self._backward: ConvolutionGradient | None = None
        if self._gradient is not None:
            self._backward = ConvolutionGradient(
                window, groups, self._x, self._gradient, self._x_gradient, joints.images
            )
            if self._learns:
                self._partials = self._backward.empty(SHARDS)
                self._total = np.empty(self._partials[0].size, self._x.values.dtype)
                self._bias_partials = np.zeros((SHARDS, padded_length(weights.shape[3])))
                self._begun = np.zeros(SHARDS, bool)  # shards that have added to their part

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
        if self._backward is not None and self._learns:
            self._begun[:] = False

    def forward(self, first: int, count: int, shard: int) -> None:
        self._forward.run(first, count, self._slope)

    def backward(self, first: int, count: int, shard: int) -> None:
        y, g = self._y, self._gradient
        assert self._backward is not None and g is not None
        if self._slope != 1:
            back_through_slope(y.flat, y.frame, g.flat, g.frame, y.channels, first, count, self._slope)
        if self._learns:
            if not self._begun[shard]:
                self._begun[shard] = True
                self._partials[shard] = 0
                self._bias_partials[shard] = 0
            self._backward.add_filters(first, count, self._partials[shard])
            if "bias" in self._numbers.parameters:
                add_rows(g.flat, g.frame, g.channels, first, count, self._bias_partials[shard])
        if self._x_gradient is not None:
            self._backward.run_input(first, count)

    def collect(self) -> None:
        weights = self._numbers.parameters["weights"]
        assert self._backward is not None
        out = self._numbers.gradients.setdefault("weights", np.empty_like(weights))
        used = np.count_nonzero(self._begun)  # they are the first ones: a small batch has fewer
        add_partials(self._partials.reshape(SHARDS, -1)[:used], self._total)
        self._backward.finish_filters(self._total, self._shaped(out))
        if "bias" in self._numbers.parameters:
            total = self._bias_partials[:used].sum(axis=0)[: weights.shape[-1]]
            self._numbers.gradients["bias"] = total.astype(weights.dtype)


class _NormalisingWork(StageWork):
    """Batch norm with the ReLU behind it, whatever it normalises by."""

    def __init__(self, stage: Stage, joints: Joints, numbers: LayerNumbers) -> None:
        super().__init__(joints)
        self._numbers, self._slope, self._learns = numbers, stage.slope, stage.learns
        channels = padded_length(self._x.channels)
        self._gradient_sums = np.zeros((SHARDS, 2, channels))
        self._mean = self._steady = self._swing = np.zeros(channels, self._x.values.dtype)

    def _padded(self, values: FloatArray) -> FloatArray:
        return padded(values, self._x.values.dtype)

    def _take(self, mean: FloatArray, variance: FloatArray) -> None:
        p = self._numbers.parameters
        self._mean = self._padded(mean)
        self._scale, self._shift = map(self._padded, scale_and_shift(p["gamma"], p["beta"], mean, variance))

    def load(self) -> None:
        """Scale and shift by the running statistics."""
        self._take(self._numbers.statistics["mean"], self._numbers.statistics["variance"])

    def start(self, random: np.random.Generator) -> None:
        self._gradient_sums[:] = 0

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

    def _gradient_of_numbers(self, whole: FloatArray, swung: FloatArray, deviation: FloatArray) -> None:
        if self._learns:
            dtype = self._x.values.dtype
            self._numbers.gradients["beta"] = whole.astype(dtype)
            self._numbers.gradients["gamma"] = (swung / deviation).astype(dtype)

    def backward(self, first: int, count: int, shard: int) -> None:
        x, g, out = self._x, self._gradient, self._x_gradient
        assert g is not None
        if out is not None:
            input_gradient(
                x.flat, x.frame, g.flat, g.frame, out.flat, out.frame, x.channels, first, count,
                self._scale, self._mean, self._steady, self._swing,
            )  # fmt: skip


class NormWork(_NormalisingWork):
    """In training by the moments of the batch, all of which it needs between two passes."""

    def __init__(self, stage: Stage, joints: Joints, numbers: LayerNumbers) -> None:
        super().__init__(stage, joints, numbers)
        self._pivots = np.zeros((SHARDS, padded_length(self._x.channels)), self._x.values.dtype)
        self._sums, self._counts = np.zeros((SHARDS, 2, self._pivots.shape[1])), np.zeros(SHARDS, np.int64)

    def start(self, random: np.random.Generator) -> None:
        super().start(random)
        self._sums[:] = 0
        self._counts[:] = 0

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
        self._take(m.mean, m.variance)
        # The running variance estimates the population's, so Bessel's correction applies (Ioffe & Szegedy, alg. 2).
        unbiased = m.variance * (m.count / max(m.count - 1, 1))
        for name, fresh in (("mean", m.mean), ("variance", unbiased)):
            running = self._numbers.statistics[name]
            running[:] = running * _RUNNING + fresh * (1 - _RUNNING)

    def settle_gradient(self) -> None:
        """When all of the batch's gradient is summed: that of gamma and beta, and what each pixel gives back."""
        whole, swung = self._gradient_sums.sum(axis=0)[:, : self._x.channels]
        self._gradient_of_numbers(whole, swung, self._moments.deviation)
        self._steady, self._swing = map(self._padded, gradient_shares(whole, swung, self._moments))


class SteadyNormWork(_NormalisingWork):
    """By its running statistics in training too, and leaves them alone; no picture waits for the others."""

    def backward(self, first: int, count: int, shard: int) -> None:
        self.measure_gradient(first, count, shard)
        super().backward(first, count, shard)

    def collect(self) -> None:
        whole, swung = self._gradient_sums.sum(axis=0)[:, : self._x.channels]
        variance = self._numbers.statistics["variance"].astype(np.float64)
        self._gradient_of_numbers(whole, swung, np.sqrt(variance + EPSILON))
