"""What comparing the loop with itself cannot notice, worked out by hand: losses, draws, moments, weights, ranges."""

import copy
from collections import Counter
from dataclasses import replace
from typing import Any

import numpy as np
import pytest

from vast_orchard.core.network import layers as d
from vast_orchard.core.network.description import NetworkDescription
from vast_orchard.core.network.network import Network
from vast_orchard.core.network.plan import plan
from vast_orchard.core.network.ready import ready_network
from vast_orchard.core.pictures.fingerprints import fingerprints
from vast_orchard.core.pictures.operations import KINDS
from vast_orchard.core.pictures.preprocessing import Preprocessing
from vast_orchard.core.pictures.variation import NO_VARIATION, Variation, operation
from vast_orchard.core.pictures.vary import vary
from vast_orchard.core.sets.epoch_order import epoch_order
from vast_orchard.core.sets.grouped import grouped_split
from vast_orchard.core.sets.split import DEFAULT_SHARES, Shares, drawn_place, stratified_split
from vast_orchard.core.training import loop
from vast_orchard.core.training.begin import begin
from vast_orchard.core.training.recipe import Recipe
from vast_orchard.core.training.settings import TrainingSettings
from vast_orchard.core.training.values import EpochResult, Examples, StepResult
from vast_orchard.types import SetName

_TRAINING, _VALIDATION, _TEST = SetName.TRAINING, SetName.VALIDATION, SetName.TEST


def _examples(count: int, seed: int, side: int = 12) -> Examples:
    random = np.random.default_rng(seed)
    return Examples(
        pixels=random.integers(0, 256, (count, side, side, 3), dtype=np.uint8),
        labels=np.arange(count) % 2,
        identities=np.arange(count, dtype=np.uint64) + np.uint64(seed * 1000),
    )


_RECIPE = Recipe(
    network=ready_network("plain 4"),
    preprocessing=Preprocessing(size=12),
    variation=NO_VARIATION,
    settings=TrainingSettings(epochs=3, batch_size=16, learning_rate=1e-3, seed=5),
)


def test_the_loss_of_an_epoch_counts_every_picture_once_and_a_short_last_batch_by_its_size() -> None:
    steps: list[StepResult] = []
    for result in begin(_RECIPE, 2, _examples(37, 1), _examples(10, 2)).results:
        if isinstance(result, StepResult):
            steps.append(result)
            continue
        sizes = [16, 16, 5]
        expected = sum(step.loss * size for step, size in zip(steps, sizes, strict=True)) / 37
        assert result.metrics.figures["training_loss"] == pytest.approx(expected, rel=1e-12)
        # The plain mean over batches, which counts the short one too much, is another number.
        assert abs(float(np.mean([step.loss for step in steps])) - expected) > 1e-6
        steps.clear()


def test_the_loss_that_is_told_is_neither_smoothed_nor_weighted() -> None:
    """In the first step, before anything moved, it is the same whatever is learnt by."""
    some = _examples(16, 1)
    unequal = replace(some, labels=(np.arange(16) > 11).astype(np.int64))
    told = []
    for more in ({"label_smoothing": 0.0}, {"label_smoothing": 0.5}, {"class_weights": "balanced"}):
        recipe = replace(_RECIPE, settings=replace(_RECIPE.settings, epochs=1, **more))
        told.append(next(r.loss for r in begin(recipe, 2, unequal, None).results if isinstance(r, StepResult)))
    assert told == [told[0]] * 3


def test_what_is_drawn_in_a_step_is_drawn_nowhere_else() -> None:
    running = begin(_RECIPE, 2, _examples(40, 1), _examples(10, 2))
    forward, drawn = running.network.forward, []

    def watched(x: Any, random: np.random.Generator) -> Any:
        drawn.append(copy.deepcopy(random).integers(2**62))
        return forward(x, random)

    running.network.forward = watched  # type: ignore[method-assign]
    list(running.results)
    assert len(drawn) == 9
    assert len(set(drawn)) == 9


