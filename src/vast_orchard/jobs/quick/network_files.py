"""Looks at a network file from outside: what it is, what it lacks, and whether it answers as its own graph does."""

import base64
import io
from collections.abc import Mapping, Sequence
from dataclasses import asdict
from pathlib import Path
from typing import Any

import numpy as np
from PIL import Image

from vast_orchard.core.arrays import Array
from vast_orchard.core.network.description import description_to_json
from vast_orchard.core.network.plan import plan
from vast_orchard.core.pictures.preprocessing import Preprocessing, preprocessing_to_json
from vast_orchard.core.team import Team
from vast_orchard.errors import InputError
from vast_orchard.formats.model_file import Model, weights_digest, write_model
from vast_orchard.formats.network_file.comparing import runtime_answers
from vast_orchard.formats.network_file.opening import LARGEST_BYTES, Opened, open_network_file
from vast_orchard.formats.network_file.reading import Answers, Read, fed_to_the_graph, read_network
from vast_orchard.formats.picture_file import network_pixels
from vast_orchard.formats.proof import TOLERANCE
from vast_orchard.store.bytes import ByteStore

__all__ = ["look_at_network_file"]

_COMPARED, _SEEN = 32, 6


def look_at_network_file(
    store: ByteStore,
    team: Team,
    *,
    path: str,
    name: str,
    answers: Mapping[str, Any],
    pictures: Sequence[str],
    whole: bool,
) -> dict[str, Any]:
    """What a network file is, as plain values.

    Parameters
    ----------
    path, name : str
        Where it lies, and what it is called.
    answers : mapping
        Of `Answers`.
    pictures : sequence of str
        SHA-256 of stored pictures to compare by; of too few, patterns are made.
    whole : bool
        With the model as a file, which is refused where it answers otherwise than its graph.

    Raises
    ------
    InputError, SettingError
        It cannot be read, or what is answered cannot be.
    """
    file = Path(path)
    if file.stat().st_size > LARGEST_BYTES:
        raise InputError(
            f"{name} has {file.stat().st_size / 1e6:.0f} MB.", f"A network has at most {LARGEST_BYTES / 1e6:.0f}."
        )
    plain: dict[str, Any] = {key: tuple(value) if isinstance(value, list) else value for key, value in answers.items()}
    given = Answers(**plain)
    opened = open_network_file(name, file.read_bytes())
    read = read_network(opened, given, Path(name).stem[:60] or "network")
    found: dict[str, Any] = {
        "name": name,
        "producer": opened.graph.producer,
        "opset": opened.graph.opset,
        "refused": [asdict(entry) for entry in read.refused],
        "asks": list(read.asks),
        "size": read.size,
        "channels": read.channels,
        "outputs": read.outputs,
        "names": list(read.names),
        "softmax": read.softmax,
        "layers": [],
        "parameters": 0,
        "difference": None,
        "compared": 0,
        "tolerance": TOLERANCE,
        "seen": [],
        "preprocessing": None,
    }
    before = read.model.preprocessing if read.model else _looked_at(read, given)
    if before is not None:
        pixels = _pixels(store, pictures[:_COMPARED], before)
        found["seen"] = [_png(picture) for picture in pixels[: min(_SEEN, len(pictures))]]
        found["preprocessing"] = preprocessing_to_json(before)
    if read.model is None:
        return found
    found |= _held_against(opened, read, given, pixels, name, team)
    if whole:
        _check_agrees(name, found["difference"])
        found["model"] = write_model(read.model)
        found["digest"] = weights_digest(read.model.weights)
        found["network"] = description_to_json(read.model.description)
        below = read.model.unsure_below
        found["unsure_below"] = None if below is None else list(below)
    return found


def _looked_at(read: Read, answers: Answers) -> Preprocessing | None:
    """As the pictures would be seen, while classes are not named yet."""
    if not read.size or "preprocessing" not in read.asks:
        return None
    return Preprocessing(size=read.size, fit=answers.fit, colour="rgb" if read.channels == 3 else "grey")


def _pixels(store: ByteStore, pictures: Sequence[str], before: Preprocessing) -> Array:
    """Pictures as the network sees them, (N, H, W, C), uint8; at least as many as are compared."""
    found = [network_pixels(store.read(store.picture_path(sha256)), before) for sha256 in pictures]
    random = np.random.default_rng(0)
    while len(found) < _COMPARED:
        # Patches of all sizes, so that there is something to tell apart.
        side = int(random.integers(2, before.size))
        patches = random.integers(0, 256, (side, side, before.channels), np.uint8)
        places = np.arange(before.size) * side // before.size
        found.append(patches[np.ix_(places, places)])
    return np.stack(found)


def _held_against(opened: Opened, read: Read, answers: Answers, pixels: Array, name: str, team: Team) -> dict[str, Any]:
    model = read.model
    assert isinstance(model, Model)
    fed = fed_to_the_graph(opened, read, answers, pixels)
    theirs = runtime_answers(name, opened.content, fed, softmax=read.softmax)
    ours = model.probabilities(pixels, team)
    if theirs.shape != ours.shape:
        raise InputError(f"{name} gives {theirs.shape[1]} values, and was read to give {ours.shape[1]}.", "Report it.")
    return {
        "difference": float(np.abs(theirs - ours).max()),
        "compared": len(pixels),
        "parameters": plan(model.description).parameters,
        "layers": description_to_json(model.description)["layers"],
    }


def _check_agrees(name: str, difference: float) -> None:
    if not difference <= TOLERANCE:
        raise InputError(
            f"{name} was read, but answers otherwise than its own graph: a probability differs by {difference:.2g}.",
            f"At most {TOLERANCE:g} is allowed. Report it, with the file if you can.",
        )


def _png(pixels: Array) -> str:
    image = Image.fromarray(pixels if pixels.shape[2] == 3 else pixels[..., 0])
    buffer = io.BytesIO()
    image.save(buffer, "PNG", compress_level=1)
    return base64.b64encode(buffer.getvalue()).decode()
