"""Drawn classes: the same for ever, unlike each other, and some of them each other's mirror images."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from vast_orchard.starters import drawings
from vast_orchard.starters.drawings import draw_picture, drawn_class
from vast_orchard.starters.pose import Pose
from vast_orchard.starters.teaching import Lesson, draw_pictures, drawn_examples


@settings(max_examples=60)
@given(st.integers(0, 2**31), st.integers(0, 5000), st.integers(0, 2**31), st.sampled_from([16, 48, 64]))
def test_every_class_of_every_seed_draws_a_picture_that_is_not_plain(
    seed: int, number: int, draw: int, side: int
) -> None:
    picture = draw_picture(drawn_class(seed, number), np.random.default_rng(draw), side)
    assert picture.shape == (side, side, 3)
    assert picture.dtype == np.uint8
    assert picture.std() > 0


def test_a_picture_follows_from_its_numbers_whoever_draws_it() -> None:
    alone = draw_pictures(3, 6, 4, 24)
    np.testing.assert_array_equal(alone, draw_pictures(3, 6, 4, 24, processes=2))
    np.testing.assert_array_equal(alone[12:], draw_pictures(3, 6, 2, 24, first=2))
    assert not np.array_equal(alone, draw_pictures(4, 6, 4, 24))


def test_what_is_judged_is_none_of_what_is_learnt() -> None:
    training, validation = drawn_examples(Lesson(network="plain 4", classes=40, pictures=3, side=16), 1)
    assert len(training) == 120
    assert len(validation) == 40
    assert set(training.labels.tolist()) == set(range(40))
    seen = {picture.tobytes() for picture in training.pixels}
    assert not any(picture.tobytes() in seen for picture in validation.pixels)
    assert not set(training.identities.tolist()) & set(validation.identities.tolist())


def test_some_classes_are_the_mirror_images_of_others(monkeypatch: pytest.MonkeyPatch) -> None:
    made = [drawn_class(1, number) for number in range(200)]
    assert 20 <= sum(one.mirrored for one in made) <= 60
    twin = next(n for n, one in enumerate(made) if one.mirrored)
    # Drawn in the same pose but for the mirror, both cover the same places, turned round.
    monkeypatch.setattr(drawings, "_TWINS", 0.0)
    plain = drawn_class(1, twin - 1)

    def covered(one: drawings.DrawnClass, sign: float) -> np.ndarray:
        pose = Pose(matrix=np.diag([sign * 30.0, 30.0]), place=np.array([48.0, 48.0]), side=96)
        return one.draw(np.random.default_rng(5), pose).cover

    one, two = covered(plain, 1.0), covered(made[twin], -1.0)
    # A pen's edge lies a pixel further on one side.
    apart = np.abs(one - two[:, ::-1]).mean()
    assert apart < 0.25 * one.mean() + 1e-3
    assert apart < 0.5 * np.abs(one - two).mean()


def test_classes_are_of_all_kinds() -> None:
    kinds = {drawn_class(1, number).draw.__qualname__ for number in range(150)}
    assert len(kinds) == 10
