"""`orchard` from a terminal: one process, no server, no database."""

import csv
import io
import json
import subprocess
import sys
import zipfile
from pathlib import Path
from typing import Any

import numpy as np
import onnxruntime
import pytest

from tests.pictures import png
from tests.tolerances import EXPORT
from vast_orchard.core.pictures.area import Area
from vast_orchard.core.pictures.preprocessing import Preprocessing
from vast_orchard.formats.model_file import read_model
from vast_orchard.formats.picture_file import network_pixels

_QUICK = ["--epochs", "2", "--network", "plain 4", "--size", "16"]


def _orchard(*words: str | Path) -> "subprocess.CompletedProcess[str]":
    return subprocess.run(
        [sys.executable, "-m", "vast_orchard.cli", *map(str, words)], capture_output=True, text=True, check=False
    )


def test_train_prints_one_object_and_leaves_a_true_export(crystals: Path, tmp_path: Path) -> None:
    done = _orchard("train", crystals, "--out", tmp_path / "out", *_QUICK, "--json")
    assert done.returncode == 0, done.stderr
    found: dict[str, Any] = json.loads(done.stdout)
    assert set(found) == {
        "test", "validation", "epochs", "kept_epoch", "train_s", "parameters", "export", "export_check",
        "lookouts",
    }  # fmt: skip
    assert found["epochs"] == 2
    assert 1 <= found["kept_epoch"] <= 2
    assert 0 <= found["test"]["accuracy"] <= 1
    assert found["test"]["count"] > 10
    assert found["export_check"]["pictures"] >= 32
    assert found["export_check"]["max_abs_difference"] <= EXPORT
    # The independent runtime, asked by this test itself, answers like the stored weights.
    with zipfile.ZipFile(found["export"]) as archive:
        session = onnxruntime.InferenceSession(archive.read("model.onnx"), providers=["CPUExecutionProvider"])
        classes = json.loads(archive.read("classes.json"))
    assert classes == ["column", "dendrite", "graupel", "needle", "plate", "sectored", "stellar"]
    model = read_model((tmp_path / "out" / "model.safetensors").read_bytes())
    picture = next((crystals / "ridge-station" / "plate").glob("*.jpg")).read_bytes()
    pixels = network_pixels(picture, Preprocessing(size=16))[None]
    (theirs,) = session.run(["probabilities"], {"pixels": pixels})
    np.testing.assert_allclose(theirs, model.probabilities(pixels), atol=EXPORT)


def test_the_same_seed_trains_the_same_weights(crystals: Path, tmp_path: Path) -> None:
    for name in ("one", "two"):
        assert _orchard("train", crystals, "--out", tmp_path / name, *_QUICK).returncode == 0
    one, two = ((tmp_path / name / "model.safetensors").read_bytes() for name in ("one", "two"))
    assert one == two


def test_a_model_judges_a_folder_beside_its_truth_by_its_working_area(crystals: Path, tmp_path: Path) -> None:
    area = tmp_path / "area.json"
    area.write_text('{"margin": 0.1, "covered": [[[0, 0], [0.2, 0], [0, 0.2]]]}')
    trained = _orchard("train", crystals, "--out", tmp_path / "out", "--area", area, *_QUICK)
    assert trained.returncode == 0, trained.stderr
    model = tmp_path / "out" / "model.safetensors"
    chosen: dict[str, Path] = {}
    for name, folder in (("plate", "Plate"), ("graupel", "graupel"), ("needle", "marbles")):
        for picture in sorted((crystals / "ridge-station" / name).glob("*.jpg"))[:6]:
            target = tmp_path / "new" / folder / picture.name
            target.parent.mkdir(parents=True, exist_ok=True)
            target.write_bytes(picture.read_bytes())
            chosen[f"{folder}/{picture.name}"] = target
    (tmp_path / "new" / "graupel" / "broken.png").write_bytes(png(1)[:99])
    done = _orchard("judge", model, tmp_path / "new")
    assert done.returncode == 0, done.stderr
    rows = list(csv.DictReader(io.StringIO(done.stdout)))
    assert {row["path"] for row in rows} == set(chosen)
    read = read_model(model.read_bytes())
    assert read.preprocessing.area == Area(margin=0.1, covered=(((0, 0), (0.2, 0), (0, 0.2)),))
    right = 0
    for row in rows:
        p = read.probabilities(network_pixels(chosen[row["path"]].read_bytes(), read.preprocessing)[None])[0]
        assert row["predicted"] == read.classes[int(p.argmax())]
        assert float(row["p"]) == pytest.approx(p.max(), abs=1e-5)
        assert float(row["runner_up_p"]) == pytest.approx(np.sort(p)[-2], abs=1e-5)
        right += row["predicted"] == row["true"].casefold() and row["true"] != "marbles"
    # Of a class that the model does not know nothing is scored, and capitals do not matter.
    assert f"on 12 pictures: {right} right" in done.stderr and "of 18 pictures" in done.stderr
    assert "Skipped graupel/broken.png" in done.stderr
    found = json.loads(_orchard("judge", model, tmp_path / "new", "--json").stdout)
    assert (found["scores"]["count"], found["scores"]["right"], len(found["answers"])) == (12, right, 18)

    area.write_text('{"keep": [0, 0, 5, 1]}')
    refused = _orchard("train", crystals, "--out", tmp_path / "no", "--area", area, *_QUICK)
    assert refused.returncode != 0
    assert "reaches from 0 to 5 sideways" in " ".join(refused.stderr.split())
    for file, words in ((tmp_path / "none", "cannot be read"), (chosen["Plate/" + min(chosen)[6:]], "is no model")):
        refused = _orchard("judge", file, tmp_path / "new")
        assert refused.returncode != 0
        assert words in refused.stderr and "model.safetensors that orchard train" in " ".join(refused.stderr.split())


