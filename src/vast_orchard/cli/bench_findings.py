"""`orchard bench findings`: how much of what was planted is found, and what is named where nothing was planted."""

import json
import statistics
import tempfile
from collections.abc import Sequence
from pathlib import Path
from typing import Annotated, Any

import numpy as np
import typer
from rich.console import Console

from vast_orchard.cli.findings import FolderFindings, findings_in
from vast_orchard.cli.terminal import AsJson, console
from vast_orchard.core.findings.telltale import parts_of, tells, telltale_facts
from vast_orchard.demo.plan import Faults, plan_collection
from vast_orchard.demo.write import PICTURES_FOLDER, PLANTED_FILE, drawn_size, write_collection

__all__ = ["bench_findings"]

# Nothing was tuned on these; what was, was on 101 to 103.
_SEEDS = (901, 902, 903)
_COUNT = 1400
_FIRST = 60  # in which most wrong labels should be
_FAULTS = Faults(blur=2.5, dim=0.5)
_CLEAN_DRAWS = 20


def bench_findings(
    as_json: AsJson = False,
    draws: Annotated[int, typer.Option(help="Clean collections in which no fact should tell a class.")] = _CLEAN_DRAWS,
) -> None:
    """Look at made-up collections with wrong labels, blur and darkness planted, and at some without any fault."""
    words = console()
    turns = [_turn(seed, words) for seed in _SEEDS]
    told: dict[str, Any] = {name: round(statistics.median(turn[name] for turn in turns), 4) for name in turns[0]}
    told["leak_found"] = all(_leak_found(seed) for seed in _SEEDS)
    told["clean_draws_with_a_leak"] = sum(_told(seed, Faults(planted=False)) for seed in range(950, 950 + draws))
    told["seeds"] = {str(seed): turn for seed, turn in zip(_SEEDS, turns, strict=True)}
    if as_json:
        print(json.dumps(told))
        return
    for name, value in told.items():
        print(f"{name}: {value}")


def _turn(seed: int, words: Console) -> dict[str, float]:
    with tempfile.TemporaryDirectory(prefix="vast-orchard-bench-") as place:
        folder = Path(place)
        write_collection(folder / "with", _COUNT, seed, faults=_FAULTS)
        write_collection(folder / "without", _COUNT, seed, faults=Faults(planted=False))
        planted = json.loads((folder / "with" / PLANTED_FILE).read_text())["pictures"]
        found = findings_in(folder / "with" / PICTURES_FOLDER, words, folds=True)
        clean = findings_in(folder / "without" / PICTURES_FOLDER, words, folds=True)
    kinds = {_inner(entry["path"]): entry for entry in planted}
    held = [kinds[one["path"]] for one in found.labels]
    # What the folds held out: the test set is left out.
    wrong = sum(entry["folder"] != entry["true_class"] for entry in held)
    first = sum(entry["folder"] != entry["true_class"] for entry in held[:_FIRST])
    blur = _of_kind(found.named["blurred"], planted, "blurred")
    dark = _of_kind(found.named["dark"], planted, "dark")
    return {
        "wrong_labels_found": first / wrong,
        "folds_s": max(found.folds_s, clean.folds_s),
        "blur_recall": blur[0], "blur_precision": blur[1], "dark_recall": dark[0], "dark_precision": dark[1],
        "named_on_clean_share": _named(clean) / clean.pictures,
    }  # fmt: skip


def _inner(path: str) -> str:
    return path.removeprefix(f"{PICTURES_FOLDER}/")


def _of_kind(named: Sequence[str], planted: Sequence[dict[str, Any]], fault: str) -> tuple[float, float]:
    """Share of the planted ones that are named, and share of the named ones that were planted."""
    wanted = {_inner(entry["path"]) for entry in planted if entry["fault"] == fault}
    hit = len(wanted & set(named))
    return hit / len(wanted), hit / len(named) if named else 0.0


def _named(found: FolderFindings) -> int:
    return len({path for paths in found.named.values() for path in paths})


def _leak_found(seed: int) -> bool:
    return _told(seed, Faults(planted=False, png_class="graupel"))


def _told(seed: int, faults: Faults) -> bool:
    """Whether a fact of the files tells the class."""
    planned = [entry for entry in plan_collection(_COUNT, seed, faults) if entry.folder != "unlabelled"]
    sizes = [drawn_size(entry, seed, faults) for entry in planned]
    facts = {
        "file format": parts_of([kind for _, _, kind in sizes]),
        "longer side": parts_of([max(width, height) for width, height, _ in sizes]),
        "shape": parts_of([round(width / height, 3) for width, height, _ in sizes]),
    }
    labels = np.unique([entry.folder for entry in planned], return_inverse=True)[1]
    return any(tells(one) for one in telltale_facts(facts, labels))
