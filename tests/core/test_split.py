"""Splits: stratified, seeded, independent of order; given sets are kept."""

import hashlib
from collections import Counter

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from vast_orchard.core.sets.split import DEFAULT_SHARES, Shares, complete_sets, proposed_shares, stratified_split
from vast_orchard.errors import SplitError
from vast_orchard.types import SetName

_TRAINING, _VALIDATION, _TEST = SetName.TRAINING, SetName.VALIDATION, SetName.TEST


def _names(count: int) -> list[str]:
    return [hashlib.sha256(str(n).encode()).hexdigest() for n in range(count)]


_class_counts = st.dictionaries(st.sampled_from("abcdefg"), st.integers(1, 60), min_size=1)


@given(counts=_class_counts, seed=st.integers(0, 2**63), data=st.data())
@settings(max_examples=80)
def test_every_class_is_met_within_a_picture_and_the_whole_too(
    counts: dict[str, int], seed: int, data: st.DataObject
) -> None:
    labels = [name for name, count in counts.items() for _ in range(count)]
    identities = _names(len(labels))
    chosen = stratified_split(identities, labels, DEFAULT_SHARES, seed)
    by_class = Counter(zip(labels, chosen, strict=True))
    shares = {_TRAINING: 0.7, _VALIDATION: 0.15, _TEST: 0.15}
    for name, count in counts.items():
        for set_name, share in shares.items():
            # Rounding may move one picture, and a lone picture always goes to training.
            assert abs(by_class[name, set_name] - share * count) < 2
        assert by_class[name, _TRAINING] >= 1
    whole = Counter(chosen)
    for set_name, share in shares.items():
        # Of the whole as well; a lone picture that must train is made up for by the classes after it, if there are any.
        assert abs(whole[set_name] - share * len(labels)) < (1 if min(counts.values()) > 1 else 2)
    assert None not in chosen
    order = data.draw(st.permutations(range(len(labels))))
    shuffled = stratified_split([identities[i] for i in order], [labels[i] for i in order], DEFAULT_SHARES, seed)
    assert [chosen[i] for i in order] == shuffled


def test_counts_of_a_plain_case() -> None:
    labels = ["plate"] * 100 + ["needle"] * 20
    chosen = stratified_split(_names(120), labels, DEFAULT_SHARES, 1)
    assert Counter(chosen[:100]) == {_TRAINING: 70, _VALIDATION: 15, _TEST: 15}
    assert Counter(chosen[100:]) == {_TRAINING: 14, _VALIDATION: 3, _TEST: 3}


def test_large_collections_judge_by_a_thousand_pictures_and_no_less_than_a_twentieth() -> None:
    for count, share in ((1, 0.15), (1_400, 0.15), (6_500, 0.15), (10_000, 0.1), (20_000, 0.05), (100_000, 0.05)):
        assert proposed_shares(count) == Shares(training=round(1 - 2 * share, 2), validation=share, test=share), count


def test_another_seed_draws_other_sets() -> None:
    labels, identities = ["a"] * 50, _names(50)
    assert stratified_split(identities, labels, DEFAULT_SHARES, 1) != stratified_split(
        identities, labels, DEFAULT_SHARES, 2
    )


def test_shares_below_one_leave_a_remainder() -> None:
    chosen = stratified_split(_names(100), ["a"] * 100, Shares(training=0.5, validation=0.2, test=0.1), 1)
    assert Counter(chosen) == {_TRAINING: 50, _VALIDATION: 20, _TEST: 10, None: 20}


def test_a_class_with_one_picture_trains() -> None:
    chosen = stratified_split(_names(31), ["a"] * 30 + ["lonely"], DEFAULT_SHARES, 3)
    assert chosen[30] is _TRAINING


@pytest.mark.parametrize("bad", [(0.0, 0.5, 0.5), (0.9, 0.2, 0.0), (0.5, 0.0, 0.5), (1.2, 0.1, -0.3)])
def test_shares_that_make_no_sense_are_refused(bad: tuple[float, float, float]) -> None:
    with pytest.raises(SplitError):
        Shares(training=bad[0], validation=bad[1], test=bad[2])


def test_nothing_cannot_be_divided() -> None:
    with pytest.raises(SplitError, match="no labelled pictures"):
        stratified_split([], [], DEFAULT_SHARES, 1)


def test_given_sets_stay_and_a_missing_one_is_drawn_from_training_only() -> None:
    given_sets = [_TRAINING] * 80 + [_TEST] * 20
    chosen = complete_sets(_names(100), ["a"] * 100, given_sets, DEFAULT_SHARES, 1)
    assert chosen[80:] == [_TEST] * 20
    assert Counter(chosen[:80]) == {_TRAINING: 68, _VALIDATION: 12}


def test_all_given_sets_are_taken_as_they_are() -> None:
    given_sets = [_TRAINING, _VALIDATION, _TEST, None]
    assert complete_sets(_names(4), list("aaaa"), given_sets, DEFAULT_SHARES, 1) == given_sets


def test_without_training_folders_it_says_so() -> None:
    with pytest.raises(SplitError, match="No folder of the pictures is a training set"):
        complete_sets(_names(2), ["a", "b"], [_TEST, None], DEFAULT_SHARES, 1)
