"""The Open Inference Protocol, version 2, over REST: health, metadata, and answers for pixels."""

from typing import Any

import numpy as np
from pydantic import BaseModel, Field

from vast_orchard import __version__
from vast_orchard.core.arrays import Array, FloatArray
from vast_orchard.errors import InputError
from vast_orchard.serving.shelf import Standing

__all__ = ["InferRequest", "InferTensor", "WantedOutput", "infer_answer", "metadata", "pixels_of", "server_metadata"]

_INPUT, _OUTPUT = "pixels", "probabilities"
_MOST_PICTURES = 64


class InferTensor(BaseModel):
    """A tensor as the protocol writes it."""

    name: str = Field(max_length=100)
    shape: list[int] = Field(min_length=1, max_length=8)
    datatype: str = Field(max_length=10)
    data: list[Any]
    parameters: dict[str, Any] = {}


class WantedOutput(BaseModel):
    """An output that is asked for."""

    name: str = Field(max_length=100)
    parameters: dict[str, Any] = {}


class InferRequest(BaseModel):
    """Pixels to be answered about."""

    id: str | None = Field(None, max_length=200)
    parameters: dict[str, Any] = {}
    inputs: list[InferTensor] = Field(min_length=1, max_length=1)
    outputs: list[WantedOutput] = Field([], max_length=1)


def server_metadata() -> dict[str, Any]:
    """What the protocol says of a server."""
    return {"name": "vast-orchard", "version": __version__, "extensions": []}


def metadata(standing: Standing) -> dict[str, Any]:
    """What the protocol says of a model."""
    height, width, channels = standing.batches.prepared.model.description.input_shape
    return {
        "name": standing.served.slug,
        "versions": [str(standing.served.version)],
        "platform": "vast-orchard",
        "inputs": [{"name": _INPUT, "datatype": "UINT8", "shape": [-1, height, width, channels]}],
        "outputs": [{"name": _OUTPUT, "datatype": "FP32", "shape": [-1, len(standing.served.classes)]}],
        # Beyond the protocol: what people call it, and in which order the probabilities stand.
        "parameters": {"title": standing.served.name, "classes": standing.served.classes},
    }


def _flat(data: list[Any]) -> list[Any]:
    """Numbers in a row, however deep they were nested."""
    while data and isinstance(data[0], list):
        data = [one for part in data for one in (part if isinstance(part, list) else [part])]
    return data


def pixels_of(standing: Standing, asked: InferRequest) -> Array:
    """Pixels (N, H, W, C), uint8, of a request.

    Raises
    ------
    InputError
        They are of another name, type or shape, or of other values.
    """
    (given,) = asked.inputs
    shape = standing.batches.prepared.model.description.input_shape
    wanted = f"one tensor {_INPUT}: UINT8 of shape [N, {', '.join(map(str, shape))}], N at most {_MOST_PICTURES}"
    if given.name != _INPUT or given.datatype != "UINT8" or tuple(given.shape[1:]) != shape:
        raise InputError(f"{given.name} is {given.datatype} of shape {given.shape}.", f"Send {wanted}.")
    if not 1 <= given.shape[0] <= _MOST_PICTURES:
        raise InputError(f"{given.shape[0]} pictures at once are not taken.", f"Send {wanted}.")
    if asked.outputs and asked.outputs[0].name != _OUTPUT:
        raise InputError(f"There is no output {asked.outputs[0].name!r}.", f"Ask for {_OUTPUT}.")
    try:
        values = np.asarray(_flat(given.data))
        # Some clients write 7 as 7.0.
        whole = values.dtype.kind in "iu" or (values.dtype.kind == "f" and bool((values == np.rint(values)).all()))
        if not whole or values.min() < 0 or values.max() > 255:
            raise InputError("The data are no whole numbers of 0 to 255.", f"Send {wanted}.")
        return values.astype(np.uint8).reshape(given.shape)
    except (ValueError, TypeError, OverflowError) as error:
        raise InputError(f"The data do not fit the shape {given.shape}.", f"Send {wanted}.") from error


def infer_answer(standing: Standing, asked: InferRequest, probabilities: FloatArray) -> dict[str, Any]:
    """The protocol's answer; probabilities of shape (N, classes), float32."""
    return {
        "model_name": standing.served.slug,
        "model_version": str(standing.served.version),
        "id": asked.id,
        "parameters": {"digest": standing.served.digest},
        "outputs": [
            {
                "name": _OUTPUT,
                "datatype": "FP32",
                "shape": list(probabilities.shape),
                "data": [float(p) for p in probabilities.ravel()],
            }
        ],
    }
