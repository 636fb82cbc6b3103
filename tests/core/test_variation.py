"""Variation: each picture's depends on seed, epoch and its own identity; each operation does what its twin does."""

import math
from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests import vary_reference as twin
from vast_orchard.core.arrays import Array
from vast_orchard.core.pictures.operations import KINDS, Family
from vast_orchard.core.pictures.questions import Answers, variation_by_answers
from vast_orchard.core.pictures.variation import (
    NO_VARIATION,
    Operation,
    Variation,
    operation,
    variation_from_json,
)
from vast_orchard.core.pictures.vary import draws, vary
from vast_orchard.core.team import Team
from vast_orchard.errors import SettingError

_PLAIN = [kind for kind in KINDS.values() if kind.family is not Family.MIXING]
_EVERYTHING = Variation(operations=tuple(operation(kind.name, probability=0.7) for kind in _PLAIN))
# Two roundings to whole levels, and single precision on the way.
_LEVELS = 1.01


def _pictures(count: int, channels: int = 3) -> tuple[Array, Array]:
    random = np.random.default_rng(0)
    pixels = random.integers(0, 256, (count, 12, 10, channels), dtype=np.uint8)
    return pixels, random.integers(0, 2**63, count).astype(np.uint64)


def _always(kind: str, value: float = 0.0) -> Variation:
    return Variation(operations=(Operation(kind=kind, probability=1.0, low=value, high=value),))


def _one(picture: Array, variation: Variation, seed: int = 1) -> Array:
    return vary(picture[None], np.array([7], np.uint64), variation, seed, 1)[0]


@given(
    order=st.permutations(range(9)), size=st.integers(1, 9), seed=st.integers(0, 2**32 - 1), epoch=st.integers(1, 500)
)
@settings(max_examples=40)
def test_order_and_batch_do_not_matter(order: list[int], size: int, seed: int, epoch: int) -> None:
    pixels, identities = _pictures(9)
    together = vary(pixels, identities, _EVERYTHING, seed, epoch)
    chosen = np.array(order[:size])
    np.testing.assert_array_equal(vary(pixels[chosen], identities[chosen], _EVERYTHING, seed, epoch), together[chosen])


def test_threads_change_nothing() -> None:
    pixels, identities = _pictures(37)
    alone = vary(pixels, identities, _EVERYTHING, 3, 4)
    np.testing.assert_array_equal(vary(pixels, identities, _EVERYTHING, 3, 4, Team(3)), alone)


def test_epochs_seeds_showings_and_pictures_differ() -> None:
    pixels, identities = _pictures(4)
    first = vary(pixels, identities, _EVERYTHING, 1, 1)
    again = np.ones(4, np.int64)
    for other in (
        vary(pixels, identities, _EVERYTHING, 1, 2),
        vary(pixels, identities, _EVERYTHING, 2, 1),
        vary(pixels, identities, _EVERYTHING, 1, 1, repeats=again),
    ):
        assert not np.array_equal(first, other)
    same_pixels = np.repeat(pixels[:1], 4, axis=0)
    assert len({picture.tobytes() for picture in vary(same_pixels, identities, _EVERYTHING, 1, 1)}) == 4


def test_switching_an_operation_on_leaves_the_draws_of_the_others() -> None:
    pixels, identities = _pictures(40)
    turned = vary(pixels, identities, Variation(operations=(operation("turn"),)), 1, 1)
    both = vary(pixels, identities, Variation(operations=(operation("brightness", 1, 1), operation("turn"))), 1, 1)
    np.testing.assert_array_equal(turned, both)


def test_nothing_does_nothing_and_originals_stay() -> None:
    pixels, identities = _pictures(3)
    kept = pixels.copy()
    assert vary(pixels, identities, NO_VARIATION, 1, 1) is pixels
    vary(pixels, identities, _EVERYTHING, 1, 1)
    np.testing.assert_array_equal(pixels, kept)
    weakest = Variation(
        operations=tuple(operation(kind.name, probability=1.0) for kind in _PLAIN if kind.ranged), strength=0.0
    )
    # JPEG of quality 100 rounds to whole coefficients; all else at strength 0 leaves every value as it is.
    plain = Variation(operations=tuple(x for x in weakest.operations if x.kind != "jpeg"), strength=0.0)
    np.testing.assert_array_equal(vary(pixels, identities, plain, 1, 1), pixels)
    difference = vary(pixels, identities, weakest, 1, 1).astype(int) - pixels
    assert np.abs(difference).max() <= 2


