"""What a network's arithmetic comes to, and how that becomes a time."""

from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from vast_orchard.core.network import layers as d
from vast_orchard.core.network.blocks import ConvBlock, Head
from vast_orchard.core.network.description import NetworkDescription, resolved
from vast_orchard.core.network.effort import Effort, effort_of, expected
from vast_orchard.core.network.plan import plan
from vast_orchard.core.network.ready import READY_NETWORKS, ready_network

_PICTURE = (8, 8, 3)


def _effort(*parts: d.Layer | ConvBlock | Head) -> Effort:
    described = resolved(NetworkDescription(name="test", layers=parts), _PICTURE, 2)
    return effort_of(plan(described).layers, _PICTURE)


def test_effort_counts_what_each_layer_reads() -> None:
    found = _effort(ConvBlock(channels=4), d.MaxPool(), d.SiLU(), Head(dropout=0.0))
    # Normalisation of 8×8×4; the pooling reads 256 values, the activation 4×4×4, the mean the same.
    assert (found.normalised, found.moved) == (256, 256 + 64 + 64)
    # A filter of 3×3×3 for each channel, two numbers of the norm for each, and four weights and a bias for two classes.
    assert found.parameters == 108 + 8 + 10
    # The norm's products are counted too, as everywhere.
    assert found.multiply_adds == 108 * 64 + 256 + 8


def test_a_pace_of_two_takes_twice_as_long() -> None:
    one, two = (
        expected(_effort(ConvBlock(channels=4), Head()), _PICTURE, pace, training=100, validation=30, batch_size=16)
        for pace in (1.0, 2.0)
    )
    assert two.epoch_s == pytest.approx(2 * one.epoch_s)
    assert two.answer_s == pytest.approx(2 * one.answer_s)


@given(
    st.integers(1, 500), st.integers(0, 200), st.integers(1, 64), st.integers(0, 9),
    st.sampled_from(["training", "validation", "operations"]),
)  # fmt: skip
def test_more_to_do_never_takes_less(training: int, validation: int, batch: int, operations: int, more: str) -> None:
    effort = _effort(ConvBlock(channels=4), Head())
    given_: dict[str, Any] = {"training": training, "validation": validation, "operations": operations}
    one, two = (
        expected(effort, _PICTURE, 1.0, batch_size=batch, **lesson).epoch_s
        for lesson in (given_, {**given_, more: given_[more] + 1})
    )
    assert two > one


def test_ready_networks_are_ordered_by_what_they_hold_and_take() -> None:
    counts, times = [], []
    for name in READY_NETWORKS:
        described = resolved(ready_network(name), (48, 48, 3), 7)
        effort = effort_of(plan(described).layers, described.input_shape)
        counts.append(effort.parameters)
        times.append(expected(effort, described.input_shape, 1.0, training=100, batch_size=32).epoch_s)
    assert counts == sorted(counts) and times == sorted(times)
    # What the smallest and the largest are meant to be.
    assert 20_000 < counts[0] < 30_000 and 2_500_000 < counts[-1] < 3_500_000
