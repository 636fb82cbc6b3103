"""Two-dimensional convolution (cross-correlation, as in the field's usage) on NHWC arrays."""

import numpy as np

from vast_orchard.core.arrays import FloatArray, check_floating, check_rank
from vast_orchard.core.ops._conv2d_filters import make_filter_way
from vast_orchard.core.ops._conv2d_tables import correlation, forward_gathering, input_gatherings
from vast_orchard.core.ops._conv2d_ways import make_way
from vast_orchard.core.ops.window import Window, forward_halo, gradient_halo
from vast_orchard.core.plane import NO_HALO, Plane, make_plane, plane_of
from vast_orchard.errors import ShapeError

__all__ = ["Convolution", "ConvolutionGradient", "conv2d", "conv2d_backward"]


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
        self._way = make_way(forward_gathering(window, groups, x, y, images), groups, x, y, turned=False)

    def load(self, weights: FloatArray, bias: FloatArray | None) -> None:
        """Take over filters (kh, kw, C / groups, F) and bias (F,); needed again whenever they change."""
        self._way.load(weights, bias)

    def run(self, first: int, count: int, slope: float = 1.0) -> None:
        """Convolve images `first` to `first + count`, then max(y, slope · y): 0 is ReLU, 1 leaves y alone."""
        self._way.run(first, count, slope)


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
        shape = (window[0].size, window[1].size, x.channels // groups, gradient.channels)
        tables = correlation(window, groups, x, gradient, images)
        forward = forward_gathering(window, groups, x, gradient, 1)
        self._filters = make_filter_way(tables, forward, groups, x, gradient, shape)
        self._target, self._phases = x_gradient, []
        self._has_gaps = False
        if x_gradient is not None:
            phases = input_gatherings(window, groups, gradient, x_gradient, images)
            # Places between the windows of a stride that no window reaches.
            self._has_gaps = any(len(phase.runs) == 0 for phase in phases)
            self._phases = [
                make_way(phase, groups, gradient, x_gradient, turned=True) for phase in phases if len(phase.runs)
            ]

    def load(self, weights: FloatArray) -> None:
        """Take over filters for the input's gradient; needed again whenever they change.

        Of the dtype of the planes, float32 or float64.
        """
        for phase in self._phases:
            phase.load(weights, None)

    def empty(self, parts: int) -> FloatArray:
        """Zeros (parts, …) for `add_filters` to add to. Of the dtype of the planes, float32 or float64."""
        return self._filters.empty(parts)

    def add_filters(self, first: int, count: int, sums: FloatArray) -> None:
        """Add what images `first` to `first + count` mean for the filters to `sums`, a part of `empty`.

        Of its shape and dtype, float32 or float64.
        """
        self._filters.add(first, count, sums)

    def finish_filters(self, sums: FloatArray, out: FloatArray) -> None:
        """The filters' gradient, `out`, from the flat sum of all parts.

        `out` has the filters' shape (kh, kw, C / groups, F), of the dtype of the planes, float32 or float64.
        """
        self._filters.finish(sums, out)

    def run_input(self, first: int, count: int) -> None:
        """Write the input's gradient of images `first` to `first + count`."""
        assert self._target is not None
        if self._has_gaps:
            self._target.inside[first : first + count] = 0
        for phase in self._phases:
            phase.run(first, count, 1.0)


def _window(weights: FloatArray, stride: int, dilation: int, edge: str) -> tuple[Window, Window]:
    rows, columns = (Window(size=n, stride=stride, dilation=dilation, edge=edge) for n in weights.shape[:2])
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
    edge: str = "keep",
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
    edge : {"keep", "cut"}
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
    window = _window(weights, stride, dilation, edge)
    height, width = (axis.count(n) for axis, n in zip(window, x.shape[1:3], strict=True))
    if height < 1 or width < 1:
        raise ShapeError(
            f"A {weights.shape[0]}×{weights.shape[1]} kernel does not fit into {x.shape[1]}×{x.shape[2]}.",
            "Use edge 'keep', a smaller kernel or larger pictures.",
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
    edge: str = "keep",
    *,
    stride: int = 1,
    dilation: int = 1,
    groups: int = 1,
    input_gradient: bool = True,
) -> tuple[FloatArray | None, FloatArray]:
    """Gradients of a loss with respect to the input and the filters of `conv2d`.

    Parameters
    ----------
    x, weights, edge, stride, dilation, groups
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
    window, size = _window(weights, stride, dilation, edge), (x.shape[1], x.shape[2])
    source = plane_of(x, forward_halo(window, size))
    gradient = plane_of(grad, gradient_halo(window, size))
    target = make_plane(len(x), (*size, x.shape[3]), NO_HALO, x.dtype) if input_gradient else None
    both = ConvolutionGradient(window, groups, source, gradient, target, len(x))
    (sums,), filters = both.empty(1), np.empty_like(weights)
    both.add_filters(0, len(x), sums)
    both.finish_filters(sums.reshape(-1), filters)
    if target is None:
        return None, filters
    both.load(weights)
    both.run_input(0, len(x))
    return target.values, filters
