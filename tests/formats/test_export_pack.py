"""The pack: what is in it, that its own script answers alike, and that a false one is not offered."""

import io
import json
import subprocess
import sys
import zipfile
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from PIL import Image

from tests.pictures import encoded, png
from tests.tolerances import EXPORT
from vast_orchard.core.network import layers as d
from vast_orchard.core.network.description import NetworkDescription, resolved
from vast_orchard.core.network.network import Network
from vast_orchard.core.network.ready import ready_network
from vast_orchard.core.pictures.preprocessing import Preprocessing
from vast_orchard.core.pictures.standardise import ChannelStatistics
from vast_orchard.errors import ProofError
from vast_orchard.formats import export_pack
from vast_orchard.formats.export_pack import proven_pack
from vast_orchard.formats.model_file import Model
from vast_orchard.formats.onnx_model import onnx_bytes
from vast_orchard.formats.picture_file import network_pixels


@pytest.fixture(scope="module")
def model() -> Model:
    description = resolved(ready_network("plain 4"), (16, 16, 3), 3)
    return Model(
        description=description,
        weights=Network(description, 1).state(),
        classes=("needle", "plate", "雪 {odd}"),
        preprocessing=Preprocessing(size=16, ground=(40, 0, 90)),
        statistics=ChannelStatistics(mean=(90.0, 91.0, 92.0), deviation=(40.0, 41.0, 42.0)),
    )


def _odd_files() -> list[tuple[str, bytes]]:
    turned = Image.Exif()
    turned[0x0112] = 8
    striped = Image.fromarray(np.tile(np.arange(0, 240, 8, dtype=np.uint8)[:, None, None], (1, 20, 3)))
    sixteen = Image.fromarray((np.arange(600, dtype=np.uint16) * 109).reshape(20, 30))
    return [
        (".png", png(1)),
        (".jpg", encoded(striped, "JPEG", exif=turned)),
        (".png", encoded(sixteen)),
        (".png", encoded(Image.new("RGBA", (9, 30), (200, 10, 60, 120)))),
        (".gif", encoded(Image.new("P", (12, 12), 3), "GIF")),
        (".jpg", encoded(Image.new("CMYK", (14, 10), (0, 90, 200, 10)), "JPEG")),
        (".png", encoded(Image.new("L", (33, 8), 77))),
    ]


def test_the_script_answers_like_the_application_on_every_kind_of_file(model: Model, tmp_path: Path) -> None:
    files = _odd_files()
    pack, proof = proven_pack(model, files, {"name": 'a "quoted" {name}'})
    assert proof.pictures == 32
    assert proof.max_abs_difference <= EXPORT
    with zipfile.ZipFile(io.BytesIO(pack)) as archive:
        named = sorted(name for name in archive.namelist() if not name.startswith("check/"))
        assert named == [
            "README.md", "classes.json", "classes.txt", "model.json", "model.onnx", "predict.py", "proof.json",
        ]  # fmt: skip
        assert len(archive.namelist()) == len(named) + min(8, len(files)) + 1
        archive.extractall(tmp_path)
    # Once more from outside, file by file, without the application's own comparison.
    for number, (ending, data) in enumerate(files):
        picture = tmp_path / f"{number}{ending}"
        picture.write_bytes(data)
        done = subprocess.run(
            [sys.executable, "-I", str(tmp_path / "predict.py"), str(picture), "--json"],
            capture_output=True, text=True, check=True,
        )  # fmt: skip
        answer = json.loads(done.stdout)["probabilities"]
        ours = model.probabilities(network_pixels(data, model.preprocessing)[None])[0]
        for name, p in zip(model.classes, ours, strict=True):
            assert answer[name] == pytest.approx(p, abs=EXPORT)


def test_the_description_says_everything(model: Model) -> None:
    pack, _ = proven_pack(model, [(".png", png(1))], {"run": 4})
    with zipfile.ZipFile(io.BytesIO(pack)) as archive:
        facts = json.loads(archive.read("model.json"))
        assert json.loads(archive.read("classes.json")) == ["needle", "plate", "雪 {odd}"]
    assert facts["classes"] == ["needle", "plate", "雪 {odd}"]
    assert facts["preprocessing"] == {
        "size": 16, "fit": "distort", "colour": "rgb", "ground": [40, 0, 90], "border": [0, 0, 0],
        "scale": "deviation", "views": "one",
    }  # fmt: skip
    assert facts["input"] == {"name": "pixels", "type": "uint8", "shape": ["N", 16, 16, 3]}
    assert facts["origin"] == {"run": 4}


def test_a_script_says_it_in_words_too(model: Model, tmp_path: Path) -> None:
    pack, _ = proven_pack(model, [(".png", png(1))], {})
    with zipfile.ZipFile(io.BytesIO(pack)) as archive:
        archive.extractall(tmp_path)
    (tmp_path / "x.png").write_bytes(png(3))
    done = subprocess.run(
        [sys.executable, str(tmp_path / "predict.py"), str(tmp_path / "x.png")],
        capture_output=True,
        text=True,
        check=True,
    )
    assert "; next " in done.stdout


