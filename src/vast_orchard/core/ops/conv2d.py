"""Two-dimensional convolution (cross-correlation, as in the field's usage) on NHWC arrays."""

import numpy as np

from vast_orchard.core.arrays import FloatArray, check_floating, check_rank
from vast_orchard.core.ops._conv2d_kernels import (
    correlate,
    correlate_channelwise,
    gather,
    gather_channelwise,
    pack,
    pack_turned,
)
from vast_orchard.core.ops._conv2d_tables import (
    Gathering,
    correlation,
    forward_gathering,
    input_gatherings,
)
from vast_orchard.core.ops._tile import LANES, POSITIONS
from vast_orchard.core.ops.window import Window, forward_halo, gradient_halo
from vast_orchard.core.plane import NO_HALO, Plane, make_plane, plane_of
from vast_orchard.errors import ShapeError

__all__ = ["Convolution", "ConvolutionGradient", "conv2d", "conv2d_backward"]

# Rows of positions that a gradient of filters sums at a time: what both operands may hold of a first-level cache.
_ROWS_BYTES = 24 * 1024


def _row(values: int) -> int:
    """Values that a tile computes side by side: one to three vectors, whichever leaves the fewest lanes idle."""
    vectors = -(-values // LANES)
    return LANES * min((1, 2, 3), key=lambda n: (-(-vectors // n) * n, -n))


def _is_channelwise(groups: int, channels: int, filters: int) -> bool:
    return 1 < groups == channels == filters


class _Packed:
    """Weights in the order in which one gathering walks them, group by group."""

    def __init__(self, tables: Gathering, groups: int, values: int, dtype: np.dtype[np.floating]) -> None:
        self.values = values  # outputs of one group
        self.row = _row(values)
        steps = len(tables.runs) * tables.length
        self.weights = np.zeros((groups, -(-values // self.row), steps, self.row), dtype)
        self.runs = np.arange(len(tables.runs), dtype=np.int64) * tables.length * self.row

    def bias(self, bias: FloatArray | None) -> FloatArray:
        """(groups, whole rows) with zeros where there is none."""
        groups, blocks, _, row = self.weights.shape
        padded = np.zeros((groups, blocks * row), self.weights.dtype)
        if bias is not None:
            padded[:, : self.values] = bias.reshape(groups, self.values)
        return padded


class Convolution:
    """A convolution from one plane into another, over any part of a batch.

    Parameters
    ----------
    window : (Window, Window)
        Along rows and columns.
    groups : int
    x, y : Plane
        Read and written; the halo of x covers `forward_halo`.
    images : int
        Most images of one call.
    """

    def __init__(self, window: tuple[Window, Window], groups: int, x: Plane, y: Plane, images: int) -> None:
        self._x, self._y, self._groups = x, y, groups
        channels, filters = x.channels, y.channels
        self._channels, self._filters = channels // groups, filters // groups
        self._tables = forward_gathering(window, groups, x, y, images)
        self._channelwise = _is_channelwise(groups, channels, filters)
        if self._channelwise:
            whole = -(-filters // LANES) * LANES
            self._taps = np.zeros((len(self._tables.taps), whole), y.values.dtype)
            self._tap_runs = np.arange(len(self._taps), dtype=np.int64) * whole
            self._bias: FloatArray = np.zeros(whole, y.values.dtype)
        else:
            self._packed = _Packed(self._tables, groups, self._filters, y.values.dtype)
            self._bias = self._packed.bias(None)

    def load(self, weights: FloatArray, bias: FloatArray | None) -> None:
        """Take over filters (kh, kw, C / groups, F) and bias (F,); needed again whenever they change."""
        if self._channelwise:
            self._taps[:, : weights.shape[3]] = weights.reshape(-1, weights.shape[3])
            self._bias[: weights.shape[3]] = 0 if bias is None else bias
            return
        flat = weights.reshape(-1, weights.shape[3])
        for group in range(self._groups):
            pack(flat, group * self._filters, self._packed.weights[group])
        if bias is not None:
            self._bias = self._packed.bias(bias)

    def run(self, first: int, count: int, slope: float = 1.0) -> None:
        """Convolve images `first` to `first + count`, then max(y, slope · y): 0 is ReLU, 1 leaves y alone."""
        x, y, t = self._x, self._y, self._tables
        factor = y.values.dtype.type(slope)
        from_x, to_y, positions = first * x.image, first * y.image, count * t.positions
        if self._channelwise:
            gather_channelwise(
                y.flat, to_y, t.target_at, positions, x.flat, from_x, t.source_at, t.runs,
                self._taps, self._bias, self._groups, factor, self._tap_runs,
            )  # fmt: skip
            return
        for group in range(self._groups):
            gather(
                y.flat, to_y + group * self._filters, t.target_at, positions,
                x.flat, from_x + group * self._channels, t.source_at, t.runs,
                self._packed.weights[group], self._packed.runs, t.length, self._bias[group], self._filters, factor,
            )  # fmt: skip


class ConvolutionGradient:
    """Both gradients of a convolution, over any part of a batch.

    The filters' is a correlation of input and output gradient; the input's is a convolution of the output gradient
    with the filters turned by 180 degrees, one for each phase of the stride (Dumoulin & Visin 2016, section 4).

    Parameters
    ----------
    window, groups, x, images
        As of the `Convolution`.
    gradient : Plane
        With respect to the output; its halo covers `gradient_halo` when there is an `x_gradient`.
    x_gradient : Plane or None
        Where the input's gradient goes; None leaves it out.
    """

    def __init__(
        self,
        window: tuple[Window, Window],
        groups: int,
        x: Plane,
        gradient: Plane,
        x_gradient: Plane | None,
        images: int,
    ) -> None:
        self._x, self._gradient, self._x_gradient, self._groups = x, gradient, x_gradient, groups
        channels, filters = x.channels, gradient.channels
        dtype = gradient.values.dtype
        self._channels, self._filters = channels // groups, filters // groups
        self._shape = (window[0].size, window[1].size, self._channels, filters)
        self._channelwise = _is_channelwise(groups, channels, filters)
        self._tables = correlation(window, groups, x, gradient, images)
        self._values = int(np.prod(self._shape[:3]))  # under the kernel, of one group
        self._out_at = np.minimum(np.arange(self._values + POSITIONS), self._values - 1).astype(np.int64) * filters
        bytes_a_run = self._tables.length * (self._tables.source_step + self._tables.gradient_step) * dtype.itemsize
        self._at_once = max(1, _ROWS_BYTES // bytes_a_run)
        self._phases = input_gatherings(window, groups, gradient, x_gradient, images) if x_gradient else []
        whole = -(-filters // LANES) * LANES
        if self._channelwise:
            self._tap_weights = [np.zeros((len(t.taps), whole), dtype) for t in self._phases]
            self._tap_runs = [np.arange(len(t.taps), dtype=np.int64) * whole for t in self._phases]
            self._no_bias: FloatArray = np.zeros(whole, dtype)
        else:
            self._packed = [_Packed(t, groups, self._channels, dtype) for t in self._phases]
            self._no_bias = np.zeros(channels + 4 * LANES, dtype)

    def empty(self, parts: int) -> FloatArray:
        """Zeros for `add_filters` to add to: `parts` times the filters' shape."""
        shape = (parts, *self._shape)
        size = int(np.prod(shape))
        # Whole vectors are read, also at the last filter of the last part.
        return np.zeros(size + 4 * LANES, self._gradient.values.dtype)[:size].reshape(shape)

    def load(self, weights: FloatArray) -> None:
        """Take over filters for the input's gradient; needed again whenever they change."""
        for place, tables in enumerate(self._phases):
            if self._channelwise:
                rows, columns = tables.taps.T
                self._tap_weights[place][:, : weights.shape[3]] = weights[rows, columns, 0]
                continue
            for group in range(self._groups):
                pack_turned(
                    weights, group * self._filters, self._filters, tables.taps, self._packed[place].weights[group]
                )

    def add_filters(self, first: int, count: int, out: FloatArray) -> None:
        """Add the filters' gradient over images `first` to `first + count` to `out`, a part of `empty`."""
        x, g, t = self._x, self._gradient, self._tables
        runs, length = (count * t.runs, t.length) if t.runs else (1, count)
        x_runs, g_runs = t.source_runs[:runs], t.gradient_runs[:runs]
        from_x, from_g, flat = first * x.image, first * g.image, out.reshape(-1)
        if self._channelwise:
            correlate_channelwise(
                flat, self._out_at, self._values, x.flat, from_x, t.source_at, x_runs, t.source_step,
                g.flat, from_g, g_runs, t.gradient_step, length, self._at_once, self._groups,
            )  # fmt: skip
            return
        for group in range(self._groups):
            correlate(
                flat, group * self._filters, self._out_at, self._values,
                x.flat, from_x + group * self._channels, t.source_at, x_runs, t.source_step,
                g.flat, from_g + group * self._filters, g_runs, t.gradient_step,
                length, self._at_once, self._filters, _row(self._filters),
            )  # fmt: skip

    def run_input(self, first: int, count: int) -> None:
        """Write the input's gradient of images `first` to `first + count`."""
        g, target = self._gradient, self._x_gradient
        assert target is not None
        one = g.values.dtype.type(1)
        if any(len(t.runs) == 0 for t in self._phases):
            target.inside[first : first + count] = 0
        for place, t in enumerate(self._phases):
            if len(t.runs) == 0:
                continue
            from_g, to_x, positions = first * g.image, first * target.image, count * t.positions
            if self._channelwise:
                gather_channelwise(
                    target.flat, to_x, t.target_at, positions, g.flat, from_g, t.source_at, t.runs,
                    self._tap_weights[place], self._no_bias, self._groups, one, self._tap_runs[place],
                )  # fmt: skip
                continue
            for group in range(self._groups):
                gather(
                    target.flat, to_x + group * self._channels, t.target_at, positions,
                    g.flat, from_g + group * self._filters, t.source_at, t.runs,
                    self._packed[place].weights[group], self._packed[place].runs, t.length,
                    self._no_bias, self._channels, one,
                )  # fmt: skip


def _window(weights: FloatArray, stride: int, dilation: int, padding: str) -> tuple[Window, Window]:
    rows, columns = (Window(size=n, stride=stride, dilation=dilation, padding=padding) for n in weights.shape[:2])
    return rows, columns


def _check(x: FloatArray, weights: FloatArray, groups: int) -> None:
    check_rank("x", x, 4, "(N, H, W, C)")
    check_floating("x", x)
    check_rank("weights", weights, 4, "(kh, kw, C / groups, F)")
    if weights.dtype != x.dtype:
        raise ShapeError(f"x holds {x.dtype} and the filters {weights.dtype}.", "Convert one of them.")
    _, _, channels, filters = weights.shape
    if groups < 1 or x.shape[3] % groups or filters % groups:
        raise ShapeError(
            f"{x.shape[3]} channels and {filters} filters cannot be divided into {groups} groups.",
            "Choose a number of groups that divides both.",
        )
    if x.shape[3] != channels * groups:
        raise ShapeError(
            f"x has {x.shape[3]} channels and the filters expect {channels * groups}.", "Give both the same number."
        )


def conv2d(
    x: FloatArray,
    weights: FloatArray,
    padding: str = "same",
    *,
    stride: int = 1,
    dilation: int = 1,
    groups: int = 1,
    bias: FloatArray | None = None,
) -> FloatArray:
    """Convolve pictures with filters.

    Parameters
    ----------
    x : ndarray, shape (N, H, W, C), float32 or float64
    weights : ndarray, shape (kh, kw, C / groups, F), dtype of x
    padding : {"same", "valid"}
    stride, dilation : int
        Pixels from one window to the next, and from one value under the kernel to the next.
    groups : int
        Channels and filters are divided into so many groups that know nothing of each other.
    bias : ndarray, shape (F,), optional

    Returns
    -------
    ndarray, shape (N, H', W', F)

    Raises
    ------
    ShapeError
        Shapes do not fit each other, or the kernel is larger than the padded picture.
    """
    _check(x, weights, groups)
    window = _window(weights, stride, dilation, padding)
    height, width = (axis.count(n) for axis, n in zip(window, x.shape[1:3], strict=True))
    if height < 1 or width < 1:
        raise ShapeError(
            f"A {weights.shape[0]}×{weights.shape[1]} kernel does not fit into {x.shape[1]}×{x.shape[2]}.",
            "Use padding 'same', a smaller kernel or larger pictures.",
        )
    source = plane_of(x, forward_halo(window, (x.shape[1], x.shape[2])))
    target = make_plane(len(x), (height, width, weights.shape[3]), NO_HALO, x.dtype)
    convolution = Convolution(window, groups, source, target, len(x))
    convolution.load(weights, bias)
    convolution.run(0, len(x))
    return target.values


def conv2d_backward(
    x: FloatArray,
    weights: FloatArray,
    grad: FloatArray,
    padding: str = "same",
    *,
    stride: int = 1,
    dilation: int = 1,
    groups: int = 1,
    input_gradient: bool = True,
) -> tuple[FloatArray | None, FloatArray]:
    """Gradients of a loss with respect to the input and the filters of `conv2d`.

    Parameters
    ----------
    x, weights, padding, stride, dilation, groups
        As given to `conv2d`.
    grad : ndarray, shape (N, H', W', F)
        Gradient with respect to the output.
    input_gradient : bool
        False leaves out the input's gradient, which the first layer of a network does not need.

    Returns
    -------
    tuple of (ndarray, shape of x, or None) and (ndarray, shape of weights)
    """
    _check(x, weights, groups)
    window, size = _window(weights, stride, dilation, padding), (x.shape[1], x.shape[2])
    source = plane_of(x, forward_halo(window, size))
    gradient = plane_of(grad, gradient_halo(window, size))
    target = make_plane(len(x), (*size, x.shape[3]), NO_HALO, x.dtype) if input_gradient else None
    both = ConvolutionGradient(window, groups, source, gradient, target, len(x))
    (filters,) = both.empty(1)
    both.add_filters(0, len(x), filters)
    if target is None:
        return None, filters
    both.load(weights)
    both.run_input(0, len(x))
    return target.values, filters
