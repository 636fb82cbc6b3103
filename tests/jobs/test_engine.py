"""The engine on this machine: compiled once and said so, with the threads that are asked for."""

import os
from pathlib import Path

import psutil
import pytest

from vast_orchard.at_once.network_times import free_memory
from vast_orchard.jobs.engine import COMPILING, make_ready, make_team
from vast_orchard.settings import Settings


def test_compiling_is_said_once_and_its_progress_ends_at_all(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("VAST_ORCHARD_KERNEL_CACHE_DIR", str(tmp_path))
    said: list[str] = []
    reports: list[tuple[int, int]] = []
    assert make_ready(said.append, lambda done, total: reports.append((done, total)))
    assert said == [COMPILING]
    assert reports[-1][0] > 0.8 * reports[-1][1]
    assert not make_ready(said.append)
    assert said == [COMPILING]


def test_a_folder_that_cannot_be_written_does_not_matter(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    (tmp_path / "file").write_text("in the way")
    monkeypatch.setenv("VAST_ORCHARD_KERNEL_CACHE_DIR", str(tmp_path / "file"))
    said: list[str] = []
    assert make_ready(said.append)
    assert make_ready(said.append)
    assert said == [COMPILING] * 2


def test_threads_are_those_that_are_set_or_the_processors() -> None:
    assert make_team(Settings(threads=3)).threads == 3
    assert make_team(Settings()).threads == len(os.sched_getaffinity(0))


def test_free_memory_is_part_of_the_machine() -> None:
    assert 0 < free_memory() <= psutil.virtual_memory().total
