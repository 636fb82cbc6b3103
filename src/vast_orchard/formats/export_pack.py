"""What leaves: the forms in which a model is handed over, each with the proof that it answers as the model does."""

import io
import json
import sys
import tempfile
import zipfile
from collections.abc import Mapping, Sequence
from dataclasses import asdict
from importlib.resources import files
from pathlib import Path
from typing import Any

import numpy as np

from vast_orchard.core.arrays import Array, FloatArray
from vast_orchard.core.network.description import description_to_json
from vast_orchard.core.network.eight_bit import value_ranges
from vast_orchard.core.network.plan import plan
from vast_orchard.core.pictures.area import area_words
from vast_orchard.core.pictures.preprocessing import Preprocessing, preprocessing_to_json
from vast_orchard.core.team import Team
from vast_orchard.errors import ProofError
from vast_orchard.formats.model_file import Model, write_model
from vast_orchard.formats.one_page import ClassMark, one_page_bytes, page_command, page_picture
from vast_orchard.formats.onnx_model import onnx_bytes
from vast_orchard.formats.picture_file import network_pixels
from vast_orchard.formats.proof import (
    LEAST_PROOF_PICTURES,
    TOLERANCE,
    Proof,
    ProofPicture,
    compared,
    program_answers,
)
from vast_orchard.formats.small_graph import small_graph_bytes
from vast_orchard.types import ExportForm

__all__ = ["FORM_ENDINGS", "proven_form", "proven_pack"]

# What stands behind this line in the modules that bring pictures to the network's pixels.
_CUT = "# From here on the text goes into the script of an export.\n"
_CHECKED = 8  # pictures that go along with their answers
_RUNTIME = "ONNX runtime, fresh process"
_RUNTIMES = {
    ExportForm.WEIGHTS: "orchard predict, fresh process",
    ExportForm.PAGE: "the page's engine without a browser, fresh process",
}

FORM_ENDINGS = {
    ExportForm.PACK: ".zip",
    ExportForm.GRAPH: ".onnx",
    ExportForm.SMALL: ".onnx",
    ExportForm.PAGE: ".html",
    ExportForm.WEIGHTS: ".zip",
}


def _text(name: str) -> str:
    return files("vast_orchard.formats").joinpath(name).read_text("utf-8")


def _script() -> str:
    area, steps = (
        files(package).joinpath(name).read_text("utf-8").split(_CUT, 1)[1].strip()
        for package, name in (("vast_orchard.core.pictures", "_area_steps.py"), ("vast_orchard.formats", "_steps.py"))
    )
    imports = "import numpy as np\nfrom PIL import Image, ImageOps"
    return _text("predict_script.txt").format(imports=imports, steps=f"{area}\n\n\n{steps}")


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


def _zipped(contents: Mapping[str, bytes]) -> bytes:
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, data in contents.items():
            # A fixed date keeps the same model's pack the same, byte for byte.
            archive.writestr(zipfile.ZipInfo(name, (2020, 1, 1, 0, 0, 0)), data, zipfile.ZIP_DEFLATED)
    return buffer.getvalue()


_FITS = {
    "distort": "Stretched to the square",
    "border": "Brought to the square with a border of colour {border} beside it",
    "middle": "Cut to the largest square in its middle",
}
_SCALES = {
    "deviation": "less the mean and divided by the deviation of the training pictures' channels",
    "unit": "scaled to 0 to 1",
    "signed": "scaled to −1 to 1",
}
_VIEWS = {
    "mirrored": "The picture and its mirror image are answered, and the probabilities averaged.",
    "turned": "The picture is answered in four quarter turns, and the probabilities averaged.",
}


def _steps_before(before: Preprocessing) -> list[str]:
    """What is done to a picture outside the network file, in its order."""
    fit = _FITS[before.fit].format(border=before.border)
    return [
        "The file is decoded; of several frames the first. It is turned as its EXIF tag says, 16 bits are scaled to 8, "
        f"and transparent parts are laid on the colour {before.ground}.",
        f"What counts of it: {area_words(before.area)}.",
        *(["It is made grey."] if before.channels == 1 else []),
        f"{fit}, and resized to {before.size} × {before.size} pixels by Pillow's antialiased bilinear filter.",
        *([_VIEWS[before.views]] if before.views in _VIEWS else []),
    ]


def _readme(model: Model, origin: Mapping[str, Any], checked: int) -> str:
    before = model.preprocessing
    height, width, channels = model.description.input_shape
    outside = _steps_before(before)
    inside = [
        f"Inside `model.onnx`: values are {_SCALES[before.scale]}.",
        "The network gives a number for each class"
        + (f", divided by the temperature {model.temperature:.3g}" if model.temperature != 1 else "")
        + ", and softmax makes probabilities of them.",
    ]
    unsure = "The model never says that it is unsure."
    if model.unsure_below is not None:
        below = ", ".join(
            f"{name} below {limit:.2f}" if limit is not None else f"{name} always"
            for name, limit in zip(model.classes, model.unsure_below, strict=True)
        )
        unsure = f'The answer is the likeliest class, or "unsure": {below}.'
    return _text("pack_readme.txt").format(
        name=origin.get("name") or "Model",
        count=len(model.classes),
        classes=", ".join(model.classes),
        height=height,
        width=width,
        channels=channels,
        grey="" if channels == 3 else " (here grey alone)",
        checked=checked,
        steps="\n".join(f"{number}. {words}" for number, words in enumerate([*outside, *inside], 1)),
        before=len(outside),
        unsure=unsure,
    )


