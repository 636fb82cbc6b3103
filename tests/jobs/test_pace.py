"""How fast this machine is: measured once, corrected by real trainings, never a reason to fail."""

import os
from pathlib import Path

import pytest

from vast_orchard.core.team import Team
from vast_orchard.jobs.pace import find_pace, learn_pace
from vast_orchard.kernel_cache import FOLDER_VARIABLE, keep_pace, kept_pace


def test_a_pace_is_measured_once_and_corrected_by_trainings(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv(FOLDER_VARIABLE, str(tmp_path))
    team = Team(1)
    assert kept_pace(os.environ, 1) is None
    measured = find_pace(team)
    assert 0 < measured < 1000
    assert find_pace(team) == kept_pace(os.environ, 1) == pytest.approx(measured, rel=1e-3)
    learn_pace(team, spent_s=60.0, expected_s=20.0)
    assert find_pace(team) == 3.0
    # Too short to tell anything.
    learn_pace(team, spent_s=60.0, expected_s=1.0)
    assert find_pace(team) == 3.0
    # Another number of threads has a pace of its own.
    assert kept_pace(os.environ, 2) is None


@pytest.mark.parametrize("text", ["", "fast", "nan", "-1", "inf", "0"])
def test_what_is_no_pace_is_as_if_it_were_not_there(text: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv(FOLDER_VARIABLE, str(tmp_path))
    keep_pace(os.environ, 1, 2.0)
    (kept,) = tmp_path.glob("*/pace-1")
    kept.write_text(text)
    assert kept_pace(os.environ, 1) is None


def test_a_folder_that_cannot_be_written_costs_nothing(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    (tmp_path / "file").touch()
    monkeypatch.setenv(FOLDER_VARIABLE, str(tmp_path / "file" / "below"))
    learn_pace(Team(1), spent_s=60.0, expected_s=20.0)
    assert kept_pace(os.environ, 1) is None
