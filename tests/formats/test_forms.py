"""The forms of a model: each proven by its own program; the small graph by what an independent runtime makes of it."""

import csv
import io
import json
import re
import subprocess
import sys
import zipfile
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
import onnx
import onnxruntime
import pytest
from onnx import numpy_helper

from tests.pictures import png
from tests.tolerances import EXPORT
from vast_orchard.core.arrays import Array
from vast_orchard.core.network.description import resolved
from vast_orchard.core.network.eight_bit import LARGEST_WEIGHT, value_ranges
from vast_orchard.core.network.network import Network
from vast_orchard.core.network.ready import READY_NETWORKS, ready_network
from vast_orchard.core.pictures.area import Area
from vast_orchard.core.pictures.preprocessing import Preprocessing
from vast_orchard.core.pictures.standardise import ChannelStatistics
from vast_orchard.errors import ProofError
from vast_orchard.formats import export_pack
from vast_orchard.formats.export_pack import proven_form
from vast_orchard.formats.model_file import Model, read_model, write_model
from vast_orchard.formats.onnx_model import onnx_bytes
from vast_orchard.formats.picture_file import network_pixels
from vast_orchard.formats.proof import ProofPicture
from vast_orchard.formats.small_graph import small_graph_bytes
from vast_orchard.types import ExportForm

_SIDE = 24


def _model(name: str = "plain 4", **more: Any) -> Model:
    before = Preprocessing(size=_SIDE, area=Area(keep=(0.0, 0.0, 1.0, 0.75)))
    description = resolved(ready_network(name), before.input_shape, 3)
    return Model(
        description=description,
        weights=Network(description, 3).state(),
        classes=("needle", "plate", "雪 {odd}"),
        preprocessing=before,
        statistics=ChannelStatistics(mean=(120.0, 110.0, 100.0), deviation=(60.0, 50.0, 40.0)),
        **more,
    )


def _pictures(count: int = 34) -> list[ProofPicture]:
    return [
        ProofPicture(ending=".png", data=png(n, (30 + n, 40)), label=n % 3 if n % 4 else None) for n in range(count)
    ]


def _ranging(model: Model, count: int = 40) -> Array:
    return np.stack([network_pixels(png(1000 + n, (30, 30)), model.preprocessing) for n in range(count)])


def _run(graph: bytes, pixels: Array) -> Array:
    session = onnxruntime.InferenceSession(graph, providers=["CPUExecutionProvider"])
    (found,) = session.run(["probabilities"], {"pixels": pixels})
    return np.asarray(found)


@pytest.mark.parametrize("form", list(ExportForm))
def test_every_form_is_proven_by_its_own_program(form: ExportForm) -> None:
    model = _model(temperature=2.0, unsure_below=(0.4, None, 0.0))
    data, proof = proven_form(form, model, _pictures(), {"name": "Ridge"}, ranging=_ranging(model))
    assert (proof.form, proof.pictures, proof.labelled) == (form, 34, 25)
    assert proof.pictures_per_s > 0
    if form is ExportForm.SMALL:
        assert proof.tolerance is None
    else:
        assert proof.max_abs_difference <= EXPORT
        assert proof.changed == 0
        assert proof.accuracy == proof.model_accuracy
    # Nothing that a receiver needs stays behind: classes, steps, threshold, temperature.
    if form in (ExportForm.GRAPH, ExportForm.SMALL):
        told = {entry.key: entry.value for entry in onnx.load_from_string(data).metadata_props}
        facts = json.loads(told["model"])
    elif form is ExportForm.PAGE:
        (found,) = re.findall(r'id="model">(.*?)</script>', data.decode(), re.S)
        facts = json.loads(found)
    else:
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            facts = json.loads(archive.read("model.json"))
            assert json.loads(archive.read("proof.json"))["pictures"] == 34
            if form is ExportForm.WEIGHTS:
                assert read_model(archive.read("model.safetensors")).unsure_below == (0.4, None, 0.0)
                assert json.loads(archive.read("network.json"))["layers"]
    assert facts["classes"] == list(model.classes)
    assert facts["preprocessing"]["area"]["keep"] == [0.0, 0.0, 1.0, 0.75]
    assert (facts["temperature"], facts["unsure_below"]) == (2.0, [0.4, None, 0.0])


def test_weights_carry_temperature_and_threshold_only_where_they_are_set() -> None:
    plain = _model()
    assert read_model(write_model(plain)).temperature == 1
    assert b"temperature" not in write_model(plain)
    set_ = replace(plain, temperature=0.5, unsure_below=(0.1, 0.2, None))
    again = read_model(write_model(set_))
    assert (again.temperature, again.unsure_below) == (0.5, (0.1, 0.2, None))


@pytest.mark.parametrize("name", READY_NETWORKS)
def test_a_small_graph_computes_what_the_network_does_in_whole_numbers(name: str) -> None:
    model = _model(name)
    ranging = _ranging(model)
    small = small_graph_bytes(model, value_ranges(model.network(), ranging, model.statistics))
    fresh = np.stack([network_pixels(png(5000 + n, (30, 30)), model.preprocessing) for n in range(40)])
    away = np.abs(_run(small, fresh) - model.probabilities(fresh))
    # A 255th of each value's range is lost at every layer; another number in a wrong place costs far more.
    assert away.mean() < 0.02
    assert away.max() < 0.12
    graph = onnx.load_from_string(small).graph
    whole = {entry.name: numpy_helper.to_array(entry) for entry in graph.initializer}
    weights = [value for key, value in whole.items() if key.endswith(".weights") and value.dtype == np.int8]
    kinds = [node.op_type for node in graph.node]
    assert len(weights) == kinds.count("Conv") + kinds.count("Gemm") - 1
    assert all(np.abs(value.astype(int)).max() <= LARGEST_WEIGHT for value in weights)
    # The last layer stays as it is, and every bias that goes with 8 bits has 32.
    assert [value.dtype for key, value in whole.items() if key.endswith(".bias")].count(np.dtype(np.int32)) == len(
        weights
    )
    assert {"QuantizeLinear", "DequantizeLinear"} <= set(kinds)
    assert not {kind for kind in kinds if kind.startswith("QLinear")}
    assert len(small) <= 0.3 * len(onnx_bytes(model)) or name == "plain 4"  # which is small as it is


