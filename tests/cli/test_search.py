"""`orchard search` and `orchard finish`: from a folder to a winner, and from there to an export, in a terminal."""

import json
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from typer.testing import CliRunner

from tests.pictures import two_classes
from vast_orchard.cli.app import app
from vast_orchard.cli.vary_option import read_knob
from vast_orchard.core.planning.knobs import Knob
from vast_orchard.errors import InputError, OrchardError, SettingError, SplitError
from vast_orchard.formats.model_file import read_model

_SMALL = ["--network", "plain 4", "--size", "16", "--epochs", "4", "--batch-size", "8"]
_VARY = ["--vary", "learning-rate=0.0005..0.05:ratio", "--vary", "label-smoothing=0,0.1"]


@pytest.fixture(scope="module")
def folder(tmp_path_factory: pytest.TempPathFactory) -> Path:
    made = tmp_path_factory.mktemp("two")
    for name, data in two_classes(each=30).items():
        place = made / name
        place.parent.mkdir(parents=True, exist_ok=True)
        place.write_bytes(data)
    return made


def _run(*words: str) -> Any:
    done = CliRunner().invoke(app, [*words], catch_exceptions=True)
    if done.exception is not None and not isinstance(done.exception, SystemExit):
        raise done.exception
    assert done.exit_code == 0, done.output
    return json.loads(done.stdout)


def _search(folder: Path, *more: str) -> dict[str, Any]:
    found: dict[str, Any] = _run("search", str(folder), *_SMALL, *_VARY, "--json", *more)
    return found


def test_a_search_drops_the_weak_and_tells_the_best_with_its_luck(folder: Path, tmp_path: Path) -> None:
    out = tmp_path / "found.json"
    found = _search(folder, "--trials", "4", "--one-goes-on-of", "2", "--first-after", "2", "--out", str(out))
    assert found["rungs"] == [2, 4]
    assert sorted(one["epochs"] for one in found["trials"])[:2] == [2, 2]
    whole = [one for one in found["trials"] if one["epochs"] == 4]
    best = next(one for one in found["trials"] if one["trial"] == found["best"])
    assert best in whole
    assert best["figures"]["validation_accuracy"] == max(one["figures"]["validation_accuracy"] for one in whole)
    assert found["optimism"]["trials"] == 4
    assert found["carried"] == []  # four are too few to say
    assert json.loads(out.read_text())["best"] == found["best"]
    # Which trials there are depends on the space and the seed alone.
    again = _search(folder, "--trials", "2", "--one-goes-on-of", "0")
    assert [one["values"] for one in again["trials"]] == [one["values"] for one in found["trials"][:2]]


def test_a_trial_that_went_on_comes_to_the_figures_of_one_go(folder: Path) -> None:
    # Its two rungs are one training: the course of the rate is laid over all epochs.
    rested = _search(folder, "--trials", "2", "--one-goes-on-of", "2", "--first-after", "2")
    whole = _search(folder, "--trials", "2", "--one-goes-on-of", "0")
    best = next(one for one in rested["trials"] if one["epochs"] == 4)
    assert best["figures"] == whole["trials"][best["trial"] - 1]["figures"]