def test_a_mixed_partner_is_smoothed_and_weighed_like_the_picture_itself() -> None:
    shares, labels = np.array([0.25, 0.0], np.float32), np.array([0, 1])
    weights = np.array([1.0, 3.0, 1.0, 1.0])
    targets, counts = loop._targets(shares, labels[::-1], labels, weights, 0.1)
    # Smoothed, class 0 is (0.925, 0.025, 0.025, 0.025), and class 1 likewise: three quarters of one, one of the other.
    np.testing.assert_allclose(targets[0], [0.70, 0.25, 0.025, 0.025], atol=1e-6)
    np.testing.assert_allclose(targets[1], [0.025, 0.925, 0.025, 0.025], atol=1e-6)
    np.testing.assert_allclose(counts, [0.75 * 1 + 0.25 * 3, 3.0])


def test_every_epoch_has_an_order_of_its_own() -> None:
    labels = np.zeros(30, np.int64)
    orders = [tuple(epoch_order(labels, seed, epoch)[0].tolist()) for seed in (1, 2) for epoch in (1, 2, 3)]
    assert len(set(orders)) == 6
    assert all(sorted(order) == list(range(30)) for order in orders)
    shown: list[tuple[int, ...]] = []
    running = begin(_RECIPE, 2, _examples(30, 1), _examples(10, 2))
    forward = running.network.forward

    def watched(x: Any, random: np.random.Generator) -> Any:
        shown.append(tuple(np.round(np.asarray(x)[:, 0, 0, 0], 5).tolist()))
        return forward(x, random)

    running.network.forward = watched  # type: ignore[method-assign]
    list(running.results)
    # Two steps an epoch: the first batch of each epoch holds other pictures.
    assert len({shown[0], shown[2], shown[4]}) == 3
    assert Counter([*shown[0], *shown[1]]) == Counter([*shown[2], *shown[3]])


def test_the_running_variance_is_that_of_the_population() -> None:
    """Four values of a channel, 0, 2, 4, 6: mean 3, biased variance 5, Bessel's 20/3; a tenth of it is taken over."""
    description = NetworkDescription(
        name="one", input_shape=(1, 1, 1), layers=(d.BatchNorm(), d.Flatten(), d.Dense(outputs=2))
    )
    network = Network(description, 0)
    x = np.array([0, 2, 4, 6], np.float32).reshape(4, 1, 1, 1)
    network.forward(x, np.random.default_rng(0))
    state = network.state()
    assert float(state["batch_norm_1.mean"][0]) == pytest.approx(0.9 * 0 + 0.1 * 3, rel=1e-6)
    assert float(state["batch_norm_1.variance"][0]) == pytest.approx(0.9 * 1 + 0.1 * 20 / 3, rel=1e-6)


def _grouped(groups: int) -> NetworkDescription:
    return NetworkDescription(
        name="groups",
        input_shape=(8, 8, 48),
        layers=(
            d.Conv(channels=96, kernel=3, groups=groups, edge="keep"),
            d.GlobalAveragePool(),
            d.Dense(outputs=2),
        ),
    )


@pytest.mark.parametrize(("groups", "weights"), [(1, 9 * 48 * 96), (4, 9 * 12 * 96), (48, 9 * 1 * 96)])
def test_parameters_of_grouped_convolutions(groups: int, weights: int) -> None:
    network = Network(_grouped(groups), 0)
    # A filter sees the channels of its own group only; and there is a bias for each.
    assert network.parameters["conv_1.weights"].size == weights
    assert plan(_grouped(groups), 2).layers[0].parameters == weights + 96
    assert plan(_grouped(groups), 2).layers[0].multiply_adds == weights * 8 * 8
    # He et al.: variance 2 over the values that one output sums, which are those of its group.
    deviation = float(network.parameters["conv_1.weights"].std())
    assert deviation == pytest.approx(np.sqrt(2 / (9 * 48 / groups)), rel=0.1)