def test_a_small_graph_without_training_pictures_is_refused() -> None:
    with pytest.raises(ProofError, match="No training picture"):
        proven_form(ExportForm.SMALL, _model(), _pictures(), {})


def test_a_graph_that_answers_otherwise_is_not_offered(monkeypatch: pytest.MonkeyPatch) -> None:
    shifted = replace(_model(), statistics=ChannelStatistics(mean=(0.0,) * 3, deviation=(1.0,) * 3))
    monkeypatch.setattr(export_pack, "onnx_bytes", lambda _, about: onnx_bytes(shifted, about))
    with pytest.raises(ProofError, match=r"differ by up to .*nothing is offered"):
        proven_form(ExportForm.GRAPH, _model(), _pictures(), {})


def test_a_receiver_checks_whether_its_machine_answers_the_same(tmp_path: Path) -> None:
    data, _ = proven_form(ExportForm.PACK, _model(unsure_below=(0.4, None, 0.0)), _pictures(), {"name": "Ridge {1}"})
    with zipfile.ZipFile(io.BytesIO(data)) as archive:
        archive.extractall(tmp_path)
    assert (tmp_path / "classes.txt").read_text().splitlines() == ["needle", "plate", "雪 {odd}"]
    readme = (tmp_path / "README.md").read_text()
    for words in (
        "# Ridge {1}", "雪 {odd}", "What counts of it: 0% to 100% sideways, 0% to 75% down", "24 × 24 pixels",
        "needle below 0.40, plate always, 雪 {odd} below 0.00", "Steps 1 to 3 are yours",
    ):  # fmt: skip
        assert words in readme, words
    command = [sys.executable, "-I", str(tmp_path / "predict.py"), "--check"]
    done = subprocess.run(command, capture_output=True, text=True, check=True)
    assert "This machine answers the same" in done.stdout
    assert "on 8 pictures" in done.stdout
    expected = json.loads((tmp_path / "check" / "expected.json").read_text())
    first = expected[0]["probabilities"]
    first["needle"], first["plate"] = first["plate"] + 0.01, first["needle"]
    (tmp_path / "check" / "expected.json").write_text(json.dumps(expected))
    done = subprocess.run(command, capture_output=True, text=True, check=False)
    assert done.returncode == 1
    assert "ANSWERS OTHERWISE" in done.stdout
    nothing = subprocess.run(command[:-1], capture_output=True, text=True, check=False)
    assert nothing.returncode == 2
    assert "name picture files" in nothing.stderr


def _orchard(*words: str | Path) -> "subprocess.CompletedProcess[str]":
    return subprocess.run(
        [sys.executable, "-m", "vast_orchard.cli", *map(str, words)], capture_output=True, text=True, check=False
    )


def test_a_terminal_predicts_and_exports(tmp_path: Path) -> None:
    model = _model("plain 5", unsure_below=(0.99, 0.99, 0.99))
    (tmp_path / "model.safetensors").write_bytes(write_model(model))
    for n in range(40):
        place = tmp_path / "seen" / ("training" if n % 2 else "validation") / ("plate" if n % 3 else "needle")
        place.mkdir(parents=True, exist_ok=True)
        (place / f"{n}.png").write_bytes(png(n, (40, 30 + n)))
    (tmp_path / "seen" / "broken.png").write_bytes(b"\x89PNG nothing")
    done = _orchard("predict", tmp_path / "model.safetensors", tmp_path / "seen")
    assert done.returncode == 1
    assert "broken.png" in done.stderr
    rows = list(csv.DictReader(io.StringIO(done.stdout)))
    assert len(rows) == 40
    for row in rows:
        p = model.probabilities(network_pixels(Path(row["file"]).read_bytes(), model.preprocessing)[None])[0]
        assert row["answer"] == model.classes[int(p.argmax())]
        assert float(row["p"]) == pytest.approx(p.max(), abs=1e-5)
        assert row["unsure"] == ("yes" if p.max() < 0.99 else "no")
    lines = _orchard("predict", tmp_path / "model.safetensors", rows[0]["file"], "--json")
    assert lines.returncode == 0, lines.stderr
    assert json.loads(lines.stdout)["answer"] == rows[0]["answer"]

    small = tmp_path / "small.onnx"
    made = _orchard(
        "export", tmp_path / "model.safetensors", tmp_path / "seen", "--form", "small", "--out", small, "--json"
    )
    assert made.returncode == 0, made.stderr
    told = json.loads(made.stdout)
    assert told["bytes"] == small.stat().st_size
    assert told["proof"]["pictures"] == 40
    pixels = np.stack([network_pixels(Path(row["file"]).read_bytes(), model.preprocessing) for row in rows])
    assert np.abs(_run(small.read_bytes(), pixels) - model.probabilities(pixels)).mean() < 0.02
    for words, said in (
        (("--form", "stone", "--out", small), "There is no form 'stone'"),
        (("--form", "pack", "--out", small), "does not end in .zip"),
        (("--form", "graph", "--out", tmp_path / "no" / "x.onnx"), "cannot be written"),
    ):
        refused = _orchard("export", tmp_path / "model.safetensors", tmp_path / "seen", *words)
        assert refused.returncode != 0
        assert said in " ".join(refused.stderr.split())
