"""The generated collection is what its list says, and the same seed draws the same bytes."""

import hashlib
import json
from collections import Counter
from pathlib import Path

import numpy as np
import pytest
from PIL import Image

from vast_orchard.demo.plan import plan_collection
from vast_orchard.demo.shapes import CLASSES
from vast_orchard.demo.write import write_collection
from vast_orchard.errors import SettingError


def _hashes(folder: Path) -> dict[str, str]:
    files = [path for path in sorted(folder.rglob("*")) if path.is_file()]
    return {str(path.relative_to(folder)): hashlib.sha256(path.read_bytes()).hexdigest() for path in files}


def test_the_same_seed_draws_the_same_bytes(crystals: Path, tmp_path: Path) -> None:
    write_collection(tmp_path / "again", count=140, seed=3, processes=1)
    assert _hashes(tmp_path / "again") == _hashes(crystals)
    write_collection(tmp_path / "other", count=140, seed=4)
    assert _hashes(tmp_path / "other") != _hashes(crystals)


def test_files_are_what_the_list_says(crystals: Path) -> None:
    planted = json.loads((crystals / "planted.json").read_text())
    hashes = _hashes(crystals)
    by_number = {entry["number"]: entry for entry in planted["pictures"]}
    listed = {entry["path"] for entry in planted["pictures"]}
    assert set(hashes) == listed | {*planted["unreadable"], *planted["stray"], "planted.json"}
    contents = Counter(hashes[path] for path in listed)
    for entry in planted["pictures"]:
        own = hashes[entry["path"]]
        if entry["fault"] == "exact_copy":
            assert own == hashes[by_number[entry["of"]]["path"]]
        elif entry["fault"] == "near_copy":
            assert own != hashes[by_number[entry["of"]]["path"]]
        assert contents[own] == 1 or "exact_copy" in {
            other["fault"] for other in planted["pictures"] if hashes[other["path"]] == own
        }


def test_the_full_collection_has_its_shares() -> None:
    planned = plan_collection(1400, 7)
    faults = Counter(entry.fault for entry in planned)
    assert sum(1 for entry in planned if entry.fault != "unlabelled") == 1400
    assert {
        name: faults[name] for name in ("exact_copy", "near_copy", "blurred", "dark", "unlabelled", "wrong_label")
    } == {
        "exact_copy": 25,
        "near_copy": 60,
        "blurred": 30,
        "dark": 20,
        "unlabelled": 60,
        "wrong_label": 28,
    }
    true = Counter(entry.true_class for entry in planned if entry.fault != "unlabelled")
    assert set(true) == set(CLASSES)
    assert 3.3 < true["graupel"] / true["needle"] < 4.7
    moved = [
        entry for entry in planned if entry.fault == "exact_copy" and entry.folder != planned[entry.of or 0].folder
    ]
    assert len(moved) == 5


def test_wrong_labels_dark_and_large_pictures_are_so(crystals: Path) -> None:
    planted = json.loads((crystals / "planted.json").read_text())["pictures"]
    for entry in planted:
        with Image.open(crystals / entry["path"]) as image:
            pixels = np.asarray(image)
        if entry["fault"] == "wrong_label":
            assert entry["folder"] != entry["true_class"]
        elif entry["fault"] == "oversized":
            assert max(pixels.shape) == 1600
        elif entry["fault"] == "dark":
            assert pixels.mean() < 25
        else:
            assert 60 <= max(pixels.shape) <= 128


@pytest.mark.parametrize("count", [0, 69, 2_000_000])
def test_counts_that_make_no_collection_are_refused(count: int) -> None:
    with pytest.raises(SettingError, match="Choose 70"):
        plan_collection(count, 1)
