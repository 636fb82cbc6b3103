"""Preprocessing: what cannot be is refused, and the proposed size follows the pictures."""

from typing import Any

import numpy as np
import pytest

from vast_orchard.core.pictures.preprocessing import Preprocessing, preprocessing_from_json, proposed_size
from vast_orchard.core.pictures.standardise import scale_statistics, standardise
from vast_orchard.errors import SettingError


@pytest.mark.parametrize(
    ("bad", "words"),
    [
        ({"size": 7}, "input size is 7"),
        ({"fit": "cut"}, "fit is 'cut'"),
        ({"colour": "blue"}, "colour is 'blue'"),
        ({"scale": "none"}, "scale is 'none'"),
        ({"views": "all"}, "views is 'all'"),
        ({"border": (0, 0, 300)}, "border colour"),
        ({"ground": (0, 0)}, "ground colour"),
    ],
)
def test_what_cannot_be_is_refused(bad: dict[str, Any], words: str) -> None:
    with pytest.raises(SettingError, match=words):
        Preprocessing(**bad)


def test_what_version_0_5_stored_means_what_it_meant() -> None:
    assert preprocessing_from_json({"size": 48, "colour": "rgb", "ground": [0, 0, 0]}) == Preprocessing()


@pytest.mark.parametrize(
    ("sides", "size"),
    [([10, 12, 14], 16), ([40, 50, 60], 48), ([64, 64, 64], 64), ([30, 94, 128], 64), ([500] * 9, 96)],
)
def test_half_of_the_pictures_fill_the_proposed_size(sides: list[int], size: int) -> None:
    proposal = proposed_size(sides)
    assert proposal.size == size
    assert str(sorted(sides)[len(sides) // 2]) in proposal.because
    with pytest.raises(SettingError, match="no pictures"):
        proposed_size([])


def test_scales_lead_where_they_say() -> None:
    pixels = np.array([0, 51, 255], np.uint8).reshape(1, 1, 3, 1)
    for scale, expected in (("unit", [0, 0.2, 1]), ("signed", [-1, -0.6, 1])):
        np.testing.assert_allclose(standardise(pixels, scale_statistics(pixels, scale)).ravel(), expected, atol=1e-6)
    measured = standardise(pixels, scale_statistics(pixels, "deviation"))
    assert measured.mean() == pytest.approx(0, abs=1e-6)
    assert measured.std() == pytest.approx(1, abs=1e-6)
