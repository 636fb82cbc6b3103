"""How sure figures are: against hand-worked values, SciPy's own bootstrap, and simulated truth."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy import stats

from vast_orchard.core.arrays import Array
from vast_orchard.core.judging.answering import POSTS, answering
from vast_orchard.core.judging.bootstrap import bootstrap_interval
from vast_orchard.core.judging.calibration import calibration, fit_temperature, tempered
from vast_orchard.core.judging.five_parts import PARTS, five_parts
from vast_orchard.core.judging.scores_with_intervals import brier_scores, scores_with_intervals
from vast_orchard.core.judging.sureness import sureness

# Seven unequal classes, as many people have.
_SHARES = np.array([7, 10, 15, 13, 15, 12, 28]) / 100


def _drawn(seed: tuple[int, ...], count: int, apart: float = 2.2) -> tuple[Array, Array]:
    """Logits of a network that confuses each class with the next, and the truth."""
    rng = np.random.default_rng(seed)
    labels = rng.choice(len(_SHARES), count, p=_SHARES)
    logits = rng.normal(size=(count, len(_SHARES)))
    logits[np.arange(count), labels] += apart
    logits[np.arange(count), (labels + 1) % len(_SHARES)] += 0.35 * apart
    return 1.7 * logits, labels


def _probabilities(logits: Array) -> Array:
    powers = np.exp(logits - logits.max(axis=1, keepdims=True))
    return np.asarray(powers / powers.sum(axis=1, keepdims=True))


def test_an_interval_is_that_of_another_implementation() -> None:
    sample = np.random.default_rng(4).gamma(0.8, size=60)
    theirs = stats.bootstrap(
        (sample,), np.mean, n_resamples=9999, method="BCa", rng=np.random.default_rng(1)
    ).confidence_interval
    rng = np.random.default_rng(2)
    drawn = sample[rng.integers(0, 60, (9999, 60))].mean(axis=1)
    without = (sample.sum() - sample) / 59
    ours = bootstrap_interval(float(sample.mean()), drawn, without)
    # Both draw their own samples; 9,999 of them place an end within a fiftieth of the interval.
    assert ours == pytest.approx(tuple(theirs), abs=(theirs.high - theirs.low) / 25)


def test_without_an_error_drawing_again_tells_nothing() -> None:
    labels = np.repeat([0, 1], 20)
    overall, classes = scores_with_intervals(np.eye(2)[labels], labels, np.arange(40))
    found = {entry.name: entry for entry in overall}
    assert found["balanced accuracy"].interval is None
    assert found["accuracy"].interval == pytest.approx((0.91238, 1.0), abs=1e-5)  # Wilson, by hand: 1/(1 + z²/40)
    assert (classes[0].f1, classes[0].small) == (None, False)
    assert classes[0].recall == pytest.approx((0.83888, 1.0), abs=1e-5)


def test_figures_by_hand() -> None:
    # The case of test_scores: a 2 of 3 right, b 3 of 4, c never occurs and is said once.
    labels = np.array([0, 0, 0, 1, 1, 1, 1])
    overall, classes = scores_with_intervals(np.eye(3)[[0, 0, 1, 1, 1, 1, 2]], labels, np.arange(7))
    found = {entry.name: entry.value for entry in overall}
    assert found["accuracy"] == pytest.approx(5 / 7)
    assert found["error rate"] == pytest.approx(2 / 7)
    assert found["balanced accuracy"] == pytest.approx((2 / 3 + 3 / 4) / 2)
    assert found["weighted precision"] == pytest.approx((3 * 1 + 4 * 0.75) / 7)
    assert found["weighted F1"] == pytest.approx((3 * 0.8 + 4 * 0.75) / 7)
    assert found["macro F1"] == pytest.approx((0.8 + 0.75) / 2)
    assert found["Brier score"] == pytest.approx(2 * 2 / 7)
    assert [entry.small for entry in classes] == [True, True, True]
    assert (classes[2].recall, classes[2].f1) == (None, None)
    assert classes[2].precision is not None


def test_brier_by_hand() -> None:
    p = np.array([[0.7, 0.2, 0.1], [0.5, 0.5, 0.0]])
    assert brier_scores(p, np.array([0, 2])) == pytest.approx([0.09 + 0.04 + 0.01, 0.25 + 0.25 + 1])


def test_copies_are_one_piece_of_evidence() -> None:
    logits, labels = _drawn((5,), 150)
    p = _probabilities(logits)
    once, _ = scores_with_intervals(p, labels, np.arange(150))
    thrice, _ = scores_with_intervals(np.repeat(p, 3, axis=0), np.repeat(labels, 3), np.repeat(np.arange(150), 3))
    apart, _ = scores_with_intervals(np.repeat(p, 3, axis=0), np.repeat(labels, 3), np.arange(450))
    for one, three, wide in zip(once, thrice, apart, strict=True):
        assert three.value == pytest.approx(one.value)
        if one.name not in ("accuracy", "error rate"):
            assert one.interval is not None and wide.interval is not None
            assert three.interval == pytest.approx(one.interval)
            assert wide.interval[1] - wide.interval[0] < 0.8 * (one.interval[1] - one.interval[0])


@pytest.mark.long
def test_intervals_hold_the_truth_as_often_as_they_say() -> None:
    """A thousand sets of 200 pictures; the truth is that of a million."""
    logits, labels = _drawn((1,), 1_000_000)
    p = _probabilities(logits)
    confusion = np.bincount(labels * 7 + p.argmax(axis=1), minlength=49).reshape(7, 7)
    right, true, said = np.diag(confusion), confusion.sum(axis=1), confusion.sum(axis=0)
    f1 = 2 * right / (true + said)
    truth = {
        "accuracy": right.sum() / true.sum(),
        "balanced accuracy": (right / true).mean(),
        "macro precision": (right / said).mean(),
        "macro F1": f1.mean(),
        "weighted precision": (right / said) @ true / true.sum(),
        "weighted F1": f1 @ true / true.sum(),
        "loss": -np.log(p[np.arange(len(p)), labels]).mean(),
        "Brier score": ((p - np.eye(7)[labels]) ** 2).sum(axis=1).mean(),
    }
    hits = dict.fromkeys(truth, 0)
    for n in range(1000):
        logits, labels = _drawn((7, n), 200)
        for entry in scores_with_intervals(_probabilities(logits), labels, np.arange(200))[0]:
            if entry.name in truth and entry.interval is not None:
                hits[entry.name] += entry.interval[0] <= truth[entry.name] <= entry.interval[1]
    assert all(0.93 <= count / 1000 <= 0.97 for count in hits.values()), hits


def test_the_temperature_that_logits_were_multiplied_by_is_found() -> None:
    rng = np.random.default_rng(3)
    true_logits = rng.normal(scale=2, size=(20_000, 5))
    labels = (_probabilities(true_logits).cumsum(axis=1) > rng.random((20_000, 1))).argmax(axis=1)
    assert fit_temperature((2.5 * true_logits)[None], labels) == pytest.approx(2.5, rel=0.03)
    # Two alike views are one; and the probabilities come true with it.
    two = np.stack([2.5 * true_logits] * 2)
    temperature = fit_temperature(two, labels)
    assert temperature == pytest.approx(2.5, rel=0.03)
    before, after = calibration(tempered(two, 1.0), labels), calibration(tempered(two, 2.5), labels)
    assert before.error > 0.1
    assert after.error < after.error_if_true_high < 0.02
    assert after.loss < before.loss
    assert after.brier < before.brier


@pytest.mark.parametrize("right", [True, False])
def test_where_all_are_right_or_none_there_is_no_temperature(right: bool) -> None:
    logits = np.eye(3, dtype=np.float32)[None] * 4
    assert fit_temperature(logits, np.arange(3) if right else (np.arange(3) + 1) % 3) is None


def test_calibration_by_hand() -> None:
    # Thirty answers of 0.6, half of them right, and thirty of 0.9, of which 27 are.
    p = np.repeat([[0.6, 0.4], [0.9, 0.1]], 30, axis=0)
    labels = np.array([0] * 15 + [1] * 15 + [0] * 27 + [1] * 3)
    found = calibration(p, labels)
    assert [entry.mean for entry in found.bins] == pytest.approx([0.6, 0.6, 0.9, 0.9])
    assert [entry.count for entry in found.bins] == [15] * 4
    assert [entry.right for entry in found.bins] == [15, 0, 15, 12]
    assert found.error == pytest.approx((15 * 0.4 + 15 * 0.6 + 15 * 0.1 + 15 * 0.1) / 60)
    assert found.brier == pytest.approx((15 * 0.32 + 15 * 0.72 + 27 * 0.02 + 3 * 1.62) / 60)


@settings(max_examples=60)
@given(st.lists(st.tuples(st.integers(0, 4), st.integers(0, 12)), min_size=1, max_size=80))
def test_parts_keep_copies_together_and_classes_even(pictures: list[tuple[int, int]]) -> None:
    groups = np.array([group for _, group in pictures])
    labels = np.array([label for label, _ in pictures])
    parts = five_parts(labels, groups)
    firsts: dict[int, tuple[int, int]] = {}
    for place, group in enumerate(groups):
        label, part = firsts.setdefault(int(group), (int(labels[place]), int(parts[place])))
        assert parts[place] == part
    for label in range(5):
        counts = np.bincount([part for of, part in firsts.values() if of == label], minlength=PARTS)
        assert counts.max() - counts.min() <= 1


def test_answering_by_hand() -> None:
    p = np.array([[0.95, 0.05], [0.9, 0.1], [0.8, 0.2], [0.7, 0.3], [0.6, 0.4]])
    labels = np.array([0, 0, 1, 0, 1])
    found = answering(p, labels, np.arange(5))
    at = dict(zip(POSTS, found.posts, strict=True))
    assert [(at[post].answered, at[post].right) for post in (0.0, 0.6, 0.61, 0.75, 0.9, 0.96)] == [
        (5, 3), (5, 3), (4, 3), (3, 2), (2, 2), (0, 0),
    ]  # fmt: skip
    aim = found.aims[0]  # nine of ten right: above the wrong answer of 0.8
    assert (aim.wanted, aim.below, aim.by_class) == (0.9, 0.81, {})


def test_a_part_has_no_say_in_its_own_threshold() -> None:
    """Sure of itself and wrong in one part only: the other four never see it, and let it answer."""
    rng = np.random.default_rng(8)
    top = rng.uniform(0.6, 1, 500)
    parts, labels = np.arange(500) % PARTS, np.zeros(500, np.int64)
    labels[parts == 2] = 1
    found = answering(np.stack([top, 1 - top], axis=1), labels, parts)
    aim = found.aims[0]
    assert aim.below is None or aim.below > 0.9
    # The four others are all right without it only where it is left out.
    assert aim.counted.answered - aim.counted.right >= 90
    assert 0 in aim.by_class


def test_what_is_fitted_is_measured_on_other_pictures() -> None:
    logits, labels = _drawn((9,), 400)
    found = sureness(logits[None], labels, np.arange(400), fit=True)
    assert found.temperature is not None and found.cross_fitted
    flattered = calibration(tempered(logits[None], found.temperature), labels)
    assert found.tempered.loss > flattered.loss
    given = sureness(logits[None], labels, np.arange(400), temperature=found.temperature, fit=False)
    assert (given.temperature, given.cross_fitted) == (found.temperature, False)
    assert given.tempered.loss == pytest.approx(flattered.loss)
    assert given.plain == found.plain


@pytest.mark.parametrize(("count", "classes"), [(1, 2), (3, 3), (40, 100)])
def test_few_pictures_and_many_classes_are_no_failure(count: int, classes: int) -> None:
    rng = np.random.default_rng(count)
    logits = rng.normal(size=(2, count, classes)).astype(np.float32)
    found = sureness(logits, rng.integers(0, classes, count), np.zeros(count, np.int64), fit=True)
    assert len(found.classes) == classes
    assert found.answering.posts[0].answered == count
