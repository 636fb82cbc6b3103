"""The paired test against SciPy's binomial test."""

import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.stats import binomtest

from vast_orchard.core.judging.paired import exact_paired_test


@given(st.integers(0, 300), st.integers(0, 300))
def test_it_is_the_exact_binomial_test(gained: int, lost: int) -> None:
    wanted = binomtest(gained, gained + lost).pvalue if gained + lost else 1.0
    assert exact_paired_test(gained, lost) == pytest.approx(wanted, rel=1e-9)


def test_many_pictures_underflow_nothing() -> None:
    assert 0 <= exact_paired_test(5000, 100) < 1e-300
    assert exact_paired_test(7, 5) == pytest.approx(0.7744, abs=1e-4)
