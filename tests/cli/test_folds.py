"""`orchard folds`: every picture is judged by a model that has not learnt from it, and nothing is chosen by it."""

import csv
import json
from collections import Counter, defaultdict
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from typer.testing import CliRunner, Result

from tests.pictures import png
from vast_orchard.cli.app import app
from vast_orchard.errors import OrchardError

_QUICK = ["--epochs", "3", "--network", "plain 4", "--size", "16", "--no-variation"]


@pytest.fixture(scope="module")
def stations(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """Two classes, told apart by their level; four pictures of each of ten series, s0 to s9."""
    folder = tmp_path_factory.mktemp("stations")
    for k, name in enumerate(("plate", "rime")):
        (folder / name).mkdir()
        for n in range(40):
            (folder / name / f"s{n // 4}_{n}.png").write_bytes(png(100 * k + n, level=70 + 100 * k))
    return folder


def _run(*words: str | Path) -> Result:
    # In this process: each of its own would load the engine anew.
    return CliRunner().invoke(app, ["folds", *map(str, words)])


def _told(*words: str | Path) -> dict[str, Any]:
    done = _run(*words, "--json")
    assert done.exit_code == 0, done.exception
    found: dict[str, Any] = json.loads(done.stdout)
    return found


def test_every_picture_outside_test_is_answered_once_a_round(stations: Path, tmp_path: Path) -> None:
    words: list[str | Path] = [stations, *_QUICK, "--folds", "4", "--repeats", "2", "--together", "{group}_{number}"]
    told = _told(*words, "--answers-to", tmp_path / "answers.csv")
    assert told["pictures"] + told["left_out"] == 80
    assert told["left_out"] >= 8
    rows = list(csv.DictReader((tmp_path / "answers.csv").read_text().splitlines()))
    assert Counter((row["file"], row["repeat"]) for row in rows).most_common(1)[0][1] == 1
    assert len(rows) == 2 * told["pictures"]
    # What belongs together is never divided, and the rounds are drawn differently.
    folds = defaultdict(set)
    for row in rows:
        folds[row["repeat"], Path(row["file"]).name.split("_")[0]].add(row["fold"])
    assert all(len(found) == 1 for found in folds.values())
    assert [folds["1", f"s{n}"] for n in range(10)] != [folds["2", f"s{n}"] for n in range(10)]
    # The scores are those of the answers.
    by_fold = defaultdict(list)
    for row in rows:
        assert row["class"] == Path(row["file"]).parent.name
        by_fold[int(row["repeat"]), int(row["fold"])].append(row["answer"] == row["class"])
    assert len(told["scores"]) == 8
    for one in told["scores"]:
        assert one["accuracy"] == pytest.approx(np.mean(by_fold[one["repeat"], one["fold"]]))
    assert told["accuracy"]["mean"] == pytest.approx(np.mean([one["accuracy"] for one in told["scores"]]))
    assert np.trace(told["confusion"]) == sum(sum(found) for found in by_fold.values())
    assert told["accuracy"]["mean"] > 0.9


def test_the_same_seed_says_the_same_and_another_set_up_is_compared(stations: Path, tmp_path: Path) -> None:
    words: list[str | Path] = [stations, *_QUICK, "--folds", "3"]
    first = _told(*words)
    (tmp_path / "first.json").write_text(json.dumps(first))
    again = _told(*words, "--threads", "1", "--beside", tmp_path / "first.json")
    assert again["scores"] == first["scores"]
    assert again["beside"]["chance"] == 1
    weak = _told(*words[:-2], "--folds", "3", "--learning-rate", "0.0000001", "--beside", tmp_path / "first.json")
    assert weak["beside"]["mean"] < 0
    other = _run(*words[:-2], "--folds", "4", "--beside", tmp_path / "first.json").exception
    assert "other folds" in str(other)


def test_what_cannot_be_sure_is_refused(stations: Path, tmp_path: Path) -> None:
    (tmp_path / "model.safetensors").write_bytes(b"nothing")
    (tmp_path / "broken.json").write_text("{")
    refusals = [
        (["--keep", "lowest-validation-loss"], "too good"),
        (["--end-when", "validation-loss"], "too good"),
        (["--folds", "40"], "some folds would have none"),
        (["--together", "{number}"], "names no {group}"),
        (["--together", "station-{group}"], "fits none"),
        (["--beside", str(tmp_path / "broken.json")], "holds no folds"),
        (["--start-from", str(tmp_path / "model.safetensors")], "model"),
    ]
    for words, said in refusals:
        refused = _run(stations, *_QUICK, *words).exception
        assert isinstance(refused, OrchardError), words
        assert said in str(refused), words


def test_a_model_that_may_have_learnt_from_the_pictures_starts_no_fold(stations: Path, tmp_path: Path) -> None:
    words = ["train", str(stations), "--out", str(tmp_path), *_QUICK]
    assert CliRunner().invoke(app, words).exit_code == 0
    refused = _run(stations, "--epochs", "1", "--start-from", tmp_path / "model.safetensors").exception
    assert isinstance(refused, OrchardError)
    assert "may have learnt from the very pictures" in str(refused)
