"""Laying pictures over each other: against a slow twin, and back from turns, zooms and shifts that are known."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from PIL import Image

from tests import reference
from tests.tolerances import ALIGNMENT
from vast_orchard.core.arrays import FloatArray
from vast_orchard.core.pictures.alignment import align, concordance
from vast_orchard.core.pictures.fingerprints import FINGERPRINT_NUMBERS, alike_pairs, fingerprints
from vast_orchard.core.team import Team
from vast_orchard.demo.picture import photograph
from vast_orchard.errors import ShapeError


def _crystals(count: int, side: int, first: int = 0) -> FloatArray:
    """(N, 3, S, S), float32."""
    pictures = [
        photograph("stellar", np.random.default_rng(first + n)).convert("RGB").resize((side, side))
        for n in range(count)
    ]
    return np.stack([np.asarray(picture, np.float32).transpose(2, 0, 1) for picture in pictures])


def _smooth(side: int = 64) -> FloatArray:
    """A picture without edges, so that reading between pixels is nearly exact."""
    y, x = np.mgrid[-1 : 1 : side * 1j, -1 : 1 : side * 1j]
    return (120 + 60 * np.sin(3 * x + 1) * np.cos(2 * y) + 40 * np.exp(-4 * ((x - 0.2) ** 2 + y**2))).astype(np.float32)


def test_alignment_is_its_twin() -> None:
    first, second = _crystals(6, 24)[:, 1], _crystals(6, 24, first=100)[:, 1]
    second[:3] = first[:3] * 0.8 + 12
    found = align(first, second, steps=3)
    expected = np.stack([reference.align(first[n], second[n], steps=3) for n in range(len(first))])
    assert np.abs(found - expected).max() < ALIGNMENT


def test_concordance_is_its_twin() -> None:
    first, second = _crystals(4, 20), _crystals(4, 20, first=50)
    pose = np.array([[0, 0, 0, 0], [0.1, 0.05, 0, 0], [-0.1, -0.1, 0.1, 0.05], [0, 0.02, -0.1, -0.1]], np.float32)
    found = concordance(first, second, pose)
    expected = [reference.concordance(first[n], second[n], pose[n]) for n in range(4)]
    assert np.abs(found - expected).max() < ALIGNMENT


@settings(max_examples=25)
@given(
    zoom=st.floats(-0.06, 0.06),
    turn=st.floats(-0.07, 0.07),
    right=st.floats(-0.04, 0.04),
    down=st.floats(-0.04, 0.04),
    light=st.floats(0.7, 1.2),
)
def test_a_known_pose_is_found_whatever_the_light(
    zoom: float, turn: float, right: float, down: float, light: float
) -> None:
    picture = _smooth()
    pose = np.array([zoom, turn, right, down])
    moved, inside = reference.overlaid(picture, pose)
    # The moved picture is the first one; the pose tells how the plain one lies on it.
    first = np.where(inside, moved, 0).astype(np.float32) * light + 5
    middle = slice(8, 56)
    found = align(first[None, middle, middle], picture[None, middle, middle], steps=25)
    # Within the middle square the same shift is more half widths, by the ratio of the sides.
    expected = pose * [1, 1, 63 / 47, 63 / 47]
    assert np.abs(found[0] - expected).max() < 0.01


def test_poses_begin_where_they_are_told_and_threads_change_nothing() -> None:
    first = _crystals(130, 16)[:, 0]
    second = np.roll(first, 1, axis=2)
    once = align(first, second)
    assert np.array_equal(align(first, second, team=Team(2)), once)
    begun = np.full((130, 4), 0.02, np.float32)
    assert np.array_equal(align(first, second, begin=begun, steps=0), begun)


def test_pictures_of_one_colour_agree_with_their_like_alone() -> None:
    black, white = np.zeros((1, 3, 16, 16), np.float32), np.full((1, 3, 16, 16), 255, np.float32)
    pose = align(black[:, 0], white[:, 0])
    assert np.abs(pose).max() == 0
    assert concordance(black, black, pose)[0] == 1
    assert concordance(black, white, pose)[0] == pytest.approx(0)


@pytest.mark.parametrize("shape", [(2, 16, 15), (2, 1, 1), (16, 16)])
def test_only_squares_are_laid_over_each_other(shape: tuple[int, ...]) -> None:
    with pytest.raises(ShapeError, match="side, side"):
        align(np.zeros(shape, np.float32), np.zeros(shape, np.float32))


def _tiles(pictures: list[Image.Image]) -> FloatArray:
    return np.stack([np.asarray(picture.resize((24, 24)), np.uint8) for picture in pictures])


def test_fingerprints_of_near_copies_are_near_and_pairs_are_found_once() -> None:
    originals = [
        photograph(name, np.random.default_rng(n)) for n, name in enumerate(["plate", "stellar", "needle"] * 4)
    ]
    turned = [picture.rotate(2, Image.Resampling.BILINEAR) for picture in originals]
    prints = fingerprints(_tiles(originals + turned))
    assert prints.shape == (24, FINGERPRINT_NUMBERS)
    nothing = np.zeros(24, bool)
    assert list(alike_pairs(prints, nothing)) == []
    fresh = nothing.copy()
    fresh[12:] = True
    ((looked, pairs),) = alike_pairs(prints, fresh)
    assert looked == 12
    assert {(n, n + 12) for n in range(12)} <= {tuple(pair) for pair in pairs.tolist()}
    assert all(low < high and fresh[high] for low, high in pairs.tolist())
    assert len({tuple(pair) for pair in pairs.tolist()}) == len(pairs)


def test_more_light_is_another_fingerprint_and_a_plain_tile_is_none_too_many() -> None:
    tile = np.full((1, 24, 24, 3), 40, np.uint8)
    dark, light = fingerprints(tile)[0], fingerprints(tile + 60)[0]
    assert np.isfinite(dark).all()
    assert np.linalg.norm(dark - light) > 1
    with pytest.raises(ShapeError):
        fingerprints(tile[..., 0])
