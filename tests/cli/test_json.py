"""What a command prints with `--json` is one object on standard output and nothing else, whatever it has to log."""

import json
import subprocess
import sys

import pytest


@pytest.mark.parametrize(
    ("words", "names"),
    [
        ("plan medium", {"layers", "parameters"}),
        ("bench records --runs 5 --pictures 60", {"ledger_2000_ms", "start_run_100k_s", "snapshots"}),
        ("bench engine --only tiny", {"threads", "networks"}),
        ("bench rows --count 300 --copies 200", {"sift_p95_over_count", "relabel_10k_s", "copies_s"}),
    ],
)
@pytest.mark.long
def test_standard_output_is_the_result_alone(words: str, names: set[str]) -> None:
    command = [sys.executable, "-m", "vast_orchard.cli", *words.split(), "--json"]
    done = subprocess.run(command, capture_output=True, text=True, check=False)
    assert done.returncode == 0, done.stderr[-2000:]
    assert names <= json.loads(done.stdout).keys()
