"""`orchard bench variations`: what varying pictures takes, beside what training on them takes."""

import json
import statistics
import time
from typing import Annotated

import numpy as np
import typer

from vast_orchard.cli.bench_networks import bn_96
from vast_orchard.cli.terminal import AsJson, console
from vast_orchard.core.pictures.operations import KINDS, Family
from vast_orchard.core.pictures.preprocessing import Preprocessing
from vast_orchard.core.pictures.variation import NO_VARIATION, Variation, operation
from vast_orchard.core.pictures.vary import vary
from vast_orchard.core.team import Team
from vast_orchard.core.training.begin import begin
from vast_orchard.core.training.recipe import Recipe
from vast_orchard.core.training.settings import TrainingSettings
from vast_orchard.core.training.values import EpochResult, Examples
from vast_orchard.jobs.engine import make_ready, make_team
from vast_orchard.settings import read_settings

__all__ = ["EVERYDAY", "bench_variations"]

_BATCH = 64
_REPEATS = 5
_LEAST_S = 0.5
_STEPS = 6  # of an epoch that is timed

# Every picture gets every operation; mirroring has no half way.
EVERYDAY = Variation(
    operations=(
        operation("mirror"),
        operation("turn", -180, 180),
        *(operation(kind, probability=1.0) for kind in ("shift", "zoom", "brightness", "contrast", "noise")),
    )
)


def _varied_per_s(variation: Variation, pixels: Examples, team: Team) -> float:
    began, done = time.perf_counter(), 0
    while (spent := time.perf_counter() - began) < _LEAST_S:
        vary(pixels.pixels, pixels.identities, variation, 1, done + 1, team)
        done += 1
    return done * len(pixels) / spent


def _epoch_s(variation: Variation, examples: Examples, validation: Examples, team: Team) -> float:
    """The second of two epochs, so that nothing is counted that happens once."""
    recipe = Recipe(
        network=bn_96(),
        preprocessing=Preprocessing(size=96),
        variation=variation,
        settings=TrainingSettings(epochs=2, batch_size=_BATCH),
    )
    running = begin(recipe, 10, examples, validation, team=team)
    began = 0.0
    for result in running.results:
        if isinstance(result, EpochResult) and result.metrics.number == 1:
            began = time.perf_counter()
    return time.perf_counter() - began


def bench_variations(
    threads: Annotated[int, typer.Option(help="0 means one for each processor.")] = 0,
    as_json: AsJson = False,
) -> None:
    """Varied pictures of 96×96 a second beside the training of bn-96, and what an epoch costs more with them."""
    words = console()
    make_ready(words.print)
    team = make_team(read_settings(threads=threads or None))
    random = np.random.default_rng(0)
    count = _STEPS * _BATCH
    examples = Examples(
        pixels=random.integers(0, 256, (count, 96, 96, 3), dtype=np.uint8),
        labels=np.arange(count) % 10,
        identities=np.arange(count, dtype=np.uint64),
    )
    few = Examples(pixels=examples.pixels[:10], labels=examples.labels[:10], identities=examples.identities[:10])
    varied, plain_s, varied_s = [], [], []
    words.print("Measuring the everyday variation and epochs with and without it")
    for _ in range(_REPEATS):
        varied.append(_varied_per_s(EVERYDAY, examples, team))
        plain_s.append(_epoch_s(NO_VARIATION, examples, few, team))
        varied_s.append(_epoch_s(EVERYDAY, examples, few, team))
    words.print("Measuring each operation alone")
    alone = {
        kind.name: round(_varied_per_s(Variation(operations=(operation(kind.name, probability=1.0),)), examples, team))
        for kind in KINDS.values()
        if kind.family is not Family.MIXING
    }
    trained = count / statistics.median(plain_s)
    found = {
        "threads": team.threads,
        "varied_images_per_s": round(statistics.median(varied)),
        "train_images_per_s": round(trained, 1),
        "augment_to_train_ratio": round(statistics.median(varied) / trained, 2),
        "epoch_cost_ratio": round(statistics.median(varied_s) / statistics.median(plain_s), 3),
        "alone_images_per_s": alone,
    }
    if as_json:
        print(json.dumps(found))
        return
    print(
        f"{found['varied_images_per_s']:,} varied pictures a second, {found['augment_to_train_ratio']} times what bn-96"
        f" trains on; an epoch takes {found['epoch_cost_ratio']} times as long with the variation."
    )
