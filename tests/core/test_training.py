"""The training loop: it learns, repeats itself bit for bit, goes on after any epoch, and keeps the best."""

import numpy as np
import pytest

from vast_orchard.core.arrays import Array
from vast_orchard.core.pictures.preprocessing import Preprocessing
from vast_orchard.core.pictures.standardise import channel_statistics, standardise
from vast_orchard.core.pictures.variation import NO_VARIATION, Variation
from vast_orchard.core.training.loop import predict
from vast_orchard.core.training.recipe import Recipe, begin, recipe_from_json, recipe_to_json
from vast_orchard.core.training.schedule import cosine_rate
from vast_orchard.core.training.values import EpochResult, Examples, StepResult, TrainingSettings, TrainingState
from vast_orchard.errors import NonFiniteError, SettingError, ShapeError
from vast_orchard.formats.checkpoint_file import read_checkpoint, write_checkpoint


def _bars(count: int, seed: int, side: int = 16) -> Examples:
    """Two classes anyone can tell apart: a bright bar that lies, and one that stands."""
    random = np.random.default_rng(seed)
    pixels = random.integers(0, 60, (count, side, side, 3), dtype=np.uint8)
    labels = random.integers(0, 2, count)
    for picture, label in zip(pixels, labels, strict=True):
        at = int(random.integers(2, side - 4))
        if label:
            picture[2:-2, at : at + 2] = 220
        else:
            picture[at : at + 2, 2:-2] = 220
    return Examples(pixels=pixels, labels=labels, identities=random.integers(0, 2**63, count).astype(np.uint64))


_RECIPE = Recipe(
    network="very small",
    preprocessing=Preprocessing(size=16),
    variation=Variation(turn_degrees=10),
    settings=TrainingSettings(epochs=4, batch_size=16, learning_rate=0.01, seed=5),
)


def _train(state: TrainingState | None = None, until: int = 99, recipe: Recipe = _RECIPE) -> TrainingState:
    last = None
    for result in begin(recipe, 2, _bars(120, 1), _bars(60, 2), state).results:
        if isinstance(result, EpochResult):
            last = result.state
            if result.metrics.number == until:
                break
    assert last is not None
    return last


def _assert_same(one: dict[str, Array], two: dict[str, Array]) -> None:
    assert one.keys() == two.keys()
    for name, value in one.items():
        np.testing.assert_array_equal(value, two[name], err_msg=name)


def test_it_learns_what_anyone_can_see() -> None:
    training = begin(_RECIPE, 2, _bars(120, 1), _bars(60, 2))
    state = [result for result in training.results if isinstance(result, EpochResult)][-1].state
    training.network.load(state.best)
    unseen = _bars(80, 3)
    right = predict(training.network, unseen.pixels, training.statistics).argmax(axis=1) == unseen.labels
    assert right.mean() > 0.9


def test_the_same_seed_gives_the_same_weights_and_another_does_not() -> None:
    one, two = _train(), _train()
    _assert_same(one.network, two.network)
    _assert_same(one.optimizer, two.optimizer)
    assert one.history == two.history
    settings = TrainingSettings(epochs=4, batch_size=16, learning_rate=0.01, seed=6)
    other = _train(recipe=Recipe(network="very small", preprocessing=_RECIPE.preprocessing, settings=settings))
    assert not np.array_equal(other.network["01_conv2d.weights"], one.network["01_conv2d.weights"])


@pytest.mark.parametrize("optimizer", ["adam", "momentum"])
@pytest.mark.parametrize("stopped_after", [1, 3])
def test_going_on_after_an_epoch_is_as_if_never_stopped(stopped_after: int, optimizer: str) -> None:
    settings = TrainingSettings(epochs=4, batch_size=16, learning_rate=0.01, seed=5, optimizer=optimizer)
    recipe = Recipe(network="very small", preprocessing=_RECIPE.preprocessing, settings=settings)
    whole = _train(recipe=recipe)
    # Through the file form, as a worker that was killed would find it.
    resumed = _train(read_checkpoint(write_checkpoint(_train(until=stopped_after, recipe=recipe))), recipe=recipe)
    _assert_same(whole.network, resumed.network)
    _assert_same(whole.optimizer, resumed.optimizer)
    _assert_same(whole.best, resumed.best)
    assert whole.history == resumed.history
    assert (whole.best_epoch, whole.best_loss) == (resumed.best_epoch, resumed.best_loss)


