"""A training gone through again on more pictures takes the same steps at the same rates, to the same step."""

from dataclasses import replace

import numpy as np
import pytest

from vast_orchard.core.network.ready import ready_network
from vast_orchard.core.pictures.preprocessing import Preprocessing
from vast_orchard.core.pictures.variation import Variation, operation
from vast_orchard.core.sets.epoch_order import ClassDraws, epoch_order, stretch_order
from vast_orchard.core.training.begin import begin
from vast_orchard.core.training.recipe import Recipe
from vast_orchard.core.training.repeated import Repeated, repeated_from, unwatched
from vast_orchard.core.training.settings import EndFigure, Keep, TrainingSettings
from vast_orchard.core.training.values import EpochResult, Examples, StepResult, TrainingState

SETTINGS = TrainingSettings(epochs=4, batch_size=8, learning_rate=0.01, seed=3)
RECIPE = Recipe(
    network=ready_network("plain 4"),
    preprocessing=Preprocessing(size=16),
    variation=Variation(operations=(operation("mirror"), operation("brightness"))),
    settings=SETTINGS,
)


def _examples(count: int, seed: int) -> Examples:
    random = np.random.default_rng(seed)
    labels = np.arange(count) % 2
    pixels = random.integers(0, 60, (count, 16, 16, 3), dtype=np.uint8)
    pixels[labels == 1, 4:8] = 220
    return Examples(pixels=pixels, labels=labels, identities=random.integers(0, 2**63, count).astype(np.uint64))


def _run(
    examples: Examples, repeated: Repeated | None, state: TrainingState | None = None, recipe: Recipe = RECIPE
) -> tuple[list[StepResult], list[EpochResult]]:
    steps, epochs = [], []
    for result in begin(recipe, 2, examples, None, state, repeated=repeated).results:
        if isinstance(result, StepResult):
            steps.append(result)
        else:
            epochs.append(result)
    return steps, epochs


def test_on_the_same_pictures_it_comes_to_the_same_weights() -> None:
    # Forty pictures are five whole steps, so that an epoch is a pass over them either way.
    examples = _examples(40, 1)
    once, again = _run(examples, None)[1], _run(examples, Repeated(epoch_steps=5, until=4))[1]
    for name, value in once[-1].state.network.items():
        np.testing.assert_array_equal(value, again[-1].state.network[name])


def test_on_more_pictures_steps_and_rates_stay_and_every_picture_is_shown() -> None:
    one, two = _run(_examples(40, 1), None), _run(_examples(58, 2), Repeated(epoch_steps=5, until=4))
    assert [(step.epoch, step.step) for step in one[0]] == [(step.epoch, step.step) for step in two[0]]
    rates = [[epoch.metrics.figures["learning_rate"] for epoch in epochs] for _, epochs in (one, two)]
    assert rates[0] == rates[1]
    shown = np.concatenate([stretch_order(np.zeros(58, np.int64), 3, n, 40)[0] for n in (1, 2, 3, 4)])
    assert len(shown) == 160
    assert sorted(np.bincount(shown, minlength=58))[0] >= 2  # 160 showings are two passes and the most of a third


def test_it_goes_on_after_any_of_its_epochs() -> None:
    examples, repeated = _examples(58, 2), Repeated(epoch_steps=5, until=4)
    whole = _run(examples, repeated)[1]
    rest = _run(examples, repeated, whole[1].state)[1]
    for name, value in whole[-1].state.network.items():
        np.testing.assert_array_equal(value, rest[-1].state.network[name])


def test_what_ended_early_is_repeated_with_its_early_fall_of_the_rate() -> None:
    settings = replace(SETTINGS, epochs=30, reach=EndFigure.TRAINING_ACCURACY, reach_value=0.6)
    epochs = _run(_examples(40, 1), None, recipe=replace(RECIPE, settings=settings))[1]
    history = epochs[-1].state.history
    assert len(history) < 30
    repeated = repeated_from(history, len(history), settings, 40)
    assert repeated.epoch_steps == 5
    again = _run(_examples(58, 2), repeated, recipe=replace(RECIPE, settings=unwatched(settings)))[1]
    assert [one.metrics.figures["learning_rate"] for one in again] == [one.figures["learning_rate"] for one in history]


def test_nothing_that_validates_is_left() -> None:
    chosen = TrainingSettings(keep=Keep.LOWEST_LOSS, end_when=EndFigure.VALIDATION_LOSS, time_limit=3)
    left = unwatched(chosen)
    assert (left.keep, left.end_when, left.reach, left.time_limit) == (Keep.LAST, EndFigure.NONE, EndFigure.NONE, 0)


@pytest.mark.parametrize("draws", list(ClassDraws))
def test_stretches_one_after_the_other_are_passes_one_after_the_other(draws: ClassDraws) -> None:
    labels = np.array([0, 0, 0, 1, 1, 0, 0])
    passes = np.concatenate([epoch_order(labels, 5, n, draws)[0] for n in range(1, 13)])
    for count in (3, 7, 10, 20):
        stretches = [stretch_order(labels, 5, n, count, draws) for n in range(1, 5)]
        order = np.concatenate([one for one, _ in stretches])
        np.testing.assert_array_equal(order, passes[: 4 * count])
        for one, repeats in stretches:
            pairs = list(zip(one.tolist(), repeats.tolist(), strict=True))
            assert len(set(pairs)) == count
