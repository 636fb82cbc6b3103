"""`orchard findings` on a folder: what was planted is named, as words and as JSON, and nothing where nothing was."""

import json
from pathlib import Path
from typing import Any

import pytest
from typer.testing import CliRunner

from vast_orchard.cli.app import app
from vast_orchard.demo.plan import Faults, plan_collection
from vast_orchard.demo.write import PICTURES_FOLDER, PLANTED_FILE, write_collection
from vast_orchard.errors import SettingError


@pytest.fixture(scope="module")
def drawn(tmp_path_factory: pytest.TempPathFactory) -> Path:
    folder = tmp_path_factory.mktemp("drawn")
    write_collection(folder, count=280, seed=21, faults=Faults(blur=6.0, dim=0.15, png_class="graupel"))
    return folder


def _run(*words: str) -> str:
    done = CliRunner().invoke(app, [*words], catch_exceptions=False)
    assert done.exit_code == 0, done.output
    return done.stdout


def test_what_is_hard_to_see_and_what_tells_a_class_are_named(drawn: Path) -> None:
    told: dict[str, Any] = json.loads(_run("findings", str(drawn / PICTURES_FOLDER), "--no-folds", "--json"))
    planted = json.loads((drawn / PLANTED_FILE).read_text())["pictures"]
    wanted = {Path(one["path"]).name for one in planted if one["fault"] == "blurred"}
    named = {Path(path).name for path in told["named"]["blurred"]}
    assert len(wanted & named) >= 0.8 * len(wanted)
    assert "label" not in told["named"]
    assert told["telltale"][0]["fact"] == "file format"
    assert told["telltale"][0]["most"]["class"] == "graupel"
    words = _run("findings", str(drawn / PICTURES_FOLDER), "--no-folds")
    assert "More blurred than its class: " in words
    assert "The file format gives the class away" in words


def test_labels_are_held_against_folds(drawn: Path) -> None:
    told = json.loads(_run("findings", str(drawn / PICTURES_FOLDER), "--json"))
    planted = {
        one["path"].removeprefix(f"{PICTURES_FOLDER}/"): one
        for one in json.loads((drawn / PLANTED_FILE).read_text())["pictures"]
    }
    assert set(told["named"]["label"]) == {one["path"] for one in told["labels"]}
    assert all(one["label"] == planted[one["path"]]["folder"] for one in told["labels"])
    assert all(one["p_label"] < 0.1 for one in told["labels"])
    assert told["folds_s"] > 0


def test_a_demo_without_faults_has_none_and_the_strengths_are_those_that_were_asked_for(tmp_path: Path) -> None:
    _run("demo", str(tmp_path / "clean"), "--count", "140", "--faultless")
    clean = json.loads((tmp_path / "clean" / PLANTED_FILE).read_text())
    assert {one["fault"] for one in clean["pictures"]} == {"", "unlabelled"}
    assert all(one["folder"] in (one["true_class"], "unlabelled") for one in clean["pictures"])
    assert (clean["unreadable"], clean["stray"]) == ([], [])
    planned = plan_collection(140, 7, Faults(png_class="plate"))
    assert any(one.fault == "dark" for one in planned)
    with pytest.raises(SettingError, match="no class"):
        plan_collection(140, 7, Faults(png_class="snow"))