def test_rounding_is_shared_over_the_classes_so_that_the_whole_is_met_too() -> None:
    """Ten classes of five at 70/15/15: each alone would round to 4, 1, 0 or 3, 1, 1; the whole is 35, 7.5, 7.5."""
    labels = [f"class {n // 5}" for n in range(50)]
    chosen = Counter(stratified_split([f"{n:064x}" for n in range(50)], labels, DEFAULT_SHARES, 3))
    assert abs(chosen[_TRAINING] - 35) <= 1
    assert abs(chosen[_VALIDATION] - 7.5) <= 1
    assert abs(chosen[_TEST] - 7.5) <= 1
    thirds = Counter(
        stratified_split([f"{n:064x}" for n in range(40)], [f"c{n // 2}" for n in range(40)],
                         Shares(training=0.5, validation=0.25, test=0.25), 9)
    )  # fmt: skip
    assert (thirds[_TRAINING], thirds[_VALIDATION], thirds[_TEST]) == (20, 10, 10)


def test_places_in_the_drawn_order_are_for_ever() -> None:
    """Pinned: another byte order of the seed, or another hash, would divide every project anew."""
    snow = "5b1c5f7d0a5d8b4ad3c6f3f8b1e9a4dd2f5d4d0a9c5b7e3f1a2b3c4d5e6f7081"
    assert drawn_place(snow, 1).hex() == "feab4d59a71092833b414da2d16bd59e"
    assert drawn_place(snow, 256).hex() == "666dfcb6b3d2eacd4b8815661d25e600"
    assert drawn_place(snow, 2**56).hex() == "d353faf5a9a98f45d5d43968c77c97f8"


def test_pictures_of_a_group_that_are_copies_of_others_stay_with_both() -> None:
    """Keys as `copy_keys` and `group_keys` join them: one key for whatever hangs together."""
    identities = [f"{n:064x}" for n in range(40)]
    keys: list[str | None] = ["a"] * 3 + ["b"] * 3 + [None] * 34
    keys[6], keys[7] = "a", "b"
    for seed in range(20):
        chosen = grouped_split(identities, ["x", "y"] * 20, keys, DEFAULT_SHARES, seed)
        assert len({chosen[n] for n in (0, 1, 2, 6)}) == 1
        assert len({chosen[n] for n in (3, 4, 5, 7)}) == 1


def test_of_sets_that_are_owed_alike_the_first_gets_the_group() -> None:
    """Two groups of ten for two halves: the first drawn goes to training, as the order of the sets says."""
    identities = [f"{n:064x}" for n in range(20)]
    shares = Shares(training=0.5, validation=0.5, test=0.0)
    for seed in range(12):
        chosen = grouped_split(identities, ["x"] * 20, ["a"] * 10 + ["b"] * 10, shares, seed)
        first = min(range(20), key=lambda n: drawn_place(identities[n], seed)) // 10
        assert chosen[10 * first] is _TRAINING
        assert chosen[10 * (1 - first)] is _VALIDATION


_MANY = 4000
_IDENTITIES = np.arange(_MANY, dtype=np.uint64)


def _one(kind: str, low: float, high: float) -> Variation:
    return Variation(operations=(replace(operation(kind, low, high), probability=1.0),))


def test_a_range_by_ratio_is_drawn_as_often_below_its_middle_ratio_as_above() -> None:
    """From 0.25 to 4 the middle by ratio is 1; drawn linearly only a fifth would lie below it."""
    from vast_orchard.core.pictures.vary import _Chances, draws

    assert KINDS["zoom"].by_ratio
    variation = _one("zoom", 0.25, 4)
    values = _Chances(variation, draws(_IDENTITIES, ["zoom"], 1, 1), np.zeros((_MANY, 8))).value("zoom")
    assert values.min() >= 0.25
    assert values.max() <= 4
    assert 0.46 < float((values < 1).mean()) < 0.54
    assert 0.21 < float((values < 0.5).mean()) < 0.29


