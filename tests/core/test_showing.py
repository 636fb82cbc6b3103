"""What an epoch shows: mixed pictures with shared labels, and classes drawn equally often."""

from collections import Counter

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from vast_orchard.core.arrays import Array
from vast_orchard.core.pictures.showing import ShownPictures
from vast_orchard.core.pictures.variation import Operation, Variation, operation
from vast_orchard.core.sets.epoch_order import ClassDraws, epoch_order, shown_per_class
from vast_orchard.core.training.settings import ClassWeights, TrainingSettings
from vast_orchard.errors import SettingError


def _mixing(kind: str, concentration: float = 1.0) -> Variation:
    return Variation(operations=(Operation(kind=kind, probability=1.0, low=concentration, high=concentration),))


def _levels(count: int) -> tuple[Array, Array]:
    """Pictures that are each of one level, and their identities in no order."""
    pixels = np.repeat(np.arange(count, dtype=np.uint8), 20 * 20).reshape(count, 20, 20, 1) * 10
    return pixels, np.random.default_rng(3).permutation(count).astype(np.uint64) * np.uint64(977)


def test_blended_pictures_lie_between_two_as_their_labels_do() -> None:
    pixels, identities = _levels(20)
    shown = ShownPictures(pixels.__getitem__, identities, _mixing("blend"), 1).show(np.arange(20), 1)
    for place in range(20):
        own, other, share = place * 10, int(shown.partners[place]) * 10, shown.shares[place]
        assert np.abs(shown.pixels[place] - (own * (1 - share) + other * share)).max() <= 0.51
    assert len(set(shown.partners.tolist())) > 8
    assert shown.shares.std() > 0.2  # a Beta of concentration 1 is even


def test_pasted_parts_are_as_large_as_their_share_of_the_label() -> None:
    pixels, identities = _levels(20)
    shown = ShownPictures(pixels.__getitem__, identities, _mixing("paste"), 1).show(np.arange(20), 1)
    for place in range(20):
        partner = int(shown.partners[place])
        if partner == place:
            continue
        pasted = shown.pixels[place, :, :, 0] == partner * 10
        assert pasted.mean() == pytest.approx(shown.shares[place])
        rows, columns = pasted.any(axis=1), pasted.any(axis=0)
        assert pasted.sum() == rows.sum() * columns.sum()  # one rectangle


@given(order=st.permutations(range(12)), size=st.integers(1, 12), epoch=st.integers(1, 50))
@settings(max_examples=25)
def test_mixing_does_not_depend_on_order_or_batch(order: list[int], size: int, epoch: int) -> None:
    pixels, identities = _levels(12)
    both = Variation(operations=(operation("turn"), operation("blend"), operation("paste")))
    whole = ShownPictures(pixels.__getitem__, identities, both, 4).show(np.arange(12), epoch)
    moved = np.array(order)
    part = ShownPictures(pixels[moved].__getitem__, identities[moved], both, 4).show(np.arange(size), epoch)
    np.testing.assert_array_equal(part.pixels, whole.pixels[moved[:size]])
    np.testing.assert_array_equal(moved[part.partners], whole.partners[moved[:size]])
    np.testing.assert_array_equal(part.shares, whole.shares[moved[:size]])


def test_partners_come_from_the_pool_alone() -> None:
    pixels, identities = _levels(20)
    pool = np.array([3, 5, 11])
    shown = ShownPictures(pixels.__getitem__, identities, _mixing("blend"), 1, pool=pool).show(np.arange(20), 1)
    assert set(shown.partners.tolist()) == {3, 5, 11}


def test_small_concentrations_leave_one_picture_in_front() -> None:
    pixels, identities = _levels(20)
    shares = [
        ShownPictures(pixels.__getitem__, identities, _mixing("blend", 0.1), 1).show(np.arange(20), epoch).shares
        for epoch in range(1, 30)
    ]
    # Of a Beta of 0.1 four in five lie within a tenth of 0 or 1.
    assert (np.abs(np.concatenate(shares) - 0.5) > 0.4).mean() > 0.7


def test_an_epoch_shows_each_picture_once_unless_told_otherwise() -> None:
    labels = np.array([0] * 30 + [1] * 6 + [2] * 3)
    places, repeats = epoch_order(labels, 1, 1)
    assert sorted(places.tolist()) == list(range(39))
    assert not repeats.any()


@given(counts=st.lists(st.integers(1, 40), min_size=1, max_size=6), seed=st.integers(0, 99), epoch=st.integers(1, 9))
@settings(max_examples=50)
def test_balanced_draws_show_classes_alike_and_no_picture_ahead_of_its_class(
    counts: list[int], seed: int, epoch: int
) -> None:
    labels = np.repeat(np.arange(len(counts)), counts)
    places, repeats = epoch_order(labels, seed, epoch, ClassDraws.BALANCED)
    assert len(places) == len(labels)
    shown = Counter(labels[places].tolist())
    assert max(shown.values()) - min(shown.get(label, 0) for label in range(len(counts))) <= 1
    assert shown == {x: n for x, n in shown_per_class(dict(enumerate(counts)), ClassDraws.BALANCED).items() if n}
    for label in range(len(counts)):
        times = Counter(places[labels[places] == label].tolist())
        full = [times.get(place, 0) for place in np.flatnonzero(labels == label).tolist()]
        assert max(full) - min(full) <= 1
    # How often a picture was shown before counts up from nothing.
    for place in set(places.tolist()):
        assert sorted(repeats[places == place].tolist()) == list(range((places == place).sum()))


def test_rare_classes_are_helped_in_one_way_only() -> None:
    with pytest.raises(SettingError, match="one of the two"):
        TrainingSettings(class_weights=ClassWeights.BALANCED, class_draws=ClassDraws.BALANCED)
