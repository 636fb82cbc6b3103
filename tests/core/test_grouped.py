"""Division of groups, top-up and folds: nothing is cut, shares are met as nearly as groups allow."""

import hashlib
from collections import Counter

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from vast_orchard.core.sets.amounts import Numbers, shares_of
from vast_orchard.core.sets.grouped import grouped_split, stratified_folds, told_fit, topped_up
from vast_orchard.core.sets.split import DEFAULT_SHARES, Shares
from vast_orchard.errors import SplitError
from vast_orchard.types import SetName


def _identity(n: int) -> str:
    return hashlib.sha256(str(n).encode()).hexdigest()


def _heap(sizes: list[int], classes: int = 3) -> tuple[list[str], list[str], list[str | None]]:
    """Groups of these sizes with classes in turn; a size of 1 is a picture without a key."""
    identities: list[str] = []
    labels: list[str] = []
    keys: list[str | None] = []
    for group, size in enumerate(sizes):
        for _ in range(size):
            identities.append(_identity(len(identities)))
            labels.append(f"class {(group + len(identities)) % classes}")
            keys.append(f"group {group}" if size > 1 else None)
    return identities, labels, keys


@given(sizes=st.lists(st.integers(1, 9), min_size=6, max_size=60), seed=st.integers(0, 2**32 - 1))
@settings(max_examples=60)
def test_groups_are_never_cut_and_no_set_is_left_empty(sizes: list[int], seed: int) -> None:
    identities, labels, keys = _heap(sizes)
    chosen = grouped_split(identities, labels, keys, DEFAULT_SHARES, seed)
    for key in set(keys) - {None}:
        assert len({name for name, other in zip(chosen, keys, strict=True) if other == key}) == 1
    assert set(chosen) == set(SetName)


@given(order=st.randoms(use_true_random=False), seed=st.integers(0, 999))
@settings(max_examples=25)
def test_the_order_of_import_and_the_names_of_groups_do_not_matter(order: object, seed: int) -> None:
    identities, labels, keys = _heap([5, 1, 3, 1, 1, 4, 2, 1, 1, 6])
    chosen = dict(zip(identities, grouped_split(identities, labels, keys, DEFAULT_SHARES, seed), strict=True))
    places = list(range(len(identities)))
    order.shuffle(places)  # type: ignore[attr-defined]
    renamed = [None if keys[n] is None else f"other {keys[n]}" for n in places]
    again = grouped_split([identities[n] for n in places], [labels[n] for n in places], renamed, DEFAULT_SHARES, seed)
    assert dict(zip([identities[n] for n in places], again, strict=True)) == chosen


def test_shares_are_met_for_the_whole_and_for_each_class() -> None:
    identities, labels, keys = _heap([4, 3, 2, 1, 1, 1] * 60)
    chosen = grouped_split(identities, labels, keys, DEFAULT_SHARES, 3)
    whole, got = Counter(labels), Counter(zip(labels, chosen, strict=True))
    for label, count in whole.items():
        for name, share in ((SetName.TRAINING, 0.7), (SetName.VALIDATION, 0.15), (SetName.TEST, 0.15)):
            assert abs(got[label, name] - share * count) <= 2


def test_a_remainder_stays_in_no_set_and_numbers_are_shares() -> None:
    identities, labels, keys = _heap([2] * 100)
    chosen = Counter(grouped_split(identities, labels, keys, shares_of(Numbers(training=100, validation=40), 200), 1))
    assert chosen == {SetName.TRAINING: 100, SetName.VALIDATION: 40, None: 60}
    for numbers, words in ((Numbers(training=190, validation=20), "210 pictures are asked for, and there are 200"),):
        with pytest.raises(SplitError, match=words):
            shares_of(numbers, 200)
    with pytest.raises(SplitError, match="at least one"):
        Numbers(training=10, validation=0)


def test_too_few_groups_are_said() -> None:
    identities, labels, _ = _heap([1] * 9)
    with pytest.raises(SplitError, match="in 2 groups, and 3 sets"):
        grouped_split(identities, labels, ["a"] * 5 + ["b"] * 4, DEFAULT_SHARES, 1)
    with pytest.raises(SplitError, match="no labelled pictures"):
        grouped_split([], [], [], DEFAULT_SHARES, 1)


def test_topping_up_moves_nothing_and_keeps_groups_together() -> None:
    identities, labels, keys = _heap([3, 2, 1, 1] * 40)
    old = 160
    before: list[SetName | None] = [
        *grouped_split(identities[:old], labels[:old], keys[:old], DEFAULT_SHARES, 1),
        *[None] * (len(identities) - old),
    ]
    # The first new picture is a copy of one in the test set.
    in_test = before.index(SetName.TEST)
    keys[in_test] = keys[old] = "late copy"
    after = topped_up(identities, labels, keys, before, DEFAULT_SHARES, 1)
    assert after[:old] == before[:old]
    assert after[old] is SetName.TEST
    assert None not in after
    got = Counter(after)
    assert got[SetName.TRAINING] / len(after) == pytest.approx(0.7, abs=0.02)


@given(sizes=st.lists(st.integers(1, 6), min_size=12, max_size=60), count=st.integers(2, 6), seed=st.integers(0, 99))
@settings(max_examples=40)
def test_folds_hold_every_picture_once_and_cut_no_group(sizes: list[int], count: int, seed: int) -> None:
    identities, labels, keys = _heap(sizes)
    folds = stratified_folds(identities, labels, keys, count, seed)
    assert set(folds) == set(range(count))
    for key in set(keys) - {None}:
        assert len({fold for fold, other in zip(folds, keys, strict=True) if other == key}) == 1


def test_folds_of_single_pictures_have_the_same_class_shares() -> None:
    identities, labels, keys = _heap([1] * 300)
    folds = stratified_folds(identities, labels, keys, 5, 1)
    counts = Counter(zip(folds, labels, strict=True))
    assert set(counts.values()) == {20}
    with pytest.raises(SplitError, match="1 folds"):
        stratified_folds(identities, labels, keys, 1, 1)
    with pytest.raises(SplitError, match="there are 3 pictures"):
        stratified_folds(identities[:3], labels[:3], keys[:3], 4, 1)


def test_what_could_not_be_met_has_its_reason() -> None:
    labels = ["plate"] * 20 + ["needle"] * 4
    keys = ["series"] * 16 + [None] * 8
    chosen: list[SetName | None] = []
    chosen.extend([SetName.TRAINING] * 16 + [SetName.VALIDATION] * 2 + [SetName.TEST] * 2)
    chosen.extend((SetName.TRAINING, SetName.TRAINING, SetName.VALIDATION, SetName.TEST))
    told = {(met.label, met.set_name): met for met in told_fit(labels, keys, chosen, Shares())}
    plates = told["plate", SetName.TRAINING]
    assert (plates.wanted, plates.got, plates.because) == (14, 16, "a group of 16 is never cut")
    assert told["needle", SetName.TRAINING].because == ""
