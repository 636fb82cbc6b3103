"""Compiled kernels: all of them are made ahead, kept between processes, and right on smaller processors too."""

import json
import os
import subprocess
import sys
from pathlib import Path
from typing import Any

import pytest

from vast_orchard.kernel_cache import kernel_folder, use_kernel_cache


def _python(script: str, **environment: str) -> Any:
    """Run in a fresh process; what it prints last is JSON."""
    done = subprocess.run(
        [sys.executable, "-W", "error", "-c", script],
        capture_output=True,
        text=True,
        check=False,
        env={**{k: v for k, v in os.environ.items() if k != "NUMBA_CACHE_DIR"}, **environment},
    )
    assert done.returncode == 0, done.stderr
    return json.loads(done.stdout.splitlines()[-1])


_MISSED = """
import json
from vast_orchard.core.warm_up import kernels
every = kernels()
print(json.dumps({
    "kernels": len(every),
    "missed": sorted(name for name, kernel in every.items() if sum(kernel.stats.cache_misses.values())),
    "twice": sorted(name for name, kernel in every.items() if len(kernel.signatures) > 1),
}))
"""

# A training and an answer as the application makes them, with kinds of layers and sizes that warming up does not use.
_WORK = """
import numpy as np
from vast_orchard.core.network import layers as d
from vast_orchard.core.network.description import NetworkDescription
from vast_orchard.core.pictures.preprocessing import Preprocessing
from vast_orchard.core.team import Team
from vast_orchard.core.training.begin import begin
from vast_orchard.core.training.loop import predict
from vast_orchard.core.training.recipe import Recipe
from vast_orchard.core.training.settings import TrainingSettings
from vast_orchard.core.training.values import Examples
random = np.random.default_rng(0)
np.save(PATH, random.integers(0, 256, (40, 16, 16, 3), dtype=np.uint8))
pixels = np.load(PATH, mmap_mode="r")
examples = Examples(pixels=pixels, labels=np.arange(40) % 2, identities=np.arange(40, dtype=np.uint64))
network = NetworkDescription(name="x", input_shape=(16, 16, 3), layers=(
    d.Conv(channels=40, stride=2, groups=1), d.SiLU(), d.Conv(channels=20, groups=4, dilation=2), d.BatchNorm(),
    d.LeakyReLU(id="a"), d.Conv(channels=20, id="b"), d.Add(inputs=("a", "b")), d.MaxPool(kernel=3, stride=1),
    d.Dropout(), d.Flatten(), d.Dense(outputs=2)))
for optimizer in ("adam", "sgd"):
    settings = TrainingSettings(epochs=1, batch_size=16, optimizer=optimizer, nesterov=True)
    recipe = Recipe(network=network, preprocessing=Preprocessing(size=16), settings=settings)
    running = begin(recipe, 2, examples, examples, team=Team(2))
    for _ in running.results:
        pass
predict(running.network, pixels, running.statistics, Team(2))
"""


@pytest.mark.long
def test_everything_is_compiled_ahead_and_loaded_afterwards(tmp_path: Path) -> None:
    folder = {"VAST_ORCHARD_KERNEL_CACHE_DIR": str(tmp_path)}
    warm = "from vast_orchard.core.warm_up import warm_up\nwarm_up()\n"
    cold = _python(warm + _MISSED, **folder)
    assert cold["kernels"] > 20
    assert len(cold["missed"]) == cold["kernels"]
    again = _python(f"PATH = {str(tmp_path / 'pixels.npy')!r}\n" + _WORK + _MISSED, **folder)
    assert again["missed"] == again["twice"] == []


_NARROW = """
import json
import numpy as np
from vast_orchard.core.ops._vectors import LANES
from vast_orchard.core.ops.conv2d import conv2d, conv2d_backward
from vast_orchard.core.ops.pooling import max_pool, max_pool_backward
random = np.random.default_rng(0)
x, w = random.standard_normal((2, 9, 7, 5)), random.standard_normal((3, 3, 5, 21))
y = conv2d(x, w)
gradient = conv2d_backward(x, w, y)
out, winners = max_pool(y)
back = max_pool_backward(winners, out, y.shape)
print(json.dumps([LANES, *[float(np.abs(a).sum()) for a in (y, *gradient, out, back)]]))
"""


@pytest.mark.long
def test_a_processor_with_shorter_registers_computes_the_same(tmp_path: Path) -> None:
    # Numba is told to compile for a processor of ten years ago; every one that runs these tests knows its instructions.
    older = {"NUMBA_CPU_NAME": "haswell", "NUMBA_CPU_FEATURES": "+avx,+avx2,+fma,+sse4.2,+bmi,+bmi2,+f16c"}
    narrow = _python(_NARROW, VAST_ORCHARD_KERNEL_CACHE_DIR=str(tmp_path / "narrow"), **older)
    here = _python(_NARROW, VAST_ORCHARD_KERNEL_CACHE_DIR=str(tmp_path / "here"))
    assert narrow[0] == 8
    assert narrow[1:] == pytest.approx(here[1:], rel=1e-10)


def test_the_folder_is_the_one_that_is_set_and_follows_the_version() -> None:
    given = kernel_folder({"VAST_ORCHARD_KERNEL_CACHE_DIR": "/somewhere"})
    assert given.parent == Path("/somewhere")
    assert kernel_folder({"XDG_CACHE_HOME": "/cache"}) == Path("/cache/vast-orchard/kernels") / given.name
    environment = {"VAST_ORCHARD_KERNEL_CACHE_DIR": "/somewhere"}
    use_kernel_cache(environment)
    assert environment["NUMBA_CACHE_DIR"] == str(given)
    told = {"NUMBA_CACHE_DIR": "/elsewhere"}
    use_kernel_cache(told)
    assert told == {"NUMBA_CACHE_DIR": "/elsewhere"}


def test_an_account_without_a_home_is_no_mistake(monkeypatch: pytest.MonkeyPatch) -> None:
    def no_home() -> Path:
        raise RuntimeError("Could not determine home directory.")

    monkeypatch.setattr(Path, "home", no_home)
    environment: dict[str, str] = {}
    use_kernel_cache(environment)
    assert environment == {}
