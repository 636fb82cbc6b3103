"""The made-up sets that measurements train on."""

import numpy as np
import pytest

from vast_orchard.made_up.sets import MADE_UP_SETS, draw_set


@pytest.mark.parametrize("name", MADE_UP_SETS)
def test_a_set_is_the_same_from_its_seed_and_has_all_classes_alike(name: str) -> None:
    classes = len(MADE_UP_SETS[name].classes)
    whole, start, other = draw_set(name, 2 * classes, 5, 24), draw_set(name, classes, 5, 24), draw_set(name, 3, 6, 24)
    assert np.bincount(whole.labels).tolist() == [2] * classes
    assert np.array_equal(whole.pixels[:classes], start.pixels)
    assert not np.array_equal(whole.pixels[:3], other.pixels)
    # No picture is blank, and no two are the same.
    assert whole.pixels.std(axis=(1, 2, 3)).min() > 2
    assert len({picture.tobytes() for picture in whole.pixels}) == len(whole)


def test_a_mirrored_sign_is_of_the_other_class() -> None:
    """In the mean over many hands, a class looks like its partner in a mirror more than like its partner."""
    classes = MADE_UP_SETS["strokes"].classes
    drawn = draw_set("strokes", 150 * len(classes), 1, 24)
    light = drawn.pixels.mean(axis=3)
    # Ink against paper, whichever is darker.
    marks = np.abs(light - np.median(light, axis=(1, 2), keepdims=True))
    means = [marks[drawn.labels == label].mean(axis=0) for label in range(len(classes))]
    for left, right in zip(means[::2], means[1::2], strict=True):
        assert np.abs(left - right[:, ::-1]).sum() < np.abs(left - right).sum()
