"""Two-dimensional convolution (cross-correlation, as in the field's usage) on NHWC arrays."""

import numpy as np

from vast_orchard.core.arrays import FloatArray, check_floating, check_rank
from vast_orchard.core.ops._conv2d_kernels import gather_patches
from vast_orchard.errors import ShapeError

__all__ = ["conv2d", "conv2d_backward", "same_padding"]

# Patches of this many bytes at a time stay in a core's second-level cache between gathering and product.
_PATCH_BYTES = 1 << 20


def same_padding(kernel: int) -> tuple[int, int]:
    """Zeros before and after, so that a stride-1 convolution keeps the size; the odd one comes after.

    The rule is that of ONNX `SAME_UPPER`.
    """
    return (kernel - 1) // 2, kernel // 2


def _padding(kernel: tuple[int, int], padding: str) -> tuple[tuple[int, int], ...]:
    if padding == "same":
        return ((0, 0), same_padding(kernel[0]), same_padding(kernel[1]), (0, 0))
    if padding == "valid":
        return ((0, 0),) * 4
    raise ShapeError(f"padding is {padding!r}.", "Use 'same' or 'valid'.")


def _pad(x: FloatArray, pads: tuple[tuple[int, int], ...]) -> FloatArray:
    # np.pad spends most of its time on generality; zeros and one copy are a third of it at these sizes.
    if not any(before or after for before, after in pads):
        return x
    padded = np.zeros(tuple(n + sum(pad) for n, pad in zip(x.shape, pads, strict=True)), x.dtype)
    padded[tuple(slice(before, before + n) for n, (before, _) in zip(x.shape, pads, strict=True))] = x
    return padded


def _images_at_a_time(positions: int, depth: int, itemsize: int) -> int:
    return max(1, _PATCH_BYTES // (positions * depth * itemsize))


def conv2d(x: FloatArray, weights: FloatArray, padding: str = "same") -> FloatArray:
    """Convolve pictures with filters at stride 1.

    Parameters
    ----------
    x : ndarray, shape (N, H, W, C), floating
    weights : ndarray, shape (kh, kw, C, F), floating
    padding : {"same", "valid"}

    Returns
    -------
    ndarray, shape (N, H', W', F)

    Raises
    ------
    ShapeError
        Shapes do not fit each other, or the kernel is larger than the padded picture.
    """
    check_rank("x", x, 4, "(N, H, W, C)")
    check_floating("x", x)
    check_rank("weights", weights, 4, "(kh, kw, C, F)")
    kh, kw, channels, filters = weights.shape
    if x.shape[3] != channels:
        raise ShapeError(
            f"x has {x.shape[3]} channels and the filters expect {channels}.", "Give both the same number."
        )
    padded = _pad(x, _padding((kh, kw), padding))
    count, height, width = padded.shape[0], padded.shape[1] - kh + 1, padded.shape[2] - kw + 1
    if height < 1 or width < 1:
        raise ShapeError(
            f"A {kh}×{kw} kernel does not fit into {x.shape[1]}×{x.shape[2]}.",
            "Use padding 'same', a smaller kernel or larger pictures.",
        )
    flat = weights.reshape(-1, filters)
    out = np.empty((count, height, width, filters), x.dtype)
    step = _images_at_a_time(height * width, flat.shape[0], x.itemsize)
    patches = np.empty((min(step, count), height, width, kh, kw, channels), x.dtype)
    for start in range(0, count, step):
        part = padded[start : start + step]
        gather_patches(part, (kh, kw), patches[: len(part)])
        np.matmul(
            patches[: len(part)].reshape(-1, flat.shape[0]),
            flat,
            out=out[start : start + step].reshape(-1, filters),
        )
    return out


def conv2d_backward(
    x: FloatArray,
    weights: FloatArray,
    grad: FloatArray,
    padding: str = "same",
    *,
    input_gradient: bool = True,
) -> tuple[FloatArray | None, FloatArray]:
    """Gradients of a loss with respect to the input and the filters of `conv2d`.

    The weight gradient sums patch-by-gradient products; the input gradient is a full convolution of the output
    gradient with the filters turned by 180 degrees (Dumoulin & Visin 2016, "A guide to convolution arithmetic").

    Parameters
    ----------
    x, weights, padding
        As given to `conv2d`.
    grad : ndarray, shape (N, H', W', F)
        Gradient with respect to the output.
    input_gradient : bool
        False leaves out the input's gradient, which the first layer of a network does not need.

    Returns
    -------
    tuple of (ndarray, shape of x, or None) and (ndarray, shape of weights)
    """
    kh, kw, channels, filters = weights.shape
    pads = _padding((kh, kw), padding)
    padded = _pad(x, pads)
    height, width = grad.shape[1:3]
    grad = np.ascontiguousarray(grad)
    weight_gradient = np.zeros((kh * kw * channels, filters), x.dtype)
    step = _images_at_a_time(height * width, kh * kw * channels, x.itemsize)
    patches = np.empty((min(step, len(x)), height, width, kh, kw, channels), x.dtype)
    for start in range(0, len(x), step):
        part = padded[start : start + step]
        gather_patches(part, (kh, kw), patches[: len(part)])
        weight_gradient += patches[: len(part)].reshape(-1, kh * kw * channels).T @ grad[start : start + step].reshape(
            -1, filters
        )
    if not input_gradient:
        return None, weight_gradient.reshape(weights.shape)
    turned = np.ascontiguousarray(weights[::-1, ::-1].transpose(0, 1, 3, 2))
    (top, bottom), (left, right) = pads[1], pads[2]
    full = _pad(grad, ((0, 0), (kh - 1 - top, kh - 1 - bottom), (kw - 1 - left, kw - 1 - right), (0, 0)))
    return conv2d(full, turned, "valid"), weight_gradient.reshape(weights.shape)