@given(
    kinds=st.sets(st.sampled_from([kind.name for kind in _PLAIN])),
    strength=st.floats(0, 2),
    drawn=st.integers(0, 3),
    spread=st.floats(0, 1),
    channels=st.sampled_from([1, 3]),
    height=st.integers(2, 11),
    width=st.integers(2, 11),
)
@settings(max_examples=60)
def test_shapes_hold_for_every_mix_of_operations(
    kinds: set[str], strength: float, drawn: int, spread: float, channels: int, height: int, width: int
) -> None:
    kinds = {kind for kind in kinds if channels == 3 or not KINDS[kind].needs_colour}
    chosen = Variation(
        operations=tuple(operation(kind, probability=0.9) for kind in sorted(kinds)),
        strength=strength,
        drawn=min(drawn, len(kinds)),
        drawn_spread=spread,
    )
    pixels = np.random.default_rng(1).integers(0, 256, (5, height, width, channels), dtype=np.uint8)
    varied = vary(pixels, np.arange(5, dtype=np.uint64), chosen, 3, 1)
    assert varied.shape == pixels.shape
    assert varied.dtype == np.uint8


def test_the_twin_of_the_generator_gives_the_published_answers() -> None:
    # Salmon et al. 2011, answers that come with the paper's own program.
    known = (
        ((0, 0, 0, 0), (0, 0), (0x6627E8D5, 0xE169C58D, 0xBC57AC4C, 0x9B00DBD8)),
        ((0xFFFFFFFF,) * 4, (0xFFFFFFFF,) * 2, (0x408F276D, 0x41C83B0E, 0xA20BC7C6, 0x6D5451FD)),
        (
            (0x243F6A88, 0x85A308D3, 0x13198A2E, 0x03707344),
            (0xA4093822, 0x299F31D0),
            (0xD16CFE09, 0x94FDCCEB, 0x5001E420, 0x24126EA1),
        ),
    )
    for counter, key, answer in known:
        assert twin.philox(counter, key) == answer


def test_draws_are_even_and_those_of_the_generator() -> None:
    identities = np.arange(3000, dtype=np.uint64) * np.uint64(0x9E3779B97F4A7C15)
    found = draws(identities, ["turn", "noise"], 5, 2)
    assert abs(found["turn"].mean() - 0.5) < 0.01
    assert abs(np.corrcoef(found["turn"][:, 0], found["noise"][:, 0])[0, 1]) < 0.06
    for place in (0, 9, 2999):
        key = (int(identities[place]) & 0xFFFFFFFF, int(identities[place]) >> 32)
        words = [*twin.philox((2 * KINDS["turn"].code, 2, 5, 0), key)]
        words += twin.philox((2 * KINDS["turn"].code + 1, 2, 5, 0), key)
        assert found["turn"][place].tolist() == [(word >> 8) / 2**24 for word in words]


@pytest.mark.parametrize(
    ("kind", "value", "source"),
    [
        ("turn", 30.0, lambda x, y: _turned(x, y, 30)),
        ("turn", -75.0, lambda x, y: _turned(x, y, -75)),
        ("zoom", 1.5, lambda x, y: (x / 1.5, y / 1.5)),
        ("zoom", 0.5, lambda x, y: (x / 0.5, y / 0.5)),
        ("shift", 0.25, lambda x, y: (x - 2.5, y - 3.0)),
        ("shear", 20.0, lambda x, y: (x + math.tan(math.radians(20)) * y, y)),
        ("perspective", 0.2, lambda x, y: _tilted(x, y, 0.2)),
    ],
)
def test_geometry_is_its_twin(kind: str, value: float, source: Any) -> None:
    picture = _pictures(1)[0][0]
    found = _one(picture, _always(kind, value))
    assert np.abs(found - twin.moved(picture, source)).max() < _LEVELS


