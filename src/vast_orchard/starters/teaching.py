"""How a starter is taught: pictures of drawn classes, a ready network that names them, and what is kept of it."""

from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from itertools import repeat
from multiprocessing import get_context

import numpy as np

from vast_orchard.core.arrays import Array, FloatArray
from vast_orchard.core.network.ready import ready_network
from vast_orchard.core.pictures.preprocessing import Preprocessing
from vast_orchard.core.team import Team
from vast_orchard.core.training.begin import Training, begin
from vast_orchard.core.training.recipe import Recipe
from vast_orchard.core.training.settings import Keep, OptimizerName, TrainingSettings
from vast_orchard.core.training.values import Examples
from vast_orchard.starters.drawings import draw_picture, drawn_class

__all__ = ["Lesson", "begin_teaching", "draw_pictures", "drawn_examples", "half"]

# Chosen in a first trial: of 0.003 and 0.001 the higher, and with so many pictures larger batches cost nothing.
_RATE, _DECAY, _WARM_UP, _BATCH = 0.003, 0.02, 0.05, 64
# Enough to see how far it has come; of small lessons a twentieth.
_VALIDATION, _VALIDATION_SHARE = 2000, 20


@dataclass(frozen=True, kw_only=True)
class Lesson:
    """What a starter learns from."""

    network: str  # a ready one
    seed: int = 1
    classes: int = 1000
    pictures: int = 100  # of each class
    epochs: int = 8
    side: int = Preprocessing().size


def _of_class(seed: int, number: int, first: int, count: int, side: int) -> Array:
    made = drawn_class(seed, number)
    found = [draw_picture(made, np.random.default_rng([seed, number, 3, first + n]), side) for n in range(count)]
    return np.stack(found)


def draw_pictures(seed: int, classes: int, count: int, side: int, *, first: int = 0, processes: int = 1) -> Array:
    """Pictures of all classes.

    Shape (count · classes, side, side, 3), uint8; the class of picture n is n modulo `classes`. The same whatever the
    number of processes.
    """
    asked = (repeat(seed), range(classes), repeat(first), repeat(count), repeat(side))
    if processes == 1:
        drawn = list(map(_of_class, *asked))
    else:
        with ProcessPoolExecutor(processes, mp_context=get_context("spawn")) as pool:
            drawn = list(pool.map(_of_class, *asked, chunksize=8))
    return np.stack(drawn, axis=1).reshape(-1, side, side, 3)


def drawn_examples(lesson: Lesson, processes: int) -> tuple[Examples, Examples]:
    """What to learn from, and as much again as is needed to see how far it has come."""
    judged = min(_VALIDATION, lesson.classes * lesson.pictures // _VALIDATION_SHARE)
    last = max(1, -(-judged // lesson.classes))
    sets = []
    for first, count in ((0, lesson.pictures), (lesson.pictures, last)):
        pixels = draw_pictures(lesson.seed, lesson.classes, count, lesson.side, first=first, processes=processes)
        labels = np.arange(len(pixels)) % lesson.classes
        identities = np.arange(len(pixels), dtype=np.uint64) + np.uint64(first * lesson.classes)
        sets.append(Examples(pixels=pixels, labels=labels, identities=identities))
    return sets[0], sets[1]


def begin_teaching(lesson: Lesson, training: Examples, validation: Examples, team: Team) -> Training:
    """A training that is ready to run."""
    settings = TrainingSettings(
        epochs=lesson.epochs, batch_size=_BATCH, learning_rate=_RATE, optimizer=OptimizerName.ADAMW,
        weight_decay=_DECAY, warm_up=_WARM_UP, label_smoothing=0.0, keep=Keep.LAST, seed=lesson.seed,
    )  # fmt: skip
    recipe = Recipe(
        network=ready_network(lesson.network), preprocessing=Preprocessing(size=lesson.side), settings=settings
    )
    return begin(recipe, lesson.classes, training, validation, team=team)


def half(weights: dict[str, FloatArray], head: str) -> dict[str, Array]:
    """Weights in half precision, (…) float16, without the layer `head`, whose outputs are drawn classes."""
    kept = {name: value for name, value in weights.items() if name.partition(".")[0] != head}
    return {name: np.ascontiguousarray(value, np.float16) for name, value in kept.items()}