def _check(model: Model, pictures: Sequence[ProofPicture], answers: FloatArray) -> dict[str, bytes]:
    """A few pictures with the answers that are expected of them."""
    chosen = range(min(_CHECKED, len(pictures)))
    names = [f"{number + 1}{pictures[number].ending}" for number in chosen]
    expected = [
        {"picture": name, "probabilities": dict(zip(model.classes, map(float, answers[number]), strict=True))}
        for number, name in zip(chosen, names, strict=True)
    ]
    return {
        **{f"check/{name}": pictures[number].data for number, name in zip(chosen, names, strict=True)},
        "check/expected.json": json.dumps(expected, indent=1, ensure_ascii=False).encode(),
    }


def _contents(
    form: ExportForm,
    model: Model,
    pictures: Sequence[ProofPicture],
    answers: FloatArray,
    origin: Mapping[str, Any],
    ranging: Array | None,
    marks: Sequence[ClassMark] | None,
    team: Team | None,
) -> dict[str, bytes]:
    """The files of a form; of a graph that goes alone its one file."""
    facts = _facts(model, origin)
    about = json.dumps(facts, ensure_ascii=False)
    match form:
        case ExportForm.GRAPH:
            return {"model.onnx": onnx_bytes(model, about)}
        case ExportForm.SMALL:
            if ranging is None or not len(ranging):
                raise ProofError("No training picture is left to find the values' ranges by.", "Train again.")
            ranges = value_ranges(model.network(), ranging, model.statistics, team)
            return {"model.onnx": small_graph_bytes(model, ranges, about)}
        case ExportForm.PAGE:
            return {"model.html": one_page_bytes(model, origin, marks)}
        case ExportForm.WEIGHTS:
            return {
                "model.safetensors": write_model(model),
                "network.json": json.dumps(
                    description_to_json(model.description), indent=1, ensure_ascii=False
                ).encode(),
                "model.json": json.dumps(facts, indent=1, ensure_ascii=False).encode(),
            }
        case ExportForm.PACK:
            return {
                "README.md": _readme(model, origin, min(_CHECKED, len(pictures))).encode(),
                "model.onnx": onnx_bytes(model),
                "model.json": json.dumps(facts, indent=1, ensure_ascii=False).encode(),
                "classes.json": json.dumps(list(model.classes), indent=1, ensure_ascii=False).encode(),
                "classes.txt": "".join(f"{name}\n" for name in model.classes).encode(),
                "predict.py": _script().encode(),
                **_check(model, pictures, answers),
            }


def _command(form: ExportForm, folder: Path) -> list[str]:
    """The form's own program."""
    if form is ExportForm.WEIGHTS:
        return [sys.executable, "-I", "-m", "vast_orchard.cli", "predict", str(folder / "model.safetensors")]
    if form is ExportForm.PAGE:
        return page_command(folder / "model.html")
    # A graph alone brings no program: it is run by the one of the pack, which takes its description from the file.
    program = folder / "predict.py"
    if not program.exists():
        program.write_text(_script(), encoding="utf-8")
    return [sys.executable, "-I", str(program), "--model", str(folder / "model.onnx")]


def proven_form(
    form: ExportForm,
    model: Model,
    pictures: Sequence[ProofPicture],
    origin: Mapping[str, Any],
    *,
    ranging: Array | None = None,
    marks: Sequence[ClassMark] | None = None,
    team: Team | None = None,
) -> tuple[bytes, Proof]:
    """Make a form, run its program on picture files in a fresh process, and compare.

    Parameters
    ----------
    form : ExportForm
    model : Model
    pictures : sequence of ProofPicture
        At least 32; fewer are used several times. Of a small graph all of them tell how many answers are others.
    origin : mapping
        Where the model comes from: project, run, scores; plain JSON values.
    ranging : ndarray, shape (N, H, W, C), uint8, optional
        Training pictures as the network sees them, unvaried: by them a small graph's ranges are found.
    marks : sequence of ClassMark, optional
        How a page shows the classes.

    Returns
    -------
    tuple of bytes and Proof
        The file; in a zip the proof lies too.

    Raises
    ------
    ProofError
        The program fails, or an answer differs by more than is allowed.
    """
    if not pictures:
        raise ProofError("There is no picture to prove the export on.", "Bring in pictures first.")
    wanted = list(pictures)
    while len(wanted) < LEAST_PROOF_PICTURES:
        wanted.append(pictures[len(wanted) % len(pictures)])
    ours = model.probabilities(
        np.stack([network_pixels(picture.data, model.preprocessing) for picture in wanted]), team
    )
    contents = _contents(form, model, pictures, ours, origin, ranging, marks, team)
    if form is ExportForm.PAGE:
        wanted = [page_picture(picture, model.preprocessing) for picture in wanted]
    with tempfile.TemporaryDirectory() as place:
        folder = Path(place)
        with zipfile.ZipFile(io.BytesIO(_zipped(contents))) as archive:
            archive.extractall(folder)
        theirs, seconds = program_answers(_command(form, folder), folder, wanted, model.classes)
    small = form is ExportForm.SMALL
    proof = compared(
        form.value, ours, theirs, seconds, [picture.label for picture in wanted],
        runtime=_RUNTIMES.get(form, _RUNTIME),
        tolerance=None if small else TOLERANCE,
    )  # fmt: skip
    if FORM_ENDINGS[form] != ".zip":
        return contents[f"model{FORM_ENDINGS[form]}"], proof
    return _zipped({**contents, "proof.json": json.dumps(asdict(proof), indent=1).encode()}), proof


def proven_pack(model: Model, pictures: Sequence[tuple[str, bytes]], origin: Mapping[str, Any]) -> tuple[bytes, Proof]:
    """The pack alone, of picture files by their endings and contents; raises as `proven_form`."""
    named = [ProofPicture(ending=ending, data=data) for ending, data in pictures]
    return proven_form(ExportForm.PACK, model, named, origin)