def test_beyond_the_horizon_nothing_breaks() -> None:
    # Four times smaller and tilted as far as it goes, the divisor would pass through zero inside the picture.
    pixels = np.full((50, 12, 12, 3), 77, np.uint8)
    far = Variation(
        operations=(operation("zoom", 0.25, 0.4), operation("perspective", 0.2, 0.4, probability=1.0)), strength=2
    )
    np.testing.assert_array_equal(vary(pixels, np.arange(50, dtype=np.uint64), far, 1, 1), pixels)


def _turned(x: float, y: float, degrees: float) -> tuple[float, float]:
    angle = math.radians(degrees)
    return math.cos(angle) * x + math.sin(angle) * y, -math.sin(angle) * x + math.cos(angle) * y


def _tilted(x: float, y: float, share: float) -> tuple[float, float]:
    # Pictures of the tests are 10 across and 12 down.
    w = share * x / 5 + share * y / 6 + 1
    return x / w, y / w


@pytest.mark.parametrize("channels", [1, 3])
def test_light_is_its_twin(channels: int) -> None:
    picture = _pictures(1, channels)[0][0]
    for kind, value in (("brightness", 0.6), ("brightness", 1.7), ("contrast", 0.3), ("contrast", 2.0), ("gamma", 0.5)):
        found = _one(picture, _always(kind, value))
        assert np.abs(found - twin.recoloured(picture, **{kind: value})).max() < _LEVELS
    together = Variation(operations=tuple(Operation(kind=k, probability=1.0, low=v, high=v) for k, v in _LIGHT.items()))
    assert np.abs(_one(picture, together) - twin.recoloured(picture, **_LIGHT)).max() < _LEVELS


_LIGHT = {"brightness": 1.2, "contrast": 0.7, "gamma": 2.0}


