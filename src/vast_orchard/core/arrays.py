"""What the core calls an array, and the checks of shape and type that its wrappers share."""

from typing import Any, TypeAlias

import numpy as np
import numpy.typing as npt

from vast_orchard.errors import ShapeError

__all__ = ["Array", "FloatArray", "check_floating", "check_rank"]

Array: TypeAlias = npt.NDArray[Any]
# float32 in work, float64 in checks of gradients; the checks below see to it where it matters.
FloatArray: TypeAlias = npt.NDArray[Any]


def check_rank(name: str, value: Array, rank: int, axes: str) -> None:
    """Raise `ShapeError` unless `value` has `rank` axes and holds something.

    `value` is an ndarray of any dtype; `shape` is only said in the message.
    """
    if value.ndim != rank:
        raise ShapeError(f"{name} has shape {value.shape}, not {axes}.", f"Pass an array of {rank} axes.")
    if value.size == 0:
        raise ShapeError(f"{name} of shape {value.shape} is empty.", "Pass at least one picture.")


def check_floating(name: str, value: Array) -> None:
    """Raise `ShapeError` unless `value` holds floating-point numbers.

    `value` is an ndarray of any shape; float32 and float64 pass.
    """
    if not np.issubdtype(value.dtype, np.floating):
        raise ShapeError(f"{name} holds {value.dtype}, not floating-point numbers.", "Convert it to float32 first.")
