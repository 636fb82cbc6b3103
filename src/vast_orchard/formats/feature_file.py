"""The features of the pictures that a model has learnt from, at half precision: one safetensors file a model."""

from collections.abc import Sequence

import numpy as np
from safetensors import SafetensorError
from safetensors.numpy import load, save

from vast_orchard.core.arrays import Array, FloatArray
from vast_orchard.errors import InputError

__all__ = ["read_features", "write_features"]


def write_features(picture_ids: Sequence[int], features: FloatArray) -> bytes:
    """Ids (N,), int64, and features (N, F), float16, of pictures in one order."""
    return bytes(save({"pictures": np.array(picture_ids, np.int64), "features": features.astype(np.float16)}))


def read_features(data: bytes) -> tuple[Array, Array]:
    """What `write_features` wrote: ids (N,), int64, and features (N, F), float16.

    Raises
    ------
    InputError
        The file is damaged.
    """
    try:
        found = load(data)
        return found["pictures"], found["features"]
    except (SafetensorError, KeyError, ValueError) as error:
        raise InputError(
            f"The file of features cannot be read ({str(error)[:120]}).", "Judge the model on its training set again."
        ) from error
