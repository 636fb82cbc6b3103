"""How long a training is proposed to be."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from vast_orchard.core.training.amount import proposed_epochs


@pytest.mark.parametrize(
    ("pictures", "epochs"),
    # By hand: 500 steps of 10 and of 4 to the epoch; then 50 · 10^-0.25, and both ends.
    [(300, 50), (100, 125), (80, 150), (3000, 28), (400_000, 10)],
)
def test_epochs_follow_the_pictures(pictures: int, epochs: int) -> None:
    assert proposed_epochs(pictures) == epochs


@given(st.integers(1, 200_000), st.integers(1, 4096))
def test_more_pictures_never_get_more_epochs_and_smaller_batches_never_more(pictures: int, batch: int) -> None:
    epochs = proposed_epochs(pictures, batch)
    assert proposed_epochs(pictures + 1, batch) <= epochs
    assert proposed_epochs(pictures, batch + 1) >= epochs
