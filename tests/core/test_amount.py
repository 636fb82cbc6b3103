"""How long a training is proposed to be."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from vast_orchard.core.training.amount import proposed_epochs, proposed_strength


@pytest.mark.parametrize(
    ("pictures", "epochs"),
    # By hand: 1,000 steps of 19 and of 7 to the epoch; then 52.6 · 10^(-1/3), and both ends.
    [(300, 53), (100, 143), (80, 200), (16, 200), (3000, 24), (400_000, 10)],
)
def test_epochs_follow_the_pictures(pictures: int, epochs: int) -> None:
    assert proposed_epochs(pictures) == epochs


@given(st.integers(1, 200_000), st.integers(1, 4096))
def test_more_pictures_never_get_more_epochs_and_smaller_batches_never_more(pictures: int, batch: int) -> None:
    epochs = proposed_epochs(pictures, batch)
    assert proposed_epochs(pictures + 1, batch) <= epochs
    assert proposed_epochs(pictures, batch + 1) >= epochs


@pytest.mark.parametrize(
    ("pictures", "strength"),
    # Between 300 and 3,000 even in the logarithm, in quarters: borders at 300 · 10^(1/4) and 300 · 10^(3/4).
    [(1, 1.5), (300, 1.5), (533, 1.5), (534, 1.25), (1687, 1.25), (1688, 1.0), (3000, 1.0), (400_000, 1.0)],
)
def test_few_pictures_are_varied_more_strongly(pictures: int, strength: float) -> None:
    assert proposed_strength(pictures) == strength
