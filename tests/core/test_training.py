"""The training loop: it learns, repeats itself bit for bit, goes on after any epoch, and keeps the best."""

from collections.abc import Mapping
from dataclasses import replace

import numpy as np
import pytest

from vast_orchard.core.arrays import Array
from vast_orchard.core.judging.scores import judge
from vast_orchard.core.network.description import resolved
from vast_orchard.core.network.ready import ready_network
from vast_orchard.core.pictures.preprocessing import Preprocessing
from vast_orchard.core.pictures.standardise import channel_statistics, standardise
from vast_orchard.core.pictures.variation import NO_VARIATION, Variation, operation
from vast_orchard.core.team import Team
from vast_orchard.core.training.begin import begin
from vast_orchard.core.training.kept import figure_kept_by, is_better
from vast_orchard.core.training.loop import predict
from vast_orchard.core.training.recipe import Recipe, recipe_from_json, recipe_to_json
from vast_orchard.core.training.settings import ClassWeights, EndFigure, Keep, OptimizerName, Schedule, TrainingSettings
from vast_orchard.core.training.values import EpochMetrics, EpochResult, Examples, StepResult, TrainingState
from vast_orchard.errors import DescriptionError, MemoryShortError, NonFiniteError, SettingError, ShapeError
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
    network=ready_network("plain 4"),
    preprocessing=Preprocessing(size=16),
    variation=Variation(operations=(operation("mirror"), operation("turn", -10, 10), operation("brightness"))),
    settings=TrainingSettings(epochs=4, batch_size=16, learning_rate=0.01, seed=5),
)


def _train(
    state: TrainingState | None = None, until: int = 99, recipe: Recipe = _RECIPE, threads: int = 1
) -> TrainingState:
    last = None
    for result in begin(recipe, 2, _bars(120, 1), _bars(60, 2), state, team=Team(threads)).results:
        if isinstance(result, EpochResult):
            last = result.state
            if result.metrics.number == until:
                break
    assert last is not None
    return last


def _assert_same(one: Mapping[str, Array], two: Mapping[str, Array]) -> None:
    assert one.keys() == two.keys()
    for name, value in one.items():
        np.testing.assert_array_equal(value, two[name], err_msg=name)


def test_it_learns_what_anyone_can_see() -> None:
    training = begin(_RECIPE, 2, _bars(120, 1), _bars(60, 2))
    state = [result for result in training.results if isinstance(result, EpochResult)][-1].state
    training.network.load(state.kept)
    unseen = _bars(80, 3)
    right = predict(training.network, unseen.pixels, training.statistics).argmax(axis=1) == unseen.labels
    assert right.mean() > 0.9


def test_the_same_seed_gives_the_same_weights_and_another_does_not() -> None:
    one, two = _train(), _train()
    _assert_same(one.network, two.network)
    _assert_same(one.optimizer, two.optimizer)
    assert one.history == two.history
    settings = TrainingSettings(epochs=4, batch_size=16, learning_rate=0.01, seed=6)
    other = _train(recipe=replace(_RECIPE, variation=Variation(), settings=settings))
    assert not np.array_equal(other.network["conv_block_1_conv_1.weights"], one.network["conv_block_1_conv_1.weights"])


@pytest.mark.parametrize("until", [3, 5, 6])  # before its condition is met, right then, and while it closes
def test_an_early_end_is_the_same_when_the_training_was_interrupted(until: int) -> None:
    settings = replace(
        _RECIPE.settings, epochs=20, end_when=EndFigure.TRAINING_LOSS, end_change=50.0, end_within=3, end_not_before=5
    )
    recipe = replace(_RECIPE, settings=settings)
    whole = _train(recipe=recipe)
    assert [entry.number for entry in whole.history] == [1, 2, 3, 4, 5, 6, 7]
    # From the height of the planned course down to nothing, in steps of the two epochs that close.
    rates = [entry.figures["learning_rate"] for entry in whole.history]
    assert rates[4] > rates[5] > rates[6] > 0
    assert rates[6] < rates[4] / 50
    _assert_same(_train(_train(until=until, recipe=recipe), recipe=recipe).network, whole.network)


def test_one_thread_and_three_give_the_same_weights_and_figures() -> None:
    one, three = _train(), _train(threads=3)
    _assert_same(one.network, three.network)
    _assert_same(one.optimizer, three.optimizer)
    assert one.history == three.history


