"""Writes a model as one HTML file that answers by itself: the built program, with the model's steps and numbers."""

import base64
import html
import io
import json
import shutil
from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass, replace
from importlib.resources import files
from pathlib import Path
from typing import Any

import numpy as np

from vast_orchard.core.arrays import Array, FloatArray
from vast_orchard.core.network import layers as d
from vast_orchard.core.network.eight_bit import folded_weights
from vast_orchard.core.network.layout import Stage, lay_out, picture_shape
from vast_orchard.core.network.plan import Shape, plan, window_of
from vast_orchard.core.ops.batch_norm import scale_and_shift
from vast_orchard.core.ops.shares import LEAST
from vast_orchard.core.pictures.preprocessing import Preprocessing, preprocessing_to_json
from vast_orchard.errors import ProofError
from vast_orchard.formats.model_file import Model, weights_digest
from vast_orchard.formats.picture_file import read_picture
from vast_orchard.formats.proof import ProofPicture

__all__ = ["ClassMark", "one_page_bytes", "page_command", "page_picture", "page_steps"]

_ROOT = Path(__file__).parents[3]
_PROGRAM = _ROOT / "web" / "dist" / "one-page"
_PARTS = ("engine.js", "page.js", "page.css")
_PNG = b"\x89PNG\r\n\x1a\n"
_NO_PADS = [0, 0, 0, 0]
_BENDS: dict[type[d.Layer], str] = {
    d.SiLU: "silu",
    d.Tanh: "tanh",
    d.Sigmoid: "sigmoid",
    d.HardSigmoid: "hard_sigmoid",
    d.HardSwish: "hard_swish",
}
_PAGE = """<!doctype html>
<html lang="en">
<head>
<meta charset="utf-8">
<meta name="viewport" content="width=device-width, initial-scale=1">
<meta http-equiv="Content-Security-Policy" content="default-src 'none'; script-src 'unsafe-inline' 'wasm-unsafe-eval'; style-src 'unsafe-inline'; img-src blob: data:; media-src blob:">
<title>{title}</title>
<style>{css}</style>
</head>
<body>
<div id="root"></div>
<script type="application/json" id="model">{model}</script>
<script type="text/plain" id="weights">{weights}</script>
<script id="engine">{engine}</script>
<script id="page">{page}</script>
</body>
</html>
"""  # noqa: E501, one attribute of a tag


class _Program:
    """Steps as they are added, and the numbers that they go by."""

    def __init__(self, model: Model) -> None:
        self.steps: list[dict[str, Any]] = []
        self.numbers: list[FloatArray] = []
        self._model, self._planned = model, plan(model.description)
        self._count = 0
        self._ids = {entry.place: entry.id for entry in self._planned.layers}
        self._shapes: dict[int, Shape] = {0: model.description.input_shape}
        self._shapes |= {entry.place: entry.shape for entry in self._planned.layers}

    def keep(self, values: Array) -> int:
        """Where the numbers begin."""
        start = self._count
        self.numbers.append(np.ascontiguousarray(values, np.float32).ravel())
        self._count += values.size
        return start

    def add(self, stage: Stage) -> None:
        """The step of a stage."""
        self.steps.append({
            "from": list(stage.inputs),
            "to": stage.output,
            "shape": list(picture_shape(self._shapes[stage.output])),
            **self._what(stage),
        })  # fmt: skip

    def _what(self, stage: Stage) -> dict[str, Any]:
        layer, shape = stage.layer, self._shapes[stage.inputs[0]]
        match layer:
            case d.Conv() | d.DepthwiseConv() | d.Dense():
                return self._weighted(stage, shape)
            case d.BatchNorm():
                norm = {k: self._model.weights[f"{self._ids[stage.place]}.{k}"] for k in
                        ("gamma", "beta", "mean", "variance")}  # fmt: skip
                times, plus = scale_and_shift(norm["gamma"], norm["beta"], norm["mean"], norm["variance"])
                return {"kind": "norm", "times": self.keep(times), "plus": self.keep(plus), "slope": stage.slope}
            case d.MaxPool() | d.AveragePool():
                window = window_of(layer)[0]
                return {
                    "kind": "pool", "side": window.size, "stride": window.stride, "pads": _pads(layer, shape),
                    "mean": isinstance(layer, d.AveragePool),
                }  # fmt: skip
            case d.GlobalAveragePool():
                # One window over all of it; maps need not be square.
                return {"kind": "pool", "side": max(shape[:2]), "stride": 1, "pads": _NO_PADS, "mean": True}
            case d.Pad():
                return {"kind": "pad", "pads": [layer.top, layer.bottom, layer.left, layer.right]}
            case d.Add():
                return {"kind": "add"}
            case d.Concat():
                return {"kind": "beside"}
            case d.Multiply():
                return {"kind": "multiply"}
            case d.Softmax():
                return {"kind": "softmax"}
            case d.Log():
                return {"kind": "log", "least": LEAST}
            case d.Flatten() | d.Dropout() | d.ChannelDropout():
                return {"kind": "pass"}
            case d.ReLU():
                return {"kind": "bend", "how": "leaky", "by": 0}
            case d.LeakyReLU():
                return {"kind": "bend", "how": "leaky", "by": layer.slope}
            case d.ClippedReLU():
                return {"kind": "bend", "how": "clipped", "by": layer.limit}
            case _:
                return {"kind": "bend", "how": _BENDS[type(layer)], "by": 0}

    def _weighted(self, stage: Stage, shape: Shape) -> dict[str, Any]:
        weights, bias = folded_weights(stage, self._ids, self._model.weights)
        common = {"weights": self.keep(weights), "bias": self.keep(bias), "slope": stage.slope}
        layer = stage.layer
        if isinstance(layer, d.Dense):
            # A dense layer is a convolution of one pixel.
            return {"kind": "conv", **common, "groups": 1, "side": 1, "stride": 1, "dilation": 1, "pads": _NO_PADS}
        assert isinstance(layer, d.Conv | d.DepthwiseConv)
        window = {
            "side": layer.kernel, "stride": layer.stride, "dilation": layer.dilation, "pads": _pads(layer, shape)
        }  # fmt: skip
        if isinstance(layer, d.DepthwiseConv):
            return {"kind": "depthwise", **common, **window}
        return {"kind": "conv", **common, "groups": layer.groups, **window}