def test_a_training_ends_early_and_says_by_what(crystals: Path, tmp_path: Path) -> None:
    quick: list[str | Path] = ["--epochs", "30", "--network", "plain 4", "--size", "16", "--out", tmp_path / "out"]
    ends = ["--reach", "training-accuracy", "--reach-value", "0.01"]
    done = _orchard("train", crystals, *quick, *ends, "--json")
    assert done.returncode == 0, done.stderr
    assert json.loads(done.stdout)["epochs"] == 4  # the first reaches it, three close
    assert "in epoch 1; 0.01 was enough. Over 3 more epochs the rate then fell to zero." in done.stderr

    both = _orchard("train", crystals, *quick, "--train-for", "1")
    assert both.returncode != 0
    assert "--epochs and --train-for both say how long it trains. Give one of them." in both.stderr


def test_a_training_is_watched_and_ended_by_a_lookout(crystals: Path, tmp_path: Path) -> None:
    mine = {"name": "mine", "figure": "update", "value": 0, "epochs": 2, "act": "end"}
    watch = tmp_path / "watch.json"
    watch.write_text(json.dumps({"every": 1, "own": [mine]}))
    table = tmp_path / "layers.csv"
    words = ("train", crystals, "--out", tmp_path / "one", "--epochs", "9", "--watch", watch, "--layers-to", table)
    done = _orchard(*words, "--json")
    assert done.returncode == 0, done.stderr
    told = json.loads(done.stdout)
    assert told["epochs"] == 2
    assert [entry["since"] for entry in told["lookouts"] if entry["id"] == "mine"] == [1]
    assert "The lookout “mine” ended it after epoch 2" in done.stderr
    rows = list(csv.DictReader(io.StringIO(table.read_text())))
    assert {row["epoch"] for row in rows} == {"1", "2"} and all(float(row["update"]) > 0 for row in rows)
    unknown = _orchard("train", crystals, "--out", tmp_path / "two", "--ends-on", "weather")
    assert unknown.returncode == 1 and "There is no lookout weather." in unknown.stderr
    watch.write_text('{"every": "often"}')
    wrong = _orchard("train", crystals, "--out", tmp_path / "two", "--watch", watch)
    assert wrong.returncode == 1 and "does not say how to watch" in wrong.stderr


def test_a_time_to_train_for_becomes_a_number_of_epochs(crystals: Path, tmp_path: Path) -> None:
    quick: list[str | Path] = ["--network", "plain 4", "--size", "16", "--out", tmp_path / "out"]
    done = _orchard("train", crystals, *quick, "--train-for", "0.0001", "--json")
    assert done.returncode == 0, done.stderr
    assert json.loads(done.stdout)["epochs"] == 1
    assert "0.0001 minutes are 1 epochs of about" in done.stderr
    none = _orchard("train", crystals, *quick, "--train-for", "-3")
    assert none.returncode != 0
    assert "-3 minutes are no time to train in. Give minutes above 0." in none.stderr