def test_colours_by_hand() -> None:
    grey = np.full((3, 3, 3), 90, np.uint8)
    red = np.zeros((3, 3, 3), np.uint8)
    red[..., 0] = 200
    # A grey picture has no colour to change.
    for kind, value in (("hue", 120.0), ("saturation", 3.0), ("grey", 0.0)):
        np.testing.assert_array_equal(_one(grey, _always(kind, value)), grey)
    # Red of 200 is as bright as a grey of 0.299 · 200.
    assert np.abs(_one(red, _always("grey")).astype(float) - 59.8).max() < 1
    assert np.abs(_one(red, _always("saturation", 0.0)).astype(float) - 59.8).max() < 1
    turned = _one(red, _always("hue", 120.0)).astype(float)[0, 0]
    assert turned.argmax() == 1  # a third of the circle on from red stands green
    back = _one(_one(red // 2 + 60, _always("hue", 40.0)), _always("hue", -40.0))
    assert np.abs(back.astype(int) - (red // 2 + 60)).max() <= 2


@pytest.mark.parametrize("deviation", [0.4, 1.0, 2.5])
def test_blur_and_sharpening_are_their_twins(deviation: float) -> None:
    picture = _pictures(1)[0][0]
    assert np.abs(_one(picture, _always("blur", deviation)) - twin.blurred(picture, deviation)).max() < _LEVELS
    sharp = picture + deviation * (picture - twin.blurred(picture, 1.0))
    assert np.abs(_one(picture, _always("sharpen", deviation)) - np.clip(sharp, 0, 255)).max() < _LEVELS


@pytest.mark.parametrize("quality", [5, 30, 50, 90])
def test_compression_is_its_twin(quality: int) -> None:
    picture = np.random.default_rng(0).integers(40, 200, (16, 8, 1), dtype=np.uint8)
    expected = np.clip(twin.compressed(picture[..., 0], quality), 0, 255)
    assert np.abs(_one(picture, _always("jpeg", quality))[..., 0] - expected).max() < _LEVELS


def test_compression_of_colours_is_close_to_an_encoder_of_others() -> None:
    # Pillow writes and reads a real JPEG; without halving of colours only roundings differ.
    import io

    from PIL import Image

    rows, columns = np.mgrid[:32, :32]
    picture = np.stack([4 * rows + columns, 200 - 3 * columns, 90 + 2 * rows], axis=2).astype(np.uint8)
    buffer = io.BytesIO()
    Image.fromarray(picture).save(buffer, "JPEG", quality=40, subsampling=0)
    real = np.asarray(Image.open(buffer)).astype(int)
    assert np.abs(_one(picture, _always("jpeg", 40)) - real).max() <= 3


def test_noise_is_normal_and_of_its_own_for_every_picture() -> None:
    pixels = np.full((6, 64, 64, 1), 128, np.uint8)
    noisy = vary(pixels, np.arange(6, dtype=np.uint64), _always("noise", 0.05), 1, 1).astype(float) - 128
    # Rounding to whole levels adds a twelfth to the variance.
    assert noisy.std() == pytest.approx(math.sqrt((0.05 * 255) ** 2 + 1 / 12), rel=0.03)
    assert abs(noisy.mean()) < 0.3
    assert (np.abs(noisy) < 0.05 * 255).mean() == pytest.approx(0.683, abs=0.02)
    assert abs(np.corrcoef(noisy[0].ravel(), noisy[1].ravel())[0, 1]) < 0.05
    assert abs(np.corrcoef(noisy[0].ravel()[:-1], noisy[0].ravel()[1:])[0, 1]) < 0.05


def test_blocks_cover_their_share_in_the_mean_colour() -> None:
    pixels = np.zeros((300, 40, 40, 1), np.uint8)
    pixels[:, :, ::2] = 200
    identities = np.arange(300, dtype=np.uint64)
    for kind, share in (("block", 0.3), ("block-grid", 0.25)):
        varied = vary(pixels, identities, _always(kind, share), 1, 1)
        assert set(np.unique(varied)) == {0, 100, 200}
        covered = (varied == 100).mean(axis=(1, 2, 3))
        assert covered.mean() == pytest.approx(share, abs=0.02)
        assert abs(covered - share).max() < 0.12


def test_turning_there_and_back_returns_the_picture() -> None:
    rows, columns = np.mgrid[-16:17, -16:17]
    smooth = (120 + 90 * np.sin(columns / 6) * np.cos(rows / 7)).astype(np.uint8)[..., None]
    there = _one(smooth, _always("turn", 25.0))
    back = _one(there, _always("turn", -25.0)).astype(int)
    inside = np.hypot(rows, columns) < 14
    # Two bilinear resamplings of a smooth picture: what curves within two pixels is flattened by a few levels.
    assert np.abs(back - smooth)[inside].max() <= 4


@pytest.mark.parametrize("kind", ["mirror", "flip"])
def test_mirroring_twice_is_nothing_and_exact(kind: str) -> None:
    picture = _pictures(1)[0][0]
    once = _one(picture, _always(kind))
    np.testing.assert_array_equal(once, picture[:, ::-1] if kind == "mirror" else picture[::-1])
    np.testing.assert_array_equal(_one(once, _always(kind)), picture)


def test_quarter_turns_are_exact_and_all_three_happen() -> None:
    picture = np.random.default_rng(0).integers(0, 256, (9, 9, 3), dtype=np.uint8)
    pixels = np.repeat(picture[None], 200, axis=0)
    varied = vary(pixels, np.arange(200, dtype=np.uint64), _always("quarter-turn"), 1, 1)
    expected = [np.rot90(picture, quarters).tobytes() for quarters in (1, 2, 3)]
    counts = [sum(one.tobytes() == wanted for one in varied) for wanted in expected]
    assert sum(counts) == 200
    assert min(counts) > 40


def test_crops_show_parts_at_every_place() -> None:
    ramp = np.tile(np.arange(0, 250, 5, dtype=np.uint8)[None, :, None], (50, 1, 1))
    pixels = np.repeat(ramp[None], 400, axis=0)
    varied = vary(pixels, np.arange(400, dtype=np.uint64), _always("crop", 0.25), 1, 1).astype(int)
    first, last = varied[:, 25, 0, 0], varied[:, 25, -1, 0]
    # A quarter of the area is half of the width: 24.5 steps of 5.
    assert np.abs(last - first - 122).max() <= 3
    assert first.min() < 6
    assert last.max() > 239


def test_probability_and_drawing_decide_how_often() -> None:
    pixels, identities = np.full((2000, 4, 4, 1), 100, np.uint8), np.arange(2000, dtype=np.uint64)
    seldom = Variation(operations=(Operation(kind="brightness", probability=0.25, low=1.5, high=1.5),))
    assert (vary(pixels, identities, seldom, 1, 1)[:, 0, 0, 0] == 150).mean() == pytest.approx(0.25, abs=0.04)
    pool = tuple(
        Operation(kind=kind, probability=0.0, low=value, high=value)
        for kind, value in (("brightness", 1.5), ("gamma", 2.0), ("noise", 0.2))
    )
    levels = vary(pixels, identities, Variation(operations=pool, drawn=1), 1, 1)
    brighter = (levels == 150).all(axis=(1, 2, 3))
    darker = (levels == 39).all(axis=(1, 2, 3))
    for share in (brighter.mean(), darker.mean(), (~brighter & ~darker).mean()):
        assert share == pytest.approx(1 / 3, abs=0.05)


def test_a_chance_for_the_picture_and_a_spread_of_strength() -> None:
    pixels, identities = np.full((4000, 4, 4, 1), 100, np.uint8), np.arange(4000, dtype=np.uint64)
    brighter = Operation(kind="brightness", probability=0.0, low=1.5, high=1.5)
    pool = (brighter, operation("gamma", probability=0.0))
    levels = vary(pixels, identities, Variation(operations=pool, drawn=2, drawn_chance=0.3), 1, 1)
    assert (levels != 100).any(axis=(1, 2, 3)).mean() == pytest.approx(0.3, abs=0.03)
    # 1.5 at strengths evenly from 0.5 to 1.5: the level lies evenly between 100 · 1.5^0.5 = 122.5 and
    # 100 · 1.5^1.5 = 183.7 by ratio, or 125 and 175 by difference.
    spread = Variation(operations=(brighter,), drawn=1, drawn_spread=0.5)
    found = np.sort(vary(pixels, identities, spread, 1, 1)[:, 0, 0, 0].astype(float))
    low, high = (122.5, 183.7) if KINDS["brightness"].by_ratio else (125.0, 175.0)
    assert found[0] == pytest.approx(low, abs=1) and found[-1] == pytest.approx(high, abs=1)
    middle = math.sqrt(low * high) if KINDS["brightness"].by_ratio else (low + high) / 2
    assert np.median(found) == pytest.approx(middle, abs=1.5)
    # Neither has a say where each operation goes by its own chance, nor by its usual value in what is drawn.
    plain = Variation(operations=(operation("turn"), operation("noise")))
    told = Variation(operations=plain.operations, drawn_chance=0.2, drawn_spread=0.9)
    same = Variation(operations=plain.operations, drawn=1, drawn_chance=1.0, drawn_spread=0.0)
    assert np.array_equal(vary(pixels, identities, plain, 1, 1), vary(pixels, identities, told, 1, 1))
    assert not np.array_equal(vary(pixels, identities, same, 1, 1), vary(pixels, identities, plain, 1, 1))


def test_strength_moves_ranges_between_nothing_and_twice() -> None:
    wanted = Variation(operations=(operation("zoom", 0.5, 2), operation("turn", -30, 60)), strength=0.5)
    assert wanted.range_of(wanted.operations[0]) == pytest.approx((math.sqrt(0.5), math.sqrt(2)))
    assert wanted.range_of(wanted.operations[1]) == (-15, 30)
    double = Variation(operations=(operation("turn", -100, 100),), strength=2)
    assert double.range_of(double.operations[0]) == (-180, 180)  # no further than the kind goes


@pytest.mark.parametrize(
    ("bad", "words"),
    [
        ({"kind": "melt", "probability": 1}, "no operation named 'melt'"),
        ({"kind": "turn", "probability": 1.5, "low": 0, "high": 1}, "probability of turn is 1.5"),
        ({"kind": "turn", "probability": 1, "low": 20, "high": -20}, "wrong way round"),
        ({"kind": "turn", "probability": 1, "low": -200, "high": 20}, "Choose between -180 and 180"),
        ({"kind": "turn", "probability": 1, "low": math.nan, "high": 20}, "Give two numbers"),
        ({"kind": "mirror", "probability": 1, "low": 1, "high": 2}, "has no range"),
        ({"kind": "noise", "probability": 1, "low": 0.4, "high": 0.5}, "leaves nothing to recognise"),
        ({"kind": "zoom", "probability": 1, "low": 0.25, "high": 0.3}, "leaves nothing to recognise"),
        ({"kind": "blend", "probability": 1, "low": 0.2, "high": 0.4}, "takes one number"),
    ],
)
def test_operations_that_cannot_be_are_refused_with_words(bad: dict[str, Any], words: str) -> None:
    with pytest.raises(SettingError, match=words):
        Operation(**bad)


def test_variations_that_cannot_be_are_refused_with_words() -> None:
    turn = operation("turn")
    for bad, words in (
        ({"operations": (turn, turn)}, "more than once"),
        ({"operations": (turn,), "strength": 2.5}, "strength is 2.5"),
        ({"operations": (turn,), "drawn": 2}, "drawn from 1"),
        ({"operations": (turn,), "drawn": 1, "drawn_chance": 0.0}, "chance that operations are drawn is 0"),
        ({"operations": (turn,), "drawn": 1, "drawn_spread": 1.5}, "spread of the strength is 1.5"),
    ):
        with pytest.raises(SettingError, match=words):
            Variation(**bad)
    pixels, identities = _pictures(2, channels=1)
    with pytest.raises(SettingError, match="hue would change colours"):
        vary(pixels, identities, Variation(operations=(operation("hue"),)), 1, 1)


def test_every_kind_has_its_own_code_and_can_be_used_as_it_starts() -> None:
    assert len({kind.code for kind in KINDS.values()}) == len(KINDS) == 23
    for kind in KINDS.values():
        assert operation(kind.name).probability == kind.probability
        assert kind.least <= kind.neutral <= kind.most or not kind.ranged
        assert kind.does.endswith(".")
        assert kind.caution.endswith(".")


def test_what_version_0_5_stored_can_be_read() -> None:
    former = variation_from_json({"mirror": True, "turn_degrees": 15.0, "brightness": 0.2})
    # Of brightness version 0.5 always said so: from 0.8 to 1.2.
    assert former == Variation(operations=(operation("mirror"), operation("turn"), operation("brightness")))
    assert variation_from_json({"mirror": False, "turn_degrees": 0.0, "brightness": 0.0}) == NO_VARIATION


def test_answers_allow_no_more_than_they_say() -> None:
    careful = {entry.kind for entry in variation_by_answers(Answers()).operations}
    assert careful == {"turn", "shift", "zoom", "brightness", "contrast"}
    # Whoever passes the questions over trains with the same.
    assert variation_by_answers(Answers()) == Variation()
    assert "zoom" not in {entry.kind for entry in variation_by_answers(Answers(size_is_clue=True)).operations}
    free = variation_by_answers(
        Answers(
            mirrored="both", turned="any", size_is_clue=False, colour_is_clue=False, light_is_even=False,
            sharp=False, covered=True,
        )
    )  # fmt: skip
    kinds = {entry.kind for entry in free.operations}
    assert {"mirror", "flip", "turn", "zoom", "hue", "grey", "gamma", "blur", "noise", "block"} <= kinds
    assert next(entry for entry in free.operations if entry.kind == "turn").high == 180
    grey = variation_by_answers(Answers(colour_is_clue=False), channels=1)
    assert not any(KINDS[entry.kind].needs_colour for entry in grey.operations)
    with pytest.raises(SettingError, match="answer on turning is 'upside'"):
        Answers(turned="upside")


def test_what_is_left_out_of_an_operation_is_as_usual_for_its_kind() -> None:
    told = [{"kind": "turn"}, {"kind": "zoom", "low": 0.9, "probability": 0.25}, {"kind": "blend", "high": 0.4}]
    found = {entry.kind: entry for entry in variation_from_json({"operations": told}).operations}
    assert (found["turn"].low, found["turn"].high) == KINDS["turn"].usual != (0, 0)
    assert found["turn"].probability == KINDS["turn"].probability
    assert (found["zoom"].low, found["zoom"].high, found["zoom"].probability) == (0.9, KINDS["zoom"].usual[1], 0.25)
    # One number, at whichever end it was given.
    assert (found["blend"].low, found["blend"].high) == (0.4, 0.4)
    with pytest.raises(SettingError, match="wrong way round: 40 to 15"):
        variation_from_json({"operations": [{"kind": "turn", "low": 40}]})