def test_finish_trains_the_chosen_one_on_all_but_test_and_exports_it(folder: Path, tmp_path: Path) -> None:
    out, target = tmp_path / "found.json", tmp_path / "final"
    found = _search(folder, "--trials", "2", "--one-goes-on-of", "0", "--out", str(out))
    done = _run("finish", str(folder), str(out), "--out", str(target), "--json")
    assert done["pictures"] > found["pictures"]
    assert done["steps"] == 4 * -(-found["pictures"] // 8)
    assert done["test"] is None
    assert done["export_check"]["max_abs_difference"] <= 1e-5
    model = read_model((target / "model.safetensors").read_bytes())
    assert model.classes == tuple(found["classes"])
    looked = _run("finish", str(folder), str(out), "--out", str(tmp_path / "again"), "--test", "--json")
    assert looked["test"]["count"] > 0
    again = read_model((tmp_path / "again" / "model.safetensors").read_bytes())
    for name, value in model.weights.items():
        np.testing.assert_array_equal(value, again.weights[name])


def test_trials_start_from_what_is_listed_each_with_its_own_network(folder: Path, tmp_path: Path) -> None:
    out, taught = tmp_path / "found.json", tmp_path / "taught"
    _run("train", str(folder), "--size", "16", "--epochs", "1", "--network", "plain 5", "--out", str(taught), "--json")
    model = taught / "model.safetensors"
    found = _run(
        "search", str(folder), "--size", "16", "--epochs", "2", "--network", "plain 4", "--json", "--way", "all",
        "--one-goes-on-of", "0", "--vary", f"start=nothing;{model}", "--vary", "width=0.5,1", "--out", str(out),
    )  # fmt: skip
    assert [one["values"] for one in found["trials"]] == [
        {"start": "nothing", "width": 0.5}, {"start": "nothing", "width": 1.0}, {"start": str(model)},
    ]  # fmt: skip
    assert all(one["epochs"] == 2 and not one["failed"] for one in found["trials"])
    refused = CliRunner().invoke(app, ["search", str(folder), "--vary", "start=nothing;nowhere.safetensors"])
    assert refused.exit_code != 0


def test_finish_refuses_what_no_search_wrote_and_other_pictures(folder: Path, tmp_path: Path) -> None:
    broken = tmp_path / "broken.json"
    broken.write_text('{"chosen": null}')
    with pytest.raises(InputError, match="says of no trial"):
        _run("finish", str(folder), str(broken), "--out", str(tmp_path / "x"))
    out = tmp_path / "found.json"
    _search(folder, "--trials", "1", "--one-goes-on-of", "0", "--out", str(out))
    fewer = tmp_path / "fewer"
    for name, data in two_classes(each=20).items():
        (fewer / name).parent.mkdir(parents=True, exist_ok=True)
        (fewer / name).write_bytes(data)
    with pytest.raises(SplitError, match="other pictures"):
        _run("finish", str(fewer), str(out), "--out", str(tmp_path / "x"))
    assert not (tmp_path / "x").exists()


@pytest.mark.parametrize(
    ("text", "knob"),
    [
        ("learning-rate=0.001..0.1:ratio", Knob(name="learning_rate", low=0.001, high=0.1, by_ratio=True)),
        ("weight-decay=0..0.2", Knob(name="weight_decay", low=0, high=0.2)),
        ("batch-size=16,32", Knob(name="batch_size", values=(16, 32))),
        ("network=plain 4, residual 8", Knob(name="network", values=("plain 4", "residual 8"))),
        ("optimizer=adam,sgd", Knob(name="optimizer", values=("adam", "sgd"))),
        ("nesterov=yes,no", Knob(name="nesterov", values=(True, False))),
        ("size=32,48", Knob(name="size", values=(32, 48))),
        ("strength=0.5,1", Knob(name="strength", values=(0.5, 1.0))),
    ],
)
def test_what_to_vary_is_read_from_one_word(text: str, knob: Knob) -> None:
    assert read_knob(text) == knob


@pytest.mark.parametrize(
    "text", ["learning-rate", "learning-rate=", "learning-rate=a..b", "learning-rate=0.1..0.01", "batch-size=16,x",
             "weight-decay=0..1:log", "speed=1,2", "seed=1,2"],
)  # fmt: skip
def test_what_cannot_be_varied_is_refused(text: str) -> None:
    with pytest.raises(SettingError):
        read_knob(text)


def test_when_every_trial_fails_it_is_said_once_with_why(folder: Path) -> None:
    with pytest.raises(OrchardError, match="All 3 trials that were begun failed") as caught:
        _run(
            "search", str(folder), "--network", "residual 12", "--vary", "size=8,9,10", "--epochs", "2", "--way", "all"
        )
    assert "The first: " in caught.value.mend


def test_models_are_combined_and_one_that_learnt_the_judged_pictures_is_refused(folder: Path, tmp_path: Path) -> None:
    files = []
    for number in (1, 2):
        out = tmp_path / f"one-{number}"
        more = ["--learning-rate", str(0.005 * number)]
        _run("train", str(folder), "--out", str(out), *_SMALL, *more, "--json")
        files.append(str(out / "model.safetensors"))
    told = _run("combine", str(folder), *files, "--out", str(tmp_path / "both"), "--json")
    assert told["weights"] == [0.5, 0.5]
    assert told["pictures"] > 0
    assert told["export_check"]["max_abs_difference"] <= 1e-5
    both = read_model((tmp_path / "both" / "model.safetensors").read_bytes())
    pixels = np.random.default_rng(1).integers(0, 256, (9, 16, 16, 3), dtype=np.uint8)
    one, two = (read_model(Path(file).read_bytes()).probabilities(pixels) for file in files)
    np.testing.assert_allclose(both.probabilities(pixels), (one + two) / 2, atol=2e-6)
    fitted = _run("combine", str(folder), *files, "--fitted", "--out", str(tmp_path / "fitted"), "--json")
    assert sum(fitted["weights"]) == pytest.approx(1)
    # What was combined by fitted weights has learnt from the validation pictures, as a final training has.
    with pytest.raises(SplitError, match="no member learnt from"):
        _run(
            "combine",
            str(folder),
            files[0],
            str(tmp_path / "fitted" / "model.safetensors"),
            "--out",
            str(tmp_path / "x"),
        )
    other = tmp_path / "larger"
    _run("train", str(folder), "--out", str(other), *_SMALL[:2], "--size", "24", "--epochs", "1", "--json")
    with pytest.raises(InputError, match="sees pictures otherwise"):
        _run("combine", str(folder), files[0], str(other / "model.safetensors"), "--out", str(tmp_path / "x"))
    (tmp_path / "one-1" / "learnt.txt").write_text("not a content")
    with pytest.raises(InputError, match="no list of contents"):
        _run("combine", str(folder), *files, "--out", str(tmp_path / "x"))
    assert not (tmp_path / "x").exists()