def test_given_sets_are_used(tmp_path: Path) -> None:
    for place, count in (("training", 12), ("validation", 4), ("test", 5)):
        for name, level in (("plate", 50), ("needle", 200)):
            folder = tmp_path / "in" / place / name
            folder.mkdir(parents=True)
            for n in range(count):
                (folder / f"{n}.png").write_bytes(png(1000 * len(place) + 10 * n + level, level=level))
    done = _orchard("train", tmp_path / "in", "--out", tmp_path / "out", *_QUICK, "--json")
    found = json.loads(done.stdout)
    assert (found["validation"]["count"], found["test"]["count"]) == (8, 10)


def test_words_for_people(crystals: Path, tmp_path: Path) -> None:
    done = _orchard("train", crystals, "--out", tmp_path / "out", *_QUICK)
    assert "Kept epoch" in done.stdout
    assert "the largest class alone would give" in done.stdout
    assert "4 skipped" in done.stderr  # two unreadable, one stray note, and the list of what was planted


def test_training_goes_on_from_a_model_file_in_two_phases(crystals: Path, tmp_path: Path) -> None:
    """Other classes than those of the file: its last layer is new, and everything before it is taken over."""
    for name, level in (("dark", 40), ("bright", 200)):
        (tmp_path / "in" / name).mkdir(parents=True)
        for n in range(20):
            (tmp_path / "in" / name / f"{n}.png").write_bytes(png(10 * n + level, level=level))
    first = _orchard("train", crystals, "--out", tmp_path / "one", *_QUICK)
    assert first.returncode == 0, first.stderr
    file = tmp_path / "one" / "model.safetensors"
    asked: list[str | Path] = ["train", tmp_path / "in", "--start-from", file, "--epochs", "3"]
    two = _orchard(*asked, "--out", tmp_path / "two", "--what-learns", "new-then-all", "--new-epochs", "1")
    assert two.returncode == 0, two.stderr
    assert "From model.safetensors: 8 of 9 layers are taken over, and its statistics." in two.stderr
    assert "Its outputs are other classes there." in two.stderr
    assert "Epochs 1 to 1: 1 layers learn" in two.stderr
    assert "Epochs 2 to 3: 9 layers learn" in two.stderr
    new = _orchard(*asked, "--out", tmp_path / "new", "--what-learns", "new", "--json")
    assert json.loads(new.stdout)["export_check"]["max_abs_difference"] <= EXPORT
    before, after = (read_model((tmp_path / name / "model.safetensors").read_bytes()) for name in ("one", "new"))
    assert after.preprocessing == before.preprocessing
    assert after.statistics == before.statistics
    changed = [name for name, value in before.weights.items() if not np.array_equal(value, after.weights[name])]
    assert len(changed) == 2  # weights and bias of the last layer


def test_a_starter_is_taught_the_same_from_the_same_seed_and_can_be_started_from(tmp_path: Path) -> None:
    small = ("--classes", "6", "--pictures", "8", "--epochs", "1", "--seed", "4")
    taught = _orchard("starter", "plain 4", "--out", tmp_path / "one.safetensors", *small, "--json")
    assert taught.returncode == 0, taught.stderr
    record = json.loads(taught.stdout)
    assert (record["network"], record["input_size"], record["taught"]["steps"]) == ("plain 4", 48, 1)
    again = _orchard("starter", "plain 4", "--out", tmp_path / "two.safetensors", *small, "--threads", "1")
    assert again.returncode == 0, again.stderr
    assert (tmp_path / "one.safetensors").read_bytes() == (tmp_path / "two.safetensors").read_bytes()
    weights = read_model((tmp_path / "one.safetensors").read_bytes()).weights
    assert {value.dtype for value in weights.values()} == {np.dtype(np.float16)}
    assert record["parameters"] == sum(
        value.size for name, value in weights.items() if not name.endswith((".mean", ".variance"))
    )


@pytest.mark.parametrize(
    ("words", "said"),
    [
        (["train", "absent", "--out", "x"], "There is nothing at absent"),
        (["train", ".", "--out", "x", "--epochs", "0"], "Epochs cannot be 0"),
        (["train", ".", "--out", "x", "--optimizer", "downhill"], "Optimizer cannot be 'downhill'"),
        (["train", ".", "--out", "x", "--start-from", "absent"], "no starter and no file 'absent'"),
        (["train", ".", "--out", "x", "--start-from", "file"], "no model that can be started from"),
        (["starter", "plain 4", "--out", "x", "--classes", "1"], "teach nothing"),
        (["plan", "absent"], "no network 'absent'"),
        (["plan", "file"], "is not JSON"),
        (["demo", ".", "--count", "100"], "is not an empty folder"),
        (["worker", "--queue", "nonsense"], "no queue named 'nonsense'"),
    ],
)
def test_mistakes_end_with_one_line(words: list[str], said: str, tmp_path: Path) -> None:
    (tmp_path / "file").write_text("x")
    done = subprocess.run(
        [sys.executable, "-m", "vast_orchard.cli", *words], capture_output=True, text=True, check=False, cwd=tmp_path
    )
    assert done.returncode == 1
    assert said in done.stderr
    assert "Traceback" not in done.stderr


