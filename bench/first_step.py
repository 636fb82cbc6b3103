"""Times the first training step of a fresh process, with compiled kernels in the cache and without.

Usage: .venv/bin/python bench/first_step.py

"asked" begins with the process itself, so imports count; the training worker has them behind it.
"""

import os
import subprocess
import sys
import tempfile

_STEP = """
import time
began = time.perf_counter()
import numpy as np
from vast_orchard.core.team import Team
from vast_orchard.core.training.begin import begin
from vast_orchard.core.training.recipe import Recipe
from vast_orchard.core.training.values import Examples
imported = time.perf_counter()
random = np.random.default_rng(0)
examples = Examples(
    pixels=random.integers(0, 256, (1000, 48, 48, 3), dtype=np.uint8),
    labels=np.arange(1000) % 7,
    identities=np.arange(1000, dtype=np.uint64),
)
next(begin(Recipe(), 7, examples, examples, team=Team(len(os.sched_getaffinity(0)))).results)
print(f"{imported - began:.2f} s of imports, {time.perf_counter() - imported:.2f} s to the first step")
"""


def main() -> None:
    """Cold once, then warm three times."""
    with tempfile.TemporaryDirectory() as folder:
        environment = {**os.environ, "VAST_ORCHARD_KERNEL_CACHE_DIR": folder}
        environment.pop("NUMBA_CACHE_DIR", None)
        for name in ("cold", "warm", "warm", "warm"):
            command = [sys.executable, "-c", "import os" + _STEP]
            done = subprocess.run(command, env=environment, capture_output=True, text=True, check=True)
            print(f"{name}: {done.stdout.strip()}")


if __name__ == "__main__":
    main()