@pytest.mark.parametrize("optimizer", OptimizerName)
@pytest.mark.parametrize("stopped_after", [1, 3])
def test_going_on_after_an_epoch_is_as_if_never_stopped(stopped_after: int, optimizer: OptimizerName) -> None:
    settings = TrainingSettings(
        epochs=4, batch_size=16, learning_rate=0.01, seed=5, optimizer=optimizer, schedule=Schedule.RISE_AND_FALL,
        clip_norm=1, label_smoothing=0.1, class_weights=ClassWeights.BALANCED,
    )  # fmt: skip
    recipe = Recipe(network=ready_network("plain 4"), preprocessing=_RECIPE.preprocessing, settings=settings)
    whole = _train(recipe=recipe)
    # Through the file form, as a worker that was killed would find it.
    resumed = _train(read_checkpoint(write_checkpoint(_train(until=stopped_after, recipe=recipe))), recipe=recipe)
    _assert_same(whole.network, resumed.network)
    _assert_same(whole.optimizer, resumed.optimizer)
    _assert_same(whole.kept, resumed.kept)
    assert whole.history == resumed.history
    assert whole.kept_epoch == resumed.kept_epoch


@pytest.mark.parametrize(
    ("keep", "kept"),
    [
        # Of equal ones the first: the second epoch's accuracy is met again in the third.
        (Keep.LOWEST_LOSS, [1, 2, 2, 4]),
        (Keep.HIGHEST_ACCURACY, [1, 2, 2, 2]),
        (Keep.HIGHEST_F1, [1, 1, 3, 3]),
        (Keep.LAST, [1, 2, 3, 4]),
    ],
)
def test_what_is_kept_by_hand(keep: Keep, kept: list[int]) -> None:
    losses, accuracies, f1s = (0.9, 0.5, 0.6, 0.4), (0.5, 0.8, 0.8, 0.7), (0.6, 0.5, 0.7, 0.7)
    best, found = None, []
    for number, figures in enumerate(zip(losses, accuracies, f1s, strict=True), 1):
        names = ("validation_loss", "validation_accuracy", "validation_macro_f1")
        epoch = EpochMetrics(number=number, figures=dict(zip(names, figures, strict=True)))
        best = epoch if is_better(epoch, best, keep) else best
        found.append(best.number if best else 0)
    assert found == kept


@pytest.mark.parametrize("keep", Keep)
def test_the_kept_state_is_the_network_of_the_kept_epoch(keep: Keep) -> None:
    recipe = replace(_RECIPE, settings=replace(_RECIPE.settings, keep=keep))
    by_epoch = {}
    for result in begin(recipe, 2, _bars(120, 1), _bars(60, 2)).results:
        if isinstance(result, EpochResult):
            by_epoch[result.metrics.number] = state = result.state
            assert result.kept == (state.kept_epoch == result.metrics.number)
    figure = figure_kept_by(keep)
    if figure is None:
        assert state.kept_epoch == 4
    else:
        values = [entry.figures[figure] for entry in state.history]
        best = min(values) if keep is Keep.LOWEST_LOSS else max(values)
        assert state.kept_epoch == 1 + values.index(best)
    _assert_same(state.kept, by_epoch[state.kept_epoch].network)
    # States that were handed out are not changed by what came after.
    assert [len(entry.history) for entry in by_epoch.values()] == [1, 2, 3, 4]


def test_without_validation_the_last_state_is_kept() -> None:
    results = list(begin(_RECIPE, 2, _bars(120, 1), None).results)
    last = results[-1]
    assert isinstance(last, EpochResult)
    assert last.state.kept_epoch == 4
    assert set(last.metrics.figures) == {"training_loss", "training_accuracy", "learning_rate"}
    # Validation has no say in what is learnt.
    _assert_same(last.state.network, _train().network)


def test_the_macro_f1_of_validation_is_that_of_a_judgement() -> None:
    state, validation = _train(until=1), _bars(60, 2)
    network = begin(_RECIPE, 2, _bars(120, 1), None).network
    network.load(state.network)
    probabilities = predict(network, validation.pixels, channel_statistics(_bars(120, 1).pixels))
    judged = judge(probabilities, validation.labels)
    figures = state.history[0].figures
    assert figures["validation_macro_f1"] == pytest.approx(judged.macro_f1)
    assert figures["validation_accuracy"] == pytest.approx(judged.accuracy)


