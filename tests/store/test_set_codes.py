"""Counts of all sets in one number."""

from decimal import Decimal

from hypothesis import given
from hypothesis import strategies as st

from vast_orchard.store.set_codes import counts_by_set

_COUNT = st.integers(0, 500_000)


@given(st.tuples(_COUNT, _COUNT, _COUNT, _COUNT))
def test_the_counts_come_out_of_their_sum(counts: tuple[int, int, int, int]) -> None:
    # As PostgreSQL adds 64-bit numbers: 1 << 63 is the smallest negative one.
    ones = [1, 2**21, 2**42, -(2**63)]
    summed = sum(count * one for count, one in zip(counts, ones, strict=True))
    assert counts_by_set(sum(counts), Decimal(summed)) == counts