def _pads(layer: d.Layer, shape: Shape) -> list[int]:
    """Zeros above, below, left and right."""
    (top, bottom), (left, right) = (axis.pads(n) for axis, n in zip(window_of(layer), shape[:2], strict=True))
    return [top, bottom, left, right]


def page_steps(model: Model) -> tuple[list[dict[str, Any]], FloatArray]:
    """What the page's engine computes one after another, and all numbers that it goes by.

    Returns
    -------
    tuple of list and ndarray
        Plain JSON values; numbers of shape (count,), float32.
    """
    program = _Program(model)
    for stage in lay_out(model.description).stages:
        program.add(stage)
    return program.steps, np.concatenate(program.numbers) if program.numbers else np.zeros(0, np.float32)


@dataclass(frozen=True, kw_only=True)
class ClassMark:
    """How a class is shown."""

    sign: str
    colour: int  # place among the ten


def page_picture(picture: ProofPicture, preprocessing: Preprocessing) -> ProofPicture:
    """A picture file as a page reads it by itself: PNG. Of another kind, which a browser decodes, what it shows."""
    data = picture.data
    # Of the header its depth and whether it is interlaced: the page's decoder does not know few bits interlaced.
    if data.startswith(_PNG) and not (data[24:25] < b"\x08" and data[28:29] == b"\x01"):
        return picture
    buffer = io.BytesIO()
    read_picture(data, preprocessing.ground).upright.save(buffer, "PNG", compress_level=1)
    return replace(picture, ending=".png", data=buffer.getvalue())


def page_command(page: Path) -> list[str]:
    """What runs the engine in a page without a browser; its program is written beside the page.

    Raises
    ------
    ProofError
        There is nothing to run it with.
    """
    own = _ROOT / ".stamps" / "node-bin" / "node"
    node = str(own) if own.exists() else shutil.which("node")
    if node is None:
        raise ProofError("There is no Node to prove the page with.", "Run ./start --prepare, then make it again.")
    program = page.with_name("page_answers.js")
    program.write_text(files("vast_orchard.formats").joinpath("page_answers.txt").read_text("utf-8"), "utf-8")
    return [node, str(program), str(page)]


def _script(text: str) -> str:
    """As it may stand in a page: a text that would end the script is written another way."""
    return text.replace("</script", "<\\/script")


def _facts(model: Model, origin: Mapping[str, Any], marks: Sequence[ClassMark] | None) -> dict[str, Any]:
    shown = marks or [ClassMark(sign=name[:2], colour=place % 10) for place, name in enumerate(model.classes)]
    judged = origin.get("validation")
    return {
        "name": origin.get("name") or "Model",
        "about": f"{judged['accuracy']:.3f} right on {judged['count']:,} validation pictures." if judged else "",
        "classes": list(model.classes),
        "signs": [mark.sign for mark in shown],
        "colours": [mark.colour for mark in shown],
        "preprocessing": preprocessing_to_json(model.preprocessing),
        "channel_statistics": asdict(model.statistics),
        "temperature": model.temperature,
        "unsure_below": None if model.unsure_below is None else list(model.unsure_below),
        "digest": weights_digest(model.weights),
    }


def one_page_bytes(model: Model, origin: Mapping[str, Any], marks: Sequence[ClassMark] | None = None) -> bytes:
    """The model as an HTML file that needs nothing else.

    Parameters
    ----------
    origin : mapping
        Where the model comes from: its name, and scores on validation.
    marks : sequence of ClassMark, optional
        By class.

    Raises
    ------
    ProofError
        The page's program was not built.
    """
    try:
        engine, page, css = ((_PROGRAM / name).read_text("utf-8") for name in _PARTS)
    except OSError as error:
        raise ProofError("The page's program is not built.", "Run ./start --prepare, then make it again.") from error
    steps, numbers = page_steps(model)
    facts = _facts(model, origin, marks)
    about = json.dumps({**facts, "steps": steps}, ensure_ascii=False)
    return _PAGE.format(
        title=html.escape(facts["name"]),
        css=css,
        # JSON in a page: a text in it may not end the script.
        model=about.replace("<", "\\u003c"),
        weights=base64.b64encode(numbers.astype("<f4").tobytes()).decode(),
        engine=_script(engine),
        page=_script(page),
    ).encode()
