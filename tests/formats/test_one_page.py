"""The page that is handed over: its engine, without a browser, beside the application, to the byte and to the digit."""

import io
import json
import re
import subprocess
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from PIL import Image, ImageDraw

from tests.formats.test_forms import _model, _pictures
from tests.pictures import encoded
from tests.tolerances import EXPORT
from vast_orchard.core.arrays import Array
from vast_orchard.core.network import layers as d
from vast_orchard.core.network.description import NetworkDescription, resolved
from vast_orchard.core.network.network import Network
from vast_orchard.core.network.ready import READY_NETWORKS
from vast_orchard.core.pictures.area import Area
from vast_orchard.core.pictures.preprocessing import Preprocessing, preprocessing_to_json
from vast_orchard.errors import ProofError
from vast_orchard.formats import one_page
from vast_orchard.formats.export_pack import proven_form
from vast_orchard.formats.model_file import Model
from vast_orchard.formats.one_page import ClassMark, one_page_bytes, page_command, page_picture
from vast_orchard.formats.picture_file import network_pixels
from vast_orchard.formats.proof import ProofPicture
from vast_orchard.types import ExportForm

# Answers, for each of the jobs, what the network would see of the picture, or what is wrong with the file.
_SEES = """
const { readFileSync } = require("node:fs");
const { runInThisContext } = require("node:vm");
const page = readFileSync(process.argv[2], "utf8");
const part = (id) => page.match(new RegExp(`<script[^>]* id="${id}">([^]*?)</script>`))[1];
const { Engine } = runInThisContext(`${part("engine")}; engine`);
const model = JSON.parse(part("model"));
for (const { preprocessing, file } of JSON.parse(readFileSync(process.argv[3], "utf8"))) {
  const engine = new Engine({ ...model, steps: [], preprocessing }, new Float32Array());
  try {
    const { data, width, height, channels } = engine.seen(engine.read(readFileSync(file)));
    console.log(JSON.stringify({ shape: [height, width, channels], data: Buffer.from(data).toString("hex") }));
  } catch (error) {
    console.log(JSON.stringify({ wrong: String(error) }));
  }
}
"""


@pytest.fixture(scope="module")
def page(tmp_path_factory: pytest.TempPathFactory) -> Path:
    path = tmp_path_factory.mktemp("page") / "model.html"
    path.write_bytes(one_page_bytes(_model(), {"name": "snow"}))
    return path


def _seen(page: Path, jobs: list[tuple[bytes, Preprocessing]]) -> list[dict[str, Any]]:
    """What the page's engine makes of picture files."""
    asked = []
    for number, (data, before) in enumerate(jobs):
        file = page.with_name(f"{number}.png")
        file.write_bytes(data)
        asked.append({"file": str(file), "preprocessing": preprocessing_to_json(before)})
    node, *_ = page_command(page)
    page.with_name("sees.js").write_text(_SEES)
    page.with_name("jobs.json").write_text(json.dumps(asked))
    command = [node, str(page.with_name("sees.js")), str(page), str(page.with_name("jobs.json"))]
    done = subprocess.run(command, capture_output=True, text=True, check=True, timeout=120)
    return [json.loads(line) for line in done.stdout.splitlines()]


def _check_same(page: Path, jobs: list[tuple[bytes, Preprocessing]]) -> None:
    answers = _seen(page, jobs)
    assert len(answers) == len(jobs)
    for number, (answer, (data, before)) in enumerate(zip(answers, jobs, strict=True)):
        expected = network_pixels(data, before)
        assert answer.get("shape") == list(expected.shape), (number, before, answer)
        found = np.frombuffer(bytes.fromhex(answer["data"]), np.uint8).reshape(expected.shape)
        assert np.array_equal(found, expected), (number, before)


def _scene(seed: int, width: int, height: int) -> Image.Image:
    """A noisy ground with something on it."""
    random = np.random.default_rng(seed)
    pixels = random.normal(random.uniform(40, 200, 3), 6, (height, width, 3))
    image = Image.fromarray(np.clip(pixels, 0, 255).astype(np.uint8))
    x, y = random.uniform(0, width * 0.7), random.uniform(0, height * 0.7)
    colour = tuple(int(value) for value in random.integers(0, 256, 3))
    ImageDraw.Draw(image).ellipse((x, y, x + width * 0.3, y + height * 0.25), fill=colour)
    return image


_FITS = st.sampled_from(["distort", "border", "middle"])
_SHAPES = st.tuples(st.integers(1, 300), st.integers(1, 300))
_COLOURS = st.tuples(*[st.integers(0, 255)] * 3)


