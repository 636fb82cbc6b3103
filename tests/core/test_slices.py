"""Slices: the test against SciPy's and by hand, a hard class that hides behind a fact, and measures of pictures."""

import math

import numpy as np
import pytest
from scipy import stats
from scipy.ndimage import gaussian_filter

from vast_orchard.core.judging.slices import Slice, SliceCounts, telling_slices
from vast_orchard.core.pictures.measures import measure


def _case(*cells: tuple[int, int, int, int]) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Within, wrong and labels, from each class's wrong and right pictures within and without."""
    within, wrong, labels = [], [], []
    for label, (a, b, c, d) in enumerate(cells):
        within += [True] * (a + b) + [False] * (c + d)
        wrong += [True] * a + [False] * b + [True] * c + [False] * d
        labels += [label] * (a + b + c + d)
    return np.array(within), np.array(wrong), np.array(labels)


def _told(slices: list[tuple[str, np.ndarray]], wrong: np.ndarray, labels: np.ndarray) -> tuple[Slice, ...]:
    """By who lies within and who was read wrongly, picture by picture."""

    def counts(within: np.ndarray) -> SliceCounts:
        parts = (np.ones(len(labels), bool), wrong, within, within & wrong)
        total, errors, inside, both = (np.array([(part & (labels == c)).sum() for c in range(8)]) for part in parts)
        return SliceCounts(total=total, errors=errors, inside=inside, wrong_inside=both)

    return telling_slices([(name, counts(within)) for name, within in slices])


def test_of_one_class_it_is_the_test_of_four_fields() -> None:
    within, wrong, labels = _case((20, 40, 15, 125))
    (found,) = _told([("dark", within)], wrong, labels)
    chi = stats.chi2_contingency([[20, 40], [15, 125]], correction=False).statistic
    assert found.p == pytest.approx(stats.chi2.sf(chi * 199 / 200, 1), rel=1e-9)
    assert found.times == pytest.approx((20 / 60) / (15 / 140))
    assert (found.count, found.wrong) == (60, 20)


def test_of_two_classes_by_hand() -> None:
    within, wrong, labels = _case((10, 10, 5, 35), (8, 22, 4, 46))
    (found,) = _told([("dark", within)], wrong, labels)
    apart = (10 - 20 * 15 / 60) + (8 - 30 * 12 / 80)
    spread = 20 * 40 * 15 * 45 / (60**2 * 59) + 30 * 50 * 12 * 68 / (80**2 * 79)
    assert found.p == pytest.approx(math.erfc(math.sqrt(apart**2 / spread / 2)))
    assert found.times == pytest.approx((10 * 40 / 60 + 8 * 50 / 80) / (5 * 20 / 60 + 4 * 30 / 80))


def test_a_class_that_is_hard_anyway_makes_no_slice() -> None:
    """Nearly all dark ones are of the class that is often wrong, in the dark and in the light alike."""
    within, wrong, labels = _case((45, 45, 5, 5), (1, 9, 9, 81))
    assert stats.chi2_contingency([[46, 54], [14, 86]]).pvalue < 1e-5
    assert _told([("dark", within)], wrong, labels) == ()


def test_probabilities_are_corrected_for_all_that_was_looked_at() -> None:
    within, wrong, labels = _case((18, 42, 14, 126))
    (alone,) = _told([("dark", within)], wrong, labels)
    rng = np.random.default_rng(3)
    others = [(f"other {n}", rng.permutation(within)) for n in range(9)]
    corrected = _told([*others, ("dark", within)], wrong, labels)
    assert [one.p for one in corrected if one.name == "dark"] == pytest.approx([10 * alone.p])
    # One that passes alone does not among many.
    weak = _case((13, 47, 14, 126))
    assert len(_told([("dark", weak[0])], *weak[1:])) == 1
    crowd = [(f"other {n}", rng.permutation(weak[0])) for n in range(9)]
    assert "dark" not in [one.name for one in _told([*crowd, ("dark", weak[0])], *weak[1:])]
    # A slice of too few pictures is not looked at, and costs nothing.
    tiny = np.zeros(200, bool)
    tiny[:19] = True
    assert _told([("dark", within), ("tiny", tiny), ("most", ~tiny)], wrong, labels) == (alone,)


def test_fewer_errors_and_no_errors_are_no_slice() -> None:
    within, wrong, labels = _case((2, 98, 30, 70))
    assert _told([("bright", within)], wrong, labels) == ()
    assert _told([("bright", within)], np.zeros(200, bool), labels) == ()
    (found,) = _told([("dark", ~within)], ~within & wrong, labels)
    assert found.times == math.inf


def test_chance_alone_is_seldom_told() -> None:
    """Twenty draws of errors by chance, six facts each: one of them may be told."""
    told = 0
    for draw in range(20):
        rng = np.random.default_rng([5, draw])
        labels, wrong = rng.integers(0, 7, 3000), rng.random(3000) < 0.08
        facts = [(str(n), rng.random(3000) < 0.2) for n in range(6)]
        told += bool(_told(facts, wrong, labels))
    assert told <= 1


def test_sharpness_falls_with_blur_and_contrast_with_light() -> None:
    rng = np.random.default_rng(2)
    picture = gaussian_filter(rng.normal(size=(80, 90)), 0.7)
    picture = np.clip(128 + 60 * picture / picture.std() / 2, 0, 255).astype(np.uint8)
    sharp = measure(picture)
    blurred = [measure(gaussian_filter(picture.astype(float), sigma).astype(np.uint8)).sharpness for sigma in (1, 2, 4)]
    assert sharp.sharpness > blurred[0] > blurred[1] > blurred[2]
    dim = measure((picture * 0.5).astype(np.uint8))
    assert dim.contrast == pytest.approx(sharp.contrast / 2, rel=0.03)
    assert dim.sharpness == pytest.approx(sharp.sharpness, rel=0.05)


@pytest.mark.parametrize("shape", [(1, 1), (3, 200)])
def test_an_even_picture_has_neither(shape: tuple[int, int]) -> None:
    even = measure(np.full(shape, 90, np.uint8))
    assert (even.contrast, even.sharpness) == (0, 0)