_BESIDE = {
    "input_shape": [16, 16, 3],
    "layers": [
        {"kind": "conv", "channels": 8, "id": "a"},
        {"kind": "conv", "channels": 8, "id": "b"},
        {"kind": "add", "inputs": ["a", "b"]},
        {"kind": "silu"},
        {"kind": "global_average_pool"},
        {"kind": "dense", "outputs": 7},
    ],
}


def test_a_network_of_ones_own_is_shown_and_trained(crystals: Path, tmp_path: Path) -> None:
    (tmp_path / "beside.json").write_text(json.dumps(_BESIDE))
    found = json.loads(_orchard("plan", tmp_path / "beside.json", "--json").stdout)
    # By hand: 3·9·8 + 8, 8·9·8 + 8, and 8·7 + 7 numbers; 16·16 places for both convolutions.
    assert found["parameters"] == 224 + 584 + 63
    assert found["multiply_adds"] == 256 * (216 + 576) + 56
    assert found["training_bytes"] > 0
    shown = _orchard("plan", tmp_path / "beside.json").stdout
    assert "fed by" in shown
    assert "871 parameters" in shown
    done = _orchard(
        "train", crystals, "--out", tmp_path / "out", "--network", tmp_path / "beside.json", "--size", "16",
        "--epochs", "1", "--optimizer", "adamw", "--schedule", "rise-and-fall", "--label-smoothing", "0.1",
        "--class-weights", "balanced", "--clip-norm", "2", "--threads", "1", "--json",
    )  # fmt: skip
    assert done.returncode == 0, done.stderr
    assert json.loads(done.stdout)["export_check"]["max_abs_difference"] <= EXPORT
    wrong = _orchard("train", crystals, "--out", tmp_path / "w", "--network", tmp_path / "beside.json", "--size", "32")
    assert wrong.returncode == 1
    assert "is made for pictures of 16×16×3" in wrong.stderr
    assert "Traceback" not in wrong.stderr


def test_a_batch_too_large_for_the_machine_is_refused_with_one_that_fits(crystals: Path, tmp_path: Path) -> None:
    layers = [{"kind": "conv", "channels": 65536}, {"kind": "global_average_pool"}, {"kind": "dense", "outputs": 7}]
    (tmp_path / "wide.json").write_text(json.dumps({"input_shape": [48, 48, 3], "layers": layers}))
    words = ("--network", tmp_path / "wide.json", "--batch-size", "4096", "--epochs", "1")
    done = _orchard("train", crystals, "--out", tmp_path / "out", *words)
    assert done.returncode == 1
    assert "needs about" in done.stderr
    assert "Choose a batch size of at most" in done.stderr


def test_the_bench_prints_one_object() -> None:
    done = _orchard("bench", "engine", "--only", "tiny-28", "--json")
    assert done.returncode == 0, done.stderr
    found = json.loads(done.stdout)
    (network,) = found["networks"]
    assert set(network) == {
        "name", "train_images_per_s", "infer_images_per_s", "runtime_images_per_s", "train_ratio", "infer_ratio",
    }  # fmt: skip
    assert network["train_ratio"] == pytest.approx(
        network["train_images_per_s"] / network["runtime_images_per_s"], abs=0.002
    )
    assert found["threads"] >= 1
    assert found["matmul_gflops"] > 0


def test_one_class_alone_cannot_be_trained(tmp_path: Path) -> None:
    folder = tmp_path / "in" / "plate"
    folder.mkdir(parents=True)
    for n in range(5):
        (folder / f"{n}.png").write_bytes(png(n))
    done = _orchard("train", tmp_path / "in", "--out", tmp_path / "out")
    assert "There is only the class plate" in done.stderr


def test_demo_writes_a_tree_and_its_list(tmp_path: Path) -> None:
    done = _orchard("demo", tmp_path / "d", "--count", "70", "--seed", "9")
    assert done.returncode == 0, done.stderr
    assert json.loads((tmp_path / "d" / "planted.json").read_text())["seed"] == 9
    assert (tmp_path / "d" / "ridge-station" / "needle").is_dir()
