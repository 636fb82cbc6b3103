"""Which unlabelled pictures are most worth labelling first: by hand, and what is unlike over any number."""

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from vast_orchard.core.judging.worth import worth_labelling


def test_the_most_doubtful_comes_first_and_its_like_is_passed_over() -> None:
    # Margins 0.02, 0.04, 0.2 and 0.9; the second is the same picture once more.
    probabilities = np.array([[0.51, 0.49], [0.52, 0.48], [0.6, 0.4], [0.95, 0.05]])
    features = np.array([[1.0, 0.0], [1.0, 0.0], [0.0, 1.0], [-1.0, 0.0]])
    # Doubt times distance: 0.8 · 1 for the third against 0 and 0.1 · 2; then 0.1 · 1, for the fourth, against 0.
    assert worth_labelling(probabilities, features).tolist() == [0, 2, 3, 1]


def test_without_unlike_ones_margins_alone_count() -> None:
    probabilities = np.array([[0.9, 0.1], [0.5, 0.5], [0.7, 0.3]])
    assert worth_labelling(probabilities, np.zeros((3, 4))).tolist() == [1, 2, 0]
    assert worth_labelling(np.ones((3, 1)), np.zeros((3, 4))).tolist() == [0, 1, 2]


@given(st.integers(1, 700), st.integers(2, 4), st.integers(0, 9))
def test_every_picture_has_one_place_and_the_first_is_the_most_doubtful(count: int, classes: int, seed: int) -> None:
    random = np.random.default_rng(seed)
    probabilities = random.dirichlet(np.ones(classes), count)
    features = random.normal(size=(count, 5))
    features /= np.linalg.norm(features, axis=1, keepdims=True)
    order = worth_labelling(probabilities, features)
    assert sorted(order.tolist()) == list(range(count))
    ranked = np.sort(probabilities, axis=1)
    margins = ranked[:, -1] - ranked[:, -2]
    assert margins[order[0]] == margins.min()