@st.composite
def _areas(draw: st.DrawFn) -> Area | None:
    kind = draw(st.sampled_from(["none", "keep", "margin", "covered"]))
    if kind == "none":
        return None
    covered: list[tuple[tuple[float, float], ...]] = []
    if draw(st.booleans()):
        covered = [((0.1, 0.15), (0.6, 0.2), (0.35, 0.7))]
    if kind == "covered":
        covered = [((0.0, 0.0), (0.5, 0.0), (0.5, 0.5), (0.0, 0.5)), ((0.3, 0.2), (0.9, 0.9), (0.2, 0.8))]
    return Area(
        keep=draw(st.sampled_from([(0.1, 0.2, 0.77, 0.9), (0.0, 0.31, 1.0, 1.0)])) if kind == "keep" else None,
        margin=draw(st.sampled_from([0.0, 0.08, 0.5])) if kind == "margin" else None,
        covered=tuple(covered),
        fill=draw(st.none() | _COLOURS),
    )


@st.composite
def _jobs(draw: st.DrawFn) -> tuple[bytes, Preprocessing]:
    width, height = draw(_SHAPES)
    before = Preprocessing(
        size=draw(st.integers(8, 120)), fit=draw(_FITS), colour=draw(st.sampled_from(["rgb", "grey"])),
        border=draw(_COLOURS), area=draw(_areas()),
    )  # fmt: skip
    return encoded(_scene(draw(st.integers(0, 10**6)), width, height)), before


@given(st.lists(_jobs(), min_size=12, max_size=12))
@settings(max_examples=8)
def test_the_page_sees_what_the_application_sees(page: Path, jobs: list[tuple[bytes, Preprocessing]]) -> None:
    _check_same(page, jobs)


def _kinds() -> dict[str, bytes]:
    """A PNG file of every kind."""
    random = np.random.default_rng(4)
    scene = _scene(8, 61, 43)
    alpha = Image.fromarray(random.integers(0, 256, (43, 61), np.uint8))
    with_alpha = scene.copy()
    with_alpha.putalpha(alpha)
    grey = scene.convert("L")
    palette = scene.quantize(17)
    deep = Image.fromarray(random.integers(0, 65536, (43, 61), np.uint16))
    return {
        "rgb": encoded(scene),
        "rgba": encoded(with_alpha),
        "grey": encoded(grey),
        "grey and alpha": encoded(Image.merge("LA", (grey, alpha))),
        "palette": encoded(palette),
        "palette of 4 bits": encoded(scene.quantize(16), bits=4),
        "palette of 2 bits": encoded(scene.quantize(4), bits=2),
        "palette of 1 bit": encoded(scene.quantize(2), bits=1),
        "palette with alpha": encoded(palette, transparency=bytes(range(0, 255, 15))),
        "one bit": encoded(scene.convert("1")),
        "16 bits": encoded(deep),
        "rgb with one clear colour": encoded(scene, transparency=scene.getpixel((3, 3))),
        "grey with one clear value": encoded(grey, transparency=grey.getpixel((3, 3))),
        "one pixel": encoded(scene.crop((0, 0, 1, 1))),
    }


def test_every_kind_of_png_is_read_to_the_byte(page: Path) -> None:
    before = Preprocessing(size=40, ground=(10, 200, 90))
    _check_same(page, [(data, before) for data in _kinds().values()])


def test_pictures_are_turned_as_their_exif_says(page: Path) -> None:
    jobs = []
    for orientation in range(1, 9):
        exif = Image.Exif()
        exif[0x0112] = orientation
        jobs.append((encoded(_scene(5, 50, 31), exif=exif), Preprocessing(size=20, fit="border")))
    _check_same(page, jobs)


