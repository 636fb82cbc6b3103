"""Scores worked out by hand."""

import numpy as np
import pytest

from vast_orchard.core.judging.intervals import wilson_interval
from vast_orchard.core.judging.scores import judge, recalls
from vast_orchard.errors import ShapeError


def _sure(predicted: list[int], classes: int) -> np.ndarray[tuple[int, ...], np.dtype[np.float64]]:
    return np.eye(classes)[predicted]


def test_a_small_case_by_hand() -> None:
    #        predicted  a  b  c
    # true a            2  1  0
    # true b            0  3  0
    # true c            0  0  0   (never occurs; predicted once below)
    labels = np.array([0, 0, 0, 1, 1, 1, 1])
    found = judge(_sure([0, 0, 1, 1, 1, 1, 2], 3), labels)
    assert found.confusion == ((2, 1, 0), (0, 3, 1), (0, 0, 0))
    assert (found.count, found.right) == (7, 5)
    assert found.accuracy == pytest.approx(5 / 7)
    assert found.largest_class_share == pytest.approx(4 / 7)
    a, b, c = found.classes
    assert [a.precision, a.recall, a.f1] == pytest.approx([1, 2 / 3, 4 / 5])
    assert (b.precision, b.recall, b.f1) == (0.75, 0.75, 0.75)
    assert (c.precision, c.recall, c.f1, c.count, c.predicted) == (0.0, None, 0.0, 0, 1)
    # The class that never occurs stands in no mean.
    assert found.macro_precision == pytest.approx((1 + 0.75) / 2)
    assert found.macro_recall == pytest.approx((2 / 3 + 0.75) / 2)
    assert found.macro_f1 == pytest.approx((0.8 + 0.75) / 2)


def test_a_class_never_predicted_has_no_precision_but_counts_as_zero_in_the_mean() -> None:
    found = judge(_sure([0, 0], 2), np.array([0, 1]))
    assert found.classes[1].precision is None
    assert found.macro_precision == pytest.approx((0.5 + 0) / 2)


def test_loss_is_the_mean_of_minus_log_p() -> None:
    found = judge(np.array([[0.5, 0.5], [0.25, 0.75]]), np.array([0, 1]))
    assert found.loss == pytest.approx((np.log(2) + np.log(4 / 3)) / 2)


def test_a_probability_of_zero_costs_much_and_stays_a_number() -> None:
    assert judge(np.array([[1.0, 0.0]]), np.array([1])).loss == pytest.approx(np.log(1e12))


def test_intervals_of_known_cases() -> None:
    # From the formula worked on paper: 18 of 20 lie between 0.699 and 0.972.
    low, high = wilson_interval(18, 20)
    assert (round(low, 3), round(high, 3)) == (0.699, 0.972)
    assert wilson_interval(0, 0) == (0.0, 1.0)
    assert wilson_interval(0, 10)[0] == 0.0
    assert wilson_interval(10, 10)[1] == pytest.approx(1.0)


def test_nothing_cannot_be_judged() -> None:
    with pytest.raises(ShapeError):
        judge(np.zeros((0, 3)), np.zeros(0, int))


def test_recalls_are_those_of_the_classes_that_occur() -> None:
    confusion = np.array([[3, 1, 0], [0, 0, 0], [2, 0, 2]])
    assert recalls(confusion) == (0.75, None, 0.5)