def _dot(count: int, side: int = 33) -> Any:
    """A bright square in the middle of dark pictures."""
    pixels = np.zeros((count, side, side, 1), np.uint8)
    pixels[:, side // 2 - 1 : side // 2 + 2, side // 2 - 1 : side // 2 + 2] = 255
    return pixels


def _centres(pixels: Any) -> Any:
    weights = pixels[..., 0].astype(float)
    rows, columns = np.mgrid[: weights.shape[1], : weights.shape[2]]
    whole = weights.sum(axis=(1, 2))
    return np.stack([(weights * rows).sum(axis=(1, 2)) / whole, (weights * columns).sum(axis=(1, 2)) / whole], axis=1)


def test_a_shift_goes_down_and_across_by_draws_of_their_own() -> None:
    moved = _centres(vary(_dot(400), _IDENTITIES[:400], _one("shift", -0.2, 0.2), 1, 1)) - 16
    down, across = moved[:, 0], moved[:, 1]
    assert down.std() > 2
    assert across.std() > 2
    assert abs(float(np.corrcoef(down, across)[0, 1])) < 0.15
    # All four quarters are reached.
    assert len({(a > 0, b > 0) for a, b in zip(down, across, strict=True)}) == 4


def test_covered_blocks_are_tall_and_wide_alike() -> None:
    # A chequered ground: whatever evenly covers a part of it, is told from both its colours.
    ground = np.where(np.indices((40, 40)).sum(axis=0) % 2, 240, 160).astype(np.uint8)
    pixels = np.repeat(ground[None, :, :, None], 600, axis=0)
    covered = (vary(pixels, _IDENTITIES[:600], _one("block", 0.1, 0.1), 1, 1) != pixels)[..., 0]
    tall = covered.any(axis=2).sum(axis=1)
    wide = covered.any(axis=1).sum(axis=1)
    assert (tall > 0).all()
    assert 0.4 < float((tall > wide).mean()) < 0.6
    ratio = np.maximum(tall, wide) / np.minimum(tall, wide)
    assert ratio.max() <= 2.4  # at most twice as long as it is wide, but for whole pixels
    # A tenth of the area, whatever the shape.
    assert abs(float((tall * wide).mean()) - 160) < 8


def test_noise_repeats_in_no_other_pixel_picture_or_epoch() -> None:
    grey = np.full((40, 24, 24, 3), 128, np.uint8)
    noise = _one("noise", 0.08, 0.08)
    first, second = (vary(grey, _IDENTITIES[:40], noise, 1, epoch).astype(float) - 128 for epoch in (1, 2))

    def alike(one: Any, two: Any) -> float:
        return abs(float(np.corrcoef(one.ravel(), two.ravel())[0, 1]))

    assert abs(first.std() - 0.08 * 255) < 1
    assert alike(first, second) < 0.03
    assert alike(first[:20], first[20:]) < 0.03
    assert alike(first[:, :, 1:], first[:, :, :-1]) < 0.03  # its neighbour to the left
    assert alike(first[:, 1:], first[:, :-1]) < 0.03  # and above
    assert alike(first[..., 0], first[..., 1]) < 0.03  # and in another colour
    assert alike(first[:, :12], first[:, 12:]) < 0.03  # a tile further down


def test_brightness_of_a_fingerprint_is_that_of_the_eye() -> None:
    """Pure blue is dark, green bright: 0.114 and 0.587 of white."""
    tiles = np.zeros((4, 24, 24, 3), np.uint8)
    tiles[0, ..., 2] = tiles[1, ..., 1] = tiles[2, ..., 0] = 255
    tiles[3] = 255
    means = fingerprints(tiles)[:, 35]
    np.testing.assert_allclose(means / means[3], [0.114, 0.587, 0.299, 1.0], atol=1e-5)


def test_an_epoch_result_is_of_the_epoch_that_ended() -> None:
    results = [r for r in begin(_RECIPE, 2, _examples(20, 1), _examples(10, 2)).results if isinstance(r, EpochResult)]
    assert [result.metrics.number for result in results] == [1, 2, 3]
