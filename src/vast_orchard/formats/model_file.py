"""A trained model, complete: weights, network, classes in order, preprocessing and channel statistics."""

import hashlib
import json
from collections.abc import Iterable, Mapping
from dataclasses import asdict, dataclass

import numpy as np
from safetensors import SafetensorError
from safetensors.numpy import load, save

from vast_orchard.core.arrays import Array, FloatArray
from vast_orchard.core.judging.calibration import tempered
from vast_orchard.core.network.description import (
    NetworkDescription,
    description_from_json,
    description_to_json,
)
from vast_orchard.core.network.network import Network
from vast_orchard.core.pictures.preprocessing import Preprocessing, preprocessing_from_json, preprocessing_to_json
from vast_orchard.core.pictures.standardise import ChannelStatistics
from vast_orchard.core.team import Team
from vast_orchard.core.training.begin import Training
from vast_orchard.core.training.loop import logits_of
from vast_orchard.core.training.phases import Origin
from vast_orchard.core.training.values import TrainingState
from vast_orchard.errors import InputError
from vast_orchard.formats._steps import views_of
from vast_orchard.formats.checkpoint_file import safetensors_metadata

__all__ = ["Model", "origin_of", "read_model", "read_sent_model", "trained_model", "weights_digest", "write_model"]


_DAMAGED = "The file is damaged; train again."


@dataclass(frozen=True, kw_only=True)
class Model:
    """Everything that is needed to answer for a picture file."""

    description: NetworkDescription
    weights: Mapping[str, Array]
    classes: tuple[str, ...]  # in the order of the network's outputs
    preprocessing: Preprocessing
    statistics: ChannelStatistics
    temperature: float = 1.0  # the logits are divided by it
    # By class: an answer of that class with a lower probability is "unsure", and of one with None always.
    unsure_below: tuple[float | None, ...] | None = None

    def network(self) -> Network:
        """The network with its weights."""
        network = Network(self.description)
        network.load(self.weights)
        return network

    def probabilities(self, pixels: Array, team: Team | None = None) -> FloatArray:
        """(N, classes) for pixels of shape (N, H, W, C), uint8, at the network's size.

        Averaged over the ways of looking at a picture that preprocessing asks for.
        """
        return tempered(self.logits(pixels, team), self.temperature)

    def logits(self, pixels: Array, team: Team | None = None) -> FloatArray:
        """(views, N, classes) for pixels of shape (N, H, W, C), uint8, before temperature and softmax."""
        network = self.network()
        return np.stack(
            [
                logits_of(network, np.ascontiguousarray(view), self.statistics, team)
                for view in views_of(pixels, self.preprocessing.views)
            ]
        )


def trained_model(training: Training, state: TrainingState, classes: Iterable[str]) -> Model:
    """What a training has kept by a state of it.

    Parameters
    ----------
    training : Training
    state : TrainingState
        At least one epoch of it has kept something.
    classes : iterable of str
        Names in the order of the network's outputs.
    """
    return Model(
        description=training.network.description,
        weights=state.kept,
        classes=tuple(classes),
        preprocessing=training.recipe.preprocessing,
        statistics=training.statistics,
    )


def weights_digest(weights: Mapping[str, Array]) -> str:
    """SHA-256 of weights: of each array's name, type, shape and bytes, in the order of names, whatever file holds them.

    Parameters
    ----------
    weights : mapping of str to ndarray
        By `id.name` of their layer.
    """
    found = hashlib.sha256()
    for name in sorted(weights):
        value = np.ascontiguousarray(weights[name])
        found.update(f"{name} {value.dtype.str} {value.shape} ".encode())
        found.update(value.tobytes())
    return found.hexdigest()


def write_model(model: Model) -> bytes:
    """The model as a safetensors file, its facts as JSON in the metadata."""
    facts = {
        "description": description_to_json(model.description),
        "classes": list(model.classes),
        "preprocessing": preprocessing_to_json(model.preprocessing),
        "statistics": asdict(model.statistics),
        # Said only where they were set, so that a state in training stays to the letter what it was.
        **({"temperature": model.temperature} if model.temperature != 1 else {}),
        **({"unsure_below": list(model.unsure_below)} if model.unsure_below is not None else {}),
    }
    # What is written are the bytes as they lie, in whatever order of the axes that is.
    weights = {name: np.ascontiguousarray(value) for name, value in model.weights.items()}
    return bytes(save(weights, {"model": json.dumps(facts)}))


def read_model(data: bytes) -> Model:
    """Read what `write_model` wrote.

    Raises
    ------
    InputError
        The file is damaged.
    """
    metadata = safetensors_metadata(data)
    if "model" not in metadata:
        raise InputError("The file holds weights, but not of which model.", _DAMAGED)
    try:
        facts = json.loads(metadata["model"])
        if "statistics" not in facts:
            raise InputError("The file does not say by which statistics pictures are standardised.", _DAMAGED)
        return Model(
            description=description_from_json(facts["description"]),
            weights=load(data),
            classes=tuple(facts["classes"]),
            preprocessing=preprocessing_from_json(facts["preprocessing"]),
            statistics=ChannelStatistics(**{key: tuple(value) for key, value in facts["statistics"].items()}),
            temperature=float(facts.get("temperature", 1.0)),
            unsure_below=None if facts.get("unsure_below") is None else tuple(facts["unsure_below"]),
        )
    except (SafetensorError, KeyError, TypeError, AttributeError, ValueError) as error:
        raise InputError(f"The file is no model that can be read ({str(error)[:120]}).", _DAMAGED) from error


def read_sent_model(name: str, data: bytes) -> Model:
    """Read a model file that a person chose.

    Raises
    ------
    InputError
        It is none, is cut off or says too little; the message says which file is wanted.
    """
    try:
        return read_model(data)
    except InputError as error:
        raise InputError(
            f"{name} is no model that can be started from: {error.what}",
            "Choose the model.safetensors that a training or an export here has written, and all of it.",
        ) from error


def origin_of(model: Model) -> Origin:
    """What a training can start from."""
    return Origin(
        weights=model.weights,
        classes=model.classes,
        preprocessing=model.preprocessing,
        statistics=model.statistics,
    )
