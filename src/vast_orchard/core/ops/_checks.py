"""Shape and type checks shared by the wrappers."""

from typing import TypeAlias

import numpy as np

from vast_orchard.errors import ShapeError

__all__ = ["Array", "FloatArray", "check_floating", "check_rank"]

Array: TypeAlias = np.ndarray[tuple[int, ...], np.dtype[np.generic]]
FloatArray: TypeAlias = np.ndarray[tuple[int, ...], np.dtype[np.floating]]


def check_rank(name: str, value: Array, rank: int, axes: str) -> None:
    """Raise `ShapeError` unless `value` has `rank` axes and holds something."""
    if value.ndim != rank:
        raise ShapeError(f"{name} has shape {value.shape}, not {axes}.", f"Pass an array of {rank} axes.")
    if value.size == 0:
        raise ShapeError(f"{name} of shape {value.shape} is empty.", "Pass at least one picture.")


def check_floating(name: str, value: Array) -> None:
    """Raise `ShapeError` unless `value` holds floating-point numbers."""
    if not np.issubdtype(value.dtype, np.floating):
        raise ShapeError(f"{name} holds {value.dtype}, not floating-point numbers.", "Convert it to float32 first.")