def test_steps_are_counted_and_cover_every_picture() -> None:
    results = list(begin(_RECIPE, 2, _bars(120, 1), _bars(60, 2)).results)
    steps = [result for result in results if isinstance(result, StepResult)]
    assert [(s.epoch, s.step, s.steps) for s in steps][:9] == [(1, n, 8) for n in range(1, 9)] + [(2, 1, 8)]
    assert len(steps) == 4 * 8


def test_lost_numbers_name_the_layer_the_epoch_and_the_step() -> None:
    running = begin(_RECIPE, 2, _bars(120, 1), _bars(60, 2))
    seen = []
    words = r"In epoch 2, step 3, conv_block_2_conv_1 left the numbers.*Lower the learning rate"
    with pytest.raises(NonFiniteError, match=words):
        for result in running.results:
            seen.append(result)
            if isinstance(result, StepResult) and (result.epoch, result.step) == (2, 2):
                running.network.parameters["conv_block_2_conv_1.weights"][1, 1, 0, 0] = np.inf
    # What the first epoch left is whole, and training goes on from it to the end.
    (good,) = (result.state for result in seen if isinstance(result, EpochResult))
    assert all(np.isfinite(value).all() for value in good.network.values())
    assert good.epoch == good.kept_epoch == 1
    _assert_same(_train(state=good).network, _train().network)


def test_a_lost_gradient_is_named_too() -> None:
    running = begin(_RECIPE, 2, _bars(120, 1), _bars(60, 2))
    network, calls = running.network, 0
    backward = network.backward

    def spoilt(grad: Array) -> None:
        nonlocal calls
        calls += 1
        backward(grad)
        if calls == 3:
            network.gradients["conv_block_2_conv_1.weights"][0, 0, 0, 0] = np.nan

    network.backward = spoilt  # type: ignore[method-assign]
    words = r"In epoch 1, step 3, the gradient of conv_block_2_conv_1.weights left the numbers"
    with pytest.raises(NonFiniteError, match=words):
        list(running.results)
    # The step was not taken with it.
    assert all(np.isfinite(value).all() for value in network.parameters.values())


def test_what_cannot_fit_into_memory_is_refused_before_it_starts() -> None:
    with pytest.raises(MemoryShortError, match=r"A batch of 16 needs about .* GB.*batch size of at most \d+"):
        begin(_RECIPE, 2, _bars(120, 1), _bars(60, 2), memory_bytes=2_400_000)


def test_a_network_for_other_classes_is_refused_before_it_starts() -> None:
    described = resolved(ready_network("plain 4"), (16, 16, 3), 5)
    with pytest.raises(DescriptionError, match="one value for each of 2 classes"):
        begin(replace(_RECIPE, network=described), 2, _bars(20, 1), _bars(20, 2))


def test_balanced_classes_count_alike() -> None:
    many, few = _bars(200, 1), _bars(60, 2)
    keep = np.r_[np.flatnonzero(many.labels == 0), np.flatnonzero(many.labels == 1)[:4]]
    uneven = Examples(pixels=many.pixels[keep], labels=many.labels[keep], identities=many.identities[keep])

    def share_of_the_rare(class_weights: ClassWeights) -> float:
        settings = TrainingSettings(epochs=2, batch_size=16, learning_rate=0.002, class_weights=class_weights)
        recipe = Recipe(
            network=ready_network("plain 4"), preprocessing=Preprocessing(size=16), variation=NO_VARIATION,
            settings=settings,
        )  # fmt: skip
        running = begin(recipe, 2, uneven, few)
        for _ in running.results:
            pass
        return float(predict(running.network, few.pixels, running.statistics)[:, 1].mean())

    assert share_of_the_rare(ClassWeights.BALANCED) > share_of_the_rare(ClassWeights.NONE) + 0.05


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


@pytest.mark.parametrize(
    "bad",
    [
        {"epochs": 0}, {"batch_size": 0}, {"learning_rate": 0}, {"seed": -1}, {"momentum": 1}, {"warm_up": 0.95},
        {"clip_norm": -1}, {"label_smoothing": 1}, {"optimizer": "downhill"}, {"schedule": "weekly"},
        {"class_weights": "some"}, {"step_epochs": 0}, {"learning_rate": float("nan")},
    ],
)  # fmt: skip
def test_settings_outside_their_range_are_refused(bad: dict[str, float | str]) -> None:
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


def test_recipes_survive_json() -> None:
    assert recipe_from_json(recipe_to_json(_RECIPE)) == _RECIPE
    assert recipe_from_json(recipe_to_json(Recipe(variation=NO_VARIATION))).variation.does_nothing
