"""Counts of all sets in one number."""

from decimal import Decimal

from hypothesis import given
from hypothesis import strategies as st

from tests.world import World
from vast_orchard.store.set_codes import counts_by_set

_COUNT = st.integers(0, 500_000)


@given(st.tuples(_COUNT, _COUNT, _COUNT, _COUNT))
def test_the_counts_come_out_of_their_sum(counts: tuple[int, int, int, int]) -> None:
    # As PostgreSQL adds 64-bit numbers: 1 << 63 is the smallest negative one.
    ones = [1, 2**21, 2**42, -(2**63)]
    summed = sum(count * one for count, one in zip(counts, ones, strict=True))
    assert counts_by_set(sum(counts), Decimal(summed)) == counts


def test_a_statement_is_planned_for_what_it_asks_however_often_it_came(world: World) -> None:
    database = world.context.database
    with database.engine.connect() as connection:
        connection.exec_driver_sql("prepare asked as select id from picture where project_id = $1")
        for _ in range(10):
            connection.exec_driver_sql("execute asked(7)")
        plan = "\n".join(row[0] for row in connection.exec_driver_sql("explain execute asked(7)"))
    # A plan for any project would name the parameter there.
    assert "project_id = 7" in plan