def test_temperature_and_threshold_go_along(model: Model, tmp_path: Path) -> None:
    files = [(".png", png(n)) for n in range(3)]
    pixels = np.stack([network_pixels(data, model.preprocessing) for _, data in files])
    powers = np.exp(model.logits(pixels)[0] / 3)
    wanted = powers / powers.sum(axis=1, keepdims=True)
    top = wanted.max(axis=1)
    # Between the first picture's probability and the next: as small as a threshold can part them.
    said = wanted[0].argmax()
    below = [0.0, 0.0, 0.0]
    below[said] = float(top[0]) + 1e-3
    pack, proof = proven_pack(replace(model, temperature=3.0, unsure_below=tuple(below)), files, {})
    assert proof.max_abs_difference <= EXPORT
    with zipfile.ZipFile(io.BytesIO(pack)) as archive:
        archive.extractall(tmp_path)
    (tmp_path / "x.png").write_bytes(files[0][1])
    command = [sys.executable, "-I", str(tmp_path / "predict.py"), str(tmp_path / "x.png")]
    words = subprocess.run(command, capture_output=True, text=True, check=True).stdout
    assert f"unsure: most like {model.classes[said]}" in words
    answer = json.loads(subprocess.run([*command, "--json"], capture_output=True, text=True, check=True).stdout)
    assert answer["unsure"] is True
    assert [answer["probabilities"][name] for name in model.classes] == pytest.approx(wanted[0], abs=EXPORT)
    # A class that is never sure enough says so at any probability.
    facts = json.loads((tmp_path / "model.json").read_text())
    below[said] = None  # type: ignore[call-overload]
    (tmp_path / "model.json").write_text(json.dumps({**facts, "unsure_below": below}))
    assert "unsure" in subprocess.run(command, capture_output=True, text=True, check=True).stdout


def test_the_class_that_a_script_prints_is_the_class_that_it_means(tmp_path: Path) -> None:
    """Names in an order of their own, and a network that answers by the mean colour alone, worked out by hand."""
    names = ("zebra", "apple", "Mitte")
    description = NetworkDescription(
        name="by colour", input_shape=(8, 8, 3), layers=(d.GlobalAveragePool(), d.Dense(outputs=3))
    )
    network = Network(description, 1)
    weights = network.state()
    # Red says the first name, green the second, blue the third.
    weights["dense_1.weights"] = (8 * np.eye(3)).astype(np.float32)
    weights["dense_1.bias"] = np.zeros(3, np.float32)
    model = Model(
        description=description,
        weights=weights,
        classes=names,
        preprocessing=Preprocessing(size=8),
        statistics=ChannelStatistics(mean=(127.5,) * 3, deviation=(127.5,) * 3),
    )
    pack, _ = proven_pack(model, [(".png", png(1))], {})
    with zipfile.ZipFile(io.BytesIO(pack)) as archive:
        archive.extractall(tmp_path)
        assert json.loads(archive.read("classes.json")) == list(names)
        assert json.loads(archive.read("model.json"))["classes"] == list(names)
    colours = {"zebra": (255, 60, 0), "apple": (60, 255, 0), "Mitte": (0, 60, 255)}
    runners_up = {"zebra": "apple", "apple": "zebra", "Mitte": "apple"}
    for name, colour in colours.items():
        (tmp_path / f"{name}.png").write_bytes(encoded(Image.new("RGB", (20, 20), colour)))
    done = subprocess.run(
        [sys.executable, str(tmp_path / "predict.py"), *(str(tmp_path / f"{name}.png") for name in names)],
        capture_output=True, text=True, check=True,
    )  # fmt: skip
    for name, line in zip(names, done.stdout.splitlines(), strict=True):
        # Logits are 8 · (c − 127.5) / 127.5: 8, −4.24 and −8, so the first has all but e⁻¹² of the whole.
        assert line == f"{tmp_path / name}.png: {name}, 1.00; next {runners_up[name]}, 0.00"


def test_an_export_that_answers_otherwise_is_not_offered(model: Model, monkeypatch: pytest.MonkeyPatch) -> None:
    shifted = replace(model, statistics=ChannelStatistics(mean=(0.0, 0.0, 0.0), deviation=(1.0, 1.0, 1.0)))
    monkeypatch.setattr(export_pack, "onnx_bytes", lambda _: onnx_bytes(shifted))
    with pytest.raises(ProofError, match=r"differ by up to .*nothing is offered"):
        proven_pack(model, [(".png", png(1))], {})


def test_without_pictures_there_is_no_proof(model: Model) -> None:
    with pytest.raises(ProofError, match="no picture to prove"):
        proven_pack(model, [], {})
