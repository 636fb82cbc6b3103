"""The zip that leaves: ONNX file, class list, description, script, and the proof that they answer alike."""

import io
import json
import subprocess
import sys
import tempfile
import zipfile
from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass
from importlib.resources import files
from pathlib import Path
from typing import Any

import numpy as np

from vast_orchard.core.arrays import FloatArray
from vast_orchard.core.network.description import description_to_json
from vast_orchard.core.network.plan import plan
from vast_orchard.core.pictures.area import area_words
from vast_orchard.core.pictures.preprocessing import preprocessing_to_json
from vast_orchard.errors import ProofError
from vast_orchard.formats.model_file import Model
from vast_orchard.formats.onnx_model import onnx_bytes
from vast_orchard.formats.picture_file import network_pixels

__all__ = ["LEAST_PROOF_PICTURES", "TOLERANCE", "Proof", "proven_pack"]

# Two float32 implementations that sum in different orders differ by about 1e-6 here; a wrong step by far more.
TOLERANCE = 1e-4
LEAST_PROOF_PICTURES = 32
_SCRIPT_LIMIT_S = 300
# What stands behind this line in the modules that bring pictures to the network's pixels.
_CUT = "# From here on the text goes into the script of an export.\n"


@dataclass(frozen=True, kw_only=True)
class Proof:
    """What the shipped script answered, beside what the application answers."""

    pictures: int
    max_abs_difference: float  # of any probability of any picture
    tolerance: float
    runtime: str


def _script() -> str:
    area, steps = (
        files(package).joinpath(name).read_text("utf-8").split(_CUT, 1)[1].strip()
        for package, name in (("vast_orchard.core.pictures", "_area_steps.py"), ("vast_orchard.formats", "_steps.py"))
    )
    template = files("vast_orchard.formats").joinpath("predict_script.txt").read_text("utf-8")
    return template.format(imports="import numpy as np\nfrom PIL import Image, ImageOps", steps=f"{area}\n\n\n{steps}")


def _facts(model: Model, origin: Mapping[str, Any]) -> dict[str, Any]:
    return {
        "format": "vast-orchard-model/1",
        "classes": list(model.classes),
        "preprocessing": preprocessing_to_json(model.preprocessing),
        # What a picture gets that is answered for: the rule for all of the project, or what stands out of it.
        "working_area": area_words(model.preprocessing.area),
        "channel_statistics": asdict(model.statistics),
        "input": {"name": "pixels", "type": "uint8", "shape": ["N", *model.description.input_shape]},
        "output": {"name": "probabilities", "type": "float32", "shape": ["N", len(model.classes)]},
        "temperature": model.temperature,  # in the network file already
        "unsure_below": None if model.unsure_below is None else list(model.unsure_below),
        "network": description_to_json(model.description),
        "parameters": plan(model.description).parameters,
        "origin": dict(origin),
    }


def _pack(contents: Mapping[str, bytes]) -> bytes:
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, data in contents.items():
            # A fixed date keeps the same model's pack the same, byte for byte.
            archive.writestr(zipfile.ZipInfo(name, (2020, 1, 1, 0, 0, 0)), data, zipfile.ZIP_DEFLATED)
    return buffer.getvalue()


def _answers(folder: Path, pictures: Sequence[Path], classes: Sequence[str]) -> FloatArray:
    command = [sys.executable, "-I", str(folder / "predict.py"), "--json", *map(str, pictures)]
    try:
        done = subprocess.run(command, capture_output=True, text=True, timeout=_SCRIPT_LIMIT_S, check=True)
    except subprocess.CalledProcessError as error:
        last = (error.stderr or "").strip().splitlines()[-1:]
        raise ProofError(f"The export's script failed: {' '.join(last)}", "Nothing is offered for download.") from error
    except subprocess.TimeoutExpired as error:
        raise ProofError(f"The export's script took over {_SCRIPT_LIMIT_S} s.", "Try again when less runs.") from error
    rows = [json.loads(line)["probabilities"] for line in done.stdout.splitlines()]
    return np.array([[row[name] for name in classes] for row in rows], np.float32)


def proven_pack(model: Model, pictures: Sequence[tuple[str, bytes]], origin: Mapping[str, Any]) -> tuple[bytes, Proof]:
    """Make the zip, run its script on picture files in a fresh process, and compare.

    Parameters
    ----------
    model : Model
    pictures : sequence of (str, bytes)
        File ending (".jpg") and content of at least 32 pictures; fewer are used several times.
    origin : mapping
        Where the model comes from: project, run, scores; plain JSON values.

    Returns
    -------
    tuple of bytes and Proof
        The zip, with the proof in it.

    Raises
    ------
    ProofError
        The script fails, or an answer differs by more than `TOLERANCE`.
    """
    if not pictures:
        raise ProofError("There is no picture to prove the export on.", "Bring in pictures first.")
    wanted = list(pictures)
    while len(wanted) < LEAST_PROOF_PICTURES:
        wanted.append(pictures[len(wanted) % len(pictures)])
    contents = {
        "model.onnx": onnx_bytes(model),
        "model.json": json.dumps(_facts(model, origin), indent=1, ensure_ascii=False).encode(),
        "classes.json": json.dumps(list(model.classes), indent=1, ensure_ascii=False).encode(),
        "predict.py": _script().encode(),
    }
    ours = model.probabilities(np.stack([network_pixels(data, model.preprocessing) for _, data in wanted]))
    with tempfile.TemporaryDirectory() as place:
        folder = Path(place)
        with zipfile.ZipFile(io.BytesIO(_pack(contents))) as archive:
            archive.extractall(folder)
        paths = []
        for number, (ending, data) in enumerate(wanted):
            paths.append(folder / f"picture-{number:03d}{ending}")
            paths[-1].write_bytes(data)
        theirs = _answers(folder, paths, model.classes)
    if theirs.shape != ours.shape:
        raise ProofError(f"The export answered for {len(theirs)} of {len(ours)} pictures.", "Nothing is offered.")
    difference = float(np.abs(theirs - ours).max())
    if not difference <= TOLERANCE:
        raise ProofError(
            f"The export's answers differ by up to {difference:.2g} from the application's.",
            f"At most {TOLERANCE:g} is allowed, so nothing is offered for download.",
        )
    proof = Proof(
        pictures=len(wanted),
        max_abs_difference=difference,
        tolerance=TOLERANCE,
        runtime="ONNX runtime, fresh process",
    )
    contents["proof.json"] = json.dumps(asdict(proof), indent=1).encode()
    return _pack(contents), proof
