"""What stands out in a judged set, against SciPy's distributions, worked cases and draws in which nothing does."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy import stats

from vast_orchard.core.judging.chance import binomial_tail, hypergeometric_tail
from vast_orchard.core.judging.in_short import by_heart, confused_pair, too_sure, weak_class


@given(st.integers(0, 400), st.integers(0, 400), st.floats(0.001, 0.999))
def test_the_binomial_tail_is_that_of_scipy(found: int, count: int, share: float) -> None:
    assert binomial_tail(found, count, share) == pytest.approx(
        stats.binom.sf(found - 1, count, share), rel=1e-8, abs=1e-15
    )


@given(st.data())
def test_the_hypergeometric_tail_is_that_of_scipy(data: st.DataObject) -> None:
    count = data.draw(st.integers(1, 300))
    marked, drawn = data.draw(st.integers(0, count)), data.draw(st.integers(0, count))
    found = data.draw(st.integers(0, drawn))
    expected = stats.hypergeom.sf(found - 1, count, marked, drawn)
    assert hypergeometric_tail(found, drawn, marked, count) == pytest.approx(expected, rel=1e-7, abs=1e-13)


def test_tails_at_their_ends() -> None:
    assert (binomial_tail(0, 5, 0.1), binomial_tail(6, 5, 0.1), binomial_tail(3, 5, 0.0), binomial_tail(3, 5, 1.0)) == (
        1.0, 0.0, 0.0, 1.0,
    )  # fmt: skip
    # Of 4 of which 2 are marked, 2 drawn are both marked once in 6.
    assert hypergeometric_tail(2, 2, 2, 4) == pytest.approx(1 / 6)


def _matrix(rows: list[list[int]]) -> np.ndarray:
    return np.array(rows, np.int64)


def test_the_pair_that_is_confused_most() -> None:
    # Of 13 errors 11 lie between the first two.
    found = confused_pair(_matrix([[40, 6, 0, 1], [5, 40, 0, 0], [0, 1, 40, 0], [0, 0, 0, 40]]))
    assert found is not None
    assert (found.first, found.second, found.errors, found.of) == (0, 1, 11, 13)
    # The rows of both err 12 times, and a third of that would fall on each other by chance; six pairs were looked at.
    assert found.p == pytest.approx(6 * stats.binom.sf(10, 13, 12 / 3 / 13))
    assert confused_pair(_matrix([[40, 9], [9, 40]])) is None  # two classes: there is no other pair
    assert confused_pair(np.diag([5, 5, 5])) is None
    assert confused_pair(_matrix([[9, 1, 0], [0, 9, 1], [1, 0, 9]])) is None


def test_where_errors_fall_anywhere_a_pair_is_seldom_told() -> None:
    random = np.random.default_rng(5)
    told = 0
    for _ in range(300):
        matrix = np.diag([60] * 7)
        for _ in range(30):
            true = random.integers(7)
            matrix[true, (true + random.integers(1, 7)) % 7] += 1
        told += confused_pair(matrix) is not None
    # At most 5 % by the correction, which is careful; 300 draws wander by about 1.3 % around that.
    assert told <= 25


def test_the_class_that_is_read_worst() -> None:
    found = weak_class(_matrix([[97, 3, 0], [2, 98, 0], [10, 5, 25]]))
    assert found is not None
    assert (found.place, found.right, found.count, found.others_right, found.others_count) == (2, 25, 40, 195, 200)
    assert found.p == pytest.approx(3 * stats.hypergeom.sf(14, 240, 20, 40))
    assert weak_class(_matrix([[9, 1], [1, 9]])) is None
    # A class without a picture is not asked about.
    assert weak_class(_matrix([[9, 0, 1], [0, 0, 0], [0, 0, 10]])) is None


def test_answers_that_are_surer_than_they_may_be() -> None:
    assert too_sure(5, 100, 1.0) == pytest.approx(stats.binom.sf(4, 100, 0.01))
    assert too_sure(2, 100, 1.0) is None
    assert too_sure(0, 0, 0.0) is None


def test_what_was_learnt_by_heart() -> None:
    # 2 of 900 that were learnt from are wrong, of others 14 of 200.
    assert by_heart(2, 900, 14, 200) == pytest.approx(stats.hypergeom.sf(13, 1100, 16, 200))
    assert by_heart(60, 900, 14, 200) is None
    assert by_heart(0, 0, 3, 10) is None
    # As many as a project may have.
    assert by_heart(300, 100_000, 90, 20_000) == pytest.approx(stats.hypergeom.sf(89, 120_000, 390, 20_000), rel=1e-6)
