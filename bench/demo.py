"""Trains the default network on the snow crystals for several seeds, through `orchard train`, and prints a table.

Usage: .venv/bin/python bench/demo.py [--seeds 1 2 3] [--count 1400]

The first seed is trained twice, and the two files of weights are compared byte for byte.
"""

import argparse
import json
import subprocess
import sys
import tempfile
from pathlib import Path
from typing import Any

# Classes that shade into each other by construction (see `vast_orchard.demo.shapes`).
_SHADING = ({"sectored", "stellar"}, {"stellar", "dendrite"}, {"sectored", "dendrite"}, {"needle", "column"})


def _orchard(*words: str) -> str:
    command = [sys.executable, "-m", "vast_orchard.cli", *words]
    return subprocess.run(command, capture_output=True, text=True, check=True).stdout


def _confused(export: Path, pictures: Path, planted: Path) -> tuple[int, int]:
    """Errors of the shipped script on pictures whose label is true, and how many are in pairs that shade."""
    entries = [e for e in json.loads(planted.read_text())["pictures"] if not e["fault"]]
    with tempfile.TemporaryDirectory() as place:
        subprocess.run([sys.executable, "-m", "zipfile", "-e", str(export), place], check=True)
        paths = [str(pictures / entry["path"]) for entry in entries]
        script = [sys.executable, str(Path(place) / "predict.py"), "--json", *paths]
        lines = subprocess.run(script, capture_output=True, text=True, check=True).stdout.splitlines()
    errors = shading = 0
    for entry, line in zip(entries, lines, strict=True):
        probabilities = json.loads(line)["probabilities"]
        read = max(probabilities, key=probabilities.get)
        if read != entry["true_class"]:
            errors += 1
            shading += {read, entry["true_class"]} in _SHADING
    return errors, shading


def main() -> None:
    """Draw, train, and print."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--seeds", nargs="+", type=int, default=[1, 2, 3])
    parser.add_argument("--count", type=int, default=1400)
    asked = parser.parse_args()
    with tempfile.TemporaryDirectory() as place:
        crystals = Path(place) / "crystals"
        _orchard("demo", str(crystals), "--count", str(asked.count))
        heads = ("seed", "test accuracy", "test loss", "validation accuracy", "kept epoch", "training, s")
        print(f"| {' | '.join((*heads, 'errors in shading pairs'))} |")
        print("|---|---|---|---|---|---|---|")
        for seed in asked.seeds:
            out = Path(place) / f"seed-{seed}"
            words = ("--out", str(out), "--seed", str(seed), "--json")
            found: dict[str, Any] = json.loads(_orchard("train", str(crystals / "ridge-station"), *words))
            errors, shading = _confused(out / "export.zip", crystals, crystals / "planted.json")
            test, validation = found["test"], found["validation"]
            print(
                f"| {seed} | {test['accuracy']:.3f} (of {test['count']}) | {test['loss']:.3f} "
                f"| {validation['accuracy']:.3f} (of {validation['count']}) "
                f"| {found['kept_epoch']} of {found['epochs']} | {found['train_s']:.0f} | {shading} of {errors} |",
                flush=True,
            )
        again = Path(place) / "again"
        first = asked.seeds[0]
        _orchard("train", str(crystals / "ridge-station"), "--out", str(again), "--seed", str(first))
        one, two = (folder / "model.safetensors" for folder in (Path(place) / f"seed-{first}", again))
        print(f"Seed {first} twice: weights identical: {one.read_bytes() == two.read_bytes()}")


if __name__ == "__main__":
    main()