def test_broken_pngs_are_told_and_none_is_half_read(page: Path) -> None:
    whole = encoded(_scene(3, 64, 64))
    turned = bytearray(whole)
    turned[len(whole) // 2] ^= 0xFF
    broken = [whole[: len(whole) // 2], bytes(turned), whole[:20], b"", b"GIF89a", whole[:-12]]
    answers = _seen(page, [(data, Preprocessing(size=20)) for data in broken])
    assert [sorted(answer) for answer in answers[:-1]] == [["wrong"]] * 5


@pytest.mark.parametrize("name", READY_NETWORKS)
def test_every_ready_network_answers_as_here(name: str) -> None:
    data, proof = proven_form(ExportForm.PAGE, _model(name), _pictures(32), {"name": "snow"})
    assert proof.max_abs_difference <= EXPORT
    assert proof.pictures == 32
    assert data.startswith(b"<!doctype html>")


def _odd_network() -> NetworkDescription:
    """Every kind of layer, with channels that no vector divides."""
    return NetworkDescription(
        name="odd",
        input_shape=(25, 25, 3),
        layers=(
            d.Conv(channels=6, kernel=5, stride=2, bias=False),
            d.BatchNorm(),
            d.ReLU(),
            d.Conv(channels=9, kernel=3, dilation=2, groups=3),
            d.LeakyReLU(slope=0.2),
            d.Pad(top=2, bottom=0, left=1, right=3),
            d.DepthwiseConv(kernel=3, stride=2),
            d.SiLU(id="b"),
            d.Conv(channels=9, kernel=1),
            d.HardSwish(id="c"),
            d.Add(id="s", inputs=("b", "c")),
            d.Concat(inputs=("s", "c")),
            d.BatchNorm(),
            d.Tanh(id="t"),
            d.GlobalAveragePool(keep_sides=True),
            d.Conv(channels=18, kernel=1),
            d.HardSigmoid(id="g"),
            d.Multiply(inputs=("t", "g")),
            d.MaxPool(kernel=3, stride=2, edge="keep"),
            d.AveragePool(kernel=2, stride=1, edge="keep"),
            d.ClippedReLU(limit=1.5),
            d.ChannelDropout(),
            d.Flatten(),
            d.Dense(outputs=21),
            d.Sigmoid(),
            d.Dropout(),
            d.Softmax(),
            d.Log(),
            d.Dense(),
        ),
    )


def test_every_kind_of_layer_answers_as_here() -> None:
    random = np.random.default_rng(12)
    description = resolved(_odd_network(), (25, 25, 3), 3)
    weights: dict[str, Array] = {
        name: np.abs(value) + 0.3 if name.endswith("variance") else value + random.normal(0, 0.3, value.shape)
        for name, value in Network(description, 5).state().items()
    }
    model = Model(
        description=description,
        weights={name: value.astype(np.float32) for name, value in weights.items()},
        classes=("a", "</script><b>", "c"),
        preprocessing=Preprocessing(size=25, views="turned"),
        statistics=_model().statistics,
        temperature=1.7,
    )
    _, proof = proven_form(ExportForm.PAGE, model, _pictures(32), {"name": "</title>"})
    assert proof.max_abs_difference <= EXPORT


def test_other_kinds_of_files_are_shown_to_the_engine_as_png() -> None:
    scene = _scene(2, 40, 30)
    exif = Image.Exif()
    exif[0x0112] = 6
    shown = page_picture(ProofPicture(ending=".jpg", data=encoded(scene, "JPEG", exif=exif), label=2), Preprocessing())
    assert (shown.ending, shown.label) == (".png", 2)
    assert Image.open(io.BytesIO(shown.data)).size == (30, 40)
    own = ProofPicture(ending=".png", data=encoded(scene))
    assert page_picture(own, Preprocessing()) is own


def test_the_page_says_whose_it_is_and_how_its_classes_look() -> None:
    model = replace(_model(), unsure_below=(0.4, None, 0.5))
    marks = [ClassMark(sign=sign, colour=place) for sign, place in (("nl", 3), ("pl", 0), ("雪", 9))]
    origin = {"name": "Snow & ice", "validation": {"accuracy": 0.9512, "count": 1200}}
    text = one_page_bytes(model, origin, marks).decode()
    found = json.loads(re.search(r'id="model">(.*?)</script>', text, re.S)[1])  # type: ignore[index]
    assert "<title>Snow &amp; ice</title>" in text
    assert (found["signs"], found["colours"]) == (["nl", "pl", "雪"], [3, 0, 9])
    assert found["about"] == "0.951 right on 1,200 validation pictures."
    assert found["unsure_below"] == [0.4, None, 0.5]
    assert found["classes"] == list(model.classes)
    # Nothing is asked of anybody: the page may load nothing.
    assert "default-src 'none'" in text


def test_a_page_that_was_not_built_or_cannot_be_proven_is_told(
    monkeypatch: pytest.MonkeyPatch, tmp_path: Path, page: Path
) -> None:
    with monkeypatch.context() as patched:
        patched.setattr(one_page, "_PROGRAM", tmp_path)
        with pytest.raises(ProofError, match="not built"):
            one_page_bytes(_model(), {})
    monkeypatch.setattr(one_page, "_ROOT", tmp_path)
    monkeypatch.setenv("PATH", str(tmp_path))
    with pytest.raises(ProofError, match="no Node"):
        page_command(page)
