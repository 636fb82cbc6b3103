"""Variation: each picture's depends on seed, epoch and its own identity, and on nothing else."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from vast_orchard.core.arrays import Array
from vast_orchard.core.pictures.variation import NO_VARIATION, Variation
from vast_orchard.core.pictures.vary import vary
from vast_orchard.core.team import Team
from vast_orchard.errors import SettingError

_EVERYTHING = Variation(mirror=True, turn_degrees=180, brightness=0.3)


def _pictures(count: int) -> tuple[Array, Array]:
    random = np.random.default_rng(0)
    return random.integers(0, 255, (count, 12, 10, 3), dtype=np.uint8), random.integers(0, 2**63, count).astype(
        np.uint64
    )


@given(
    order=st.permutations(range(9)), size=st.integers(1, 9), seed=st.integers(0, 2**32 - 1), epoch=st.integers(1, 500)
)
@settings(max_examples=40, deadline=None)
def test_order_and_batch_do_not_matter(order: list[int], size: int, seed: int, epoch: int) -> None:
    pixels, identities = _pictures(9)
    together = vary(pixels, identities, _EVERYTHING, seed, epoch)
    chosen = np.array(order[:size])
    np.testing.assert_array_equal(vary(pixels[chosen], identities[chosen], _EVERYTHING, seed, epoch), together[chosen])


def test_threads_change_nothing() -> None:
    pixels, identities = _pictures(37)
    alone = vary(pixels, identities, _EVERYTHING, 3, 4)
    np.testing.assert_array_equal(vary(pixels, identities, _EVERYTHING, 3, 4, Team(3)), alone)


def test_a_quarter_turn_by_hand() -> None:
    # Draws that happen to turn by about 90 degrees are found, and compared with the exact turn.
    pixels = np.random.default_rng(0).integers(0, 255, (1, 9, 9, 1), dtype=np.uint8).repeat(4000, axis=0)
    varied = vary(
        pixels, np.arange(4000, dtype=np.uint64), Variation(mirror=False, turn_degrees=180, brightness=0), 1, 1
    )
    quarter = np.rot90(pixels[0], axes=(0, 1)).astype(int)
    assert min(np.abs(picture.astype(int) - quarter).mean() for picture in varied) < 1


def test_epochs_seeds_and_pictures_differ() -> None:
    pixels, identities = _pictures(4)
    first = vary(pixels, identities, _EVERYTHING, 1, 1)
    for other in (vary(pixels, identities, _EVERYTHING, 1, 2), vary(pixels, identities, _EVERYTHING, 2, 1)):
        assert not np.array_equal(first, other)
    same_pixels = np.repeat(pixels[:1], 4, axis=0)
    assert len({picture.tobytes() for picture in vary(same_pixels, identities, _EVERYTHING, 1, 1)}) == 4


def test_nothing_does_nothing_and_originals_stay() -> None:
    pixels, identities = _pictures(3)
    kept = pixels.copy()
    assert vary(pixels, identities, NO_VARIATION, 1, 1) is pixels
    vary(pixels, identities, _EVERYTHING, 1, 1)
    np.testing.assert_array_equal(pixels, kept)


def test_mirroring_happens_to_about_half_and_is_exact() -> None:
    pixels = np.tile(np.arange(10, dtype=np.uint8)[None, None, :, None], (400, 4, 1, 1))
    identities = np.arange(400, dtype=np.uint64)
    varied = vary(pixels, identities, Variation(mirror=True, turn_degrees=0, brightness=0), 1, 1)
    mirrored = (varied[:, 0, 0, 0] == 9).sum()
    assert 160 < mirrored < 240
    for picture in varied:
        assert picture[0, :, 0].tolist() in (list(range(10)), list(range(9, -1, -1)))


def test_brightness_scales_within_its_share() -> None:
    pixels = np.full((500, 3, 3, 1), 100, np.uint8)
    varied = vary(
        pixels, np.arange(500, dtype=np.uint64), Variation(mirror=False, turn_degrees=0, brightness=0.2), 1, 1
    )
    levels = varied[:, 0, 0, 0]
    assert (varied == levels[:, None, None, None]).all()
    assert 80 <= levels.min() < 84
    assert 116 < levels.max() <= 120


def test_turning_keeps_the_middle_and_what_is_round() -> None:
    rows, columns = np.mgrid[-10:11, -10:11]
    disc = (np.hypot(rows, columns) < 6).astype(np.uint8) * 200
    pixels = np.repeat(disc[None, :, :, None], 20, axis=0)
    varied = vary(pixels, np.arange(20, dtype=np.uint64), Variation(mirror=False, turn_degrees=180, brightness=0), 1, 1)
    assert (varied[:, 10, 10, 0] == 200).all()
    # A disc turned about its middle stays a disc but for its stepped edge.
    assert np.abs(varied.astype(int) - pixels)[:, np.hypot(rows, columns) < 4.5].max() == 0


@pytest.mark.parametrize(
    "bad", [{"turn_degrees": 181}, {"turn_degrees": -1}, {"brightness": 1.0}, {"brightness": -0.1}]
)
def test_ranges_are_kept(bad: dict[str, float]) -> None:
    with pytest.raises(SettingError, match="Choose"):
        Variation(**bad)  # type: ignore[arg-type]