def test_the_kept_state_is_that_of_the_lowest_validation_loss() -> None:
    state = _train()
    losses = [entry.validation_loss for entry in state.history]
    assert state.best_epoch == 1 + losses.index(min(losses))
    assert state.best_loss == min(losses)


def test_steps_are_counted_and_cover_every_picture() -> None:
    results = list(begin(_RECIPE, 2, _bars(120, 1), _bars(60, 2)).results)
    steps = [result for result in results if isinstance(result, StepResult)]
    assert [(s.epoch, s.step, s.steps) for s in steps][:9] == [(1, n, 8) for n in range(1, 9)] + [(2, 1, 8)]
    assert len(steps) == 4 * 8


def test_a_loss_that_is_no_number_ends_with_its_mend() -> None:
    running = begin(_RECIPE, 2, _bars(120, 1), _bars(60, 2))
    running.network.parameters["18_dense.weights"][:] = np.inf
    with np.errstate(all="ignore"), pytest.raises(NonFiniteError, match=r"epoch 1, step 1.*Lower the learning rate"):
        list(running.results)


def test_bad_examples_are_refused() -> None:
    good = _bars(10, 1)
    with pytest.raises(ShapeError, match="reach from 0 to 7"):
        bad = Examples(pixels=good.pixels, labels=np.r_[good.labels[:-1], 7], identities=good.identities)
        list(begin(_RECIPE, 2, bad, good).results)
    with pytest.raises(ShapeError, match="validation set is empty"):
        list(begin(_RECIPE, 2, good, _bars(0, 1)).results)
    with pytest.raises(ShapeError, match="9 labels"):
        Examples(pixels=good.pixels, labels=good.labels[:-1], identities=good.identities)
    with pytest.raises(ShapeError, match="not uint8"):
        Examples(pixels=good.pixels.astype(float), labels=good.labels, identities=good.identities)


@pytest.mark.parametrize("bad", [{"epochs": 0}, {"batch_size": 0}, {"learning_rate": 0}, {"seed": -1}])
def test_settings_outside_their_range_are_refused(bad: dict[str, int]) -> None:
    with pytest.raises(SettingError, match="Choose"):
        TrainingSettings(**bad)  # type: ignore[arg-type]


def test_statistics_come_from_what_they_are_given_only() -> None:
    pixels = np.zeros((4, 2, 2, 2), np.uint8)
    pixels[:2, ..., 0] = 100  # first channel: half 100, half 0; second channel: never changes
    statistics = channel_statistics(pixels)
    assert statistics.mean == (50.0, 0.0)
    assert statistics.deviation == (50.0, 1.0)
    np.testing.assert_array_equal(np.unique(standardise(pixels, statistics)[..., 0]), [-1, 1])


def test_the_loop_measures_the_training_pictures_alone() -> None:
    training, validation = _bars(40, 1), _bars(40, 2)
    bright = Examples(
        pixels=np.full_like(validation.pixels, 255), labels=validation.labels, identities=validation.identities
    )
    assert begin(_RECIPE, 2, training, bright).statistics == begin(_RECIPE, 2, training, validation).statistics


def test_the_rate_rises_then_falls_to_zero() -> None:
    rates = [cosine_rate(step, 200, 0.1) for step in range(200)]
    assert rates[:10] == sorted(rates[:10])
    assert max(rates) == 0.1
    assert rates[10:] == sorted(rates[10:], reverse=True)
    assert rates[-1] < 1e-4


def test_recipes_survive_json() -> None:
    assert recipe_from_json(recipe_to_json(_RECIPE)) == _RECIPE
    assert recipe_from_json(recipe_to_json(Recipe(variation=NO_VARIATION))).variation.does_nothing
