"""Findings, the core: what is hard to see, contradicted labels, what is alone, facts that tell, sets that differ."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.ndimage import gaussian_filter
from scipy.stats import mannwhitneyu

from vast_orchard.core.arrays import Array, FloatArray
from vast_orchard.core.findings.alone import alone
from vast_orchard.core.findings.apart import sets_apart
from vast_orchard.core.findings.beyond import beyond
from vast_orchard.core.findings.hard import hard_to_see
from vast_orchard.core.findings.kinds import HARD
from vast_orchard.core.findings.labels import contradicted
from vast_orchard.core.findings.seeing import seeing
from vast_orchard.core.findings.telltale import parts_of, tells, telltale_facts


def _edges(radius: float, side: int = 96) -> Array:
    """Squares of light on a dark ground, blurred so far."""
    plain = np.full((side, side), 30.0, np.float32)
    plain[side // 4 : side // 2, side // 4 : 3 * side // 4] = 200
    return gaussian_filter(plain, radius).round().astype(np.uint8)


@pytest.mark.parametrize("radius", [1.0, 1.5, 2.5, 4.0])
def test_the_radius_of_a_blur_is_read_off_its_edges(radius: float) -> None:
    assert seeing(_edges(radius)).blur == pytest.approx(radius, rel=0.25)


def test_blur_is_told_for_the_same_side_however_large_the_picture_is() -> None:
    assert seeing(_edges(4.0, 192)).blur == pytest.approx(seeing(_edges(2.0)).blur, rel=0.15)


@pytest.mark.parametrize("deviation", [2.0, 6.0, 15.0])
def test_noise_is_told_from_slopes_and_edges(deviation: float) -> None:
    random = np.random.default_rng(1)
    noisy = _edges(3.0).astype(np.float32) + random.normal(0, deviation, (96, 96)) + np.linspace(0, 20, 96)
    assert 255 * seeing(np.clip(noisy, 0, 255).astype(np.uint8)).noise == pytest.approx(deviation, rel=0.2)


def test_half_the_light_is_half_as_light_and_has_the_same_contrast() -> None:
    whole, half = seeing(_edges(1.0)), seeing(_edges(1.0) // 2)
    assert half.light / whole.light == pytest.approx(0.5, abs=0.03)
    assert half.span == pytest.approx(whole.span, abs=0.03)


def test_what_goes_on_beyond_the_rim_and_an_even_frame_are_seen() -> None:
    whole = _edges(0.5)
    beyond_rim = np.roll(whole, 96 // 4, axis=0)
    assert (seeing(whole).cut, seeing(whole).frame) == (0.0, 30.0)
    cut = np.concatenate([whole[36:], np.full((36, 96), 30, np.uint8)])
    assert seeing(cut).cut == pytest.approx(0.5 * 96 / (4 * 96), rel=0.2)
    assert seeing(beyond_rim).frame == 30.0
    assert seeing(cut).frame is None


@pytest.mark.parametrize("value", [0, 128, 255])
def test_an_even_picture_has_finite_measures(value: int) -> None:
    even = seeing(np.full((2, 5), value, np.uint8))
    assert all(np.isfinite(x) for x in (even.light, even.span, even.blur, even.noise, even.cut))


def _two_classes(seed: int, count: int = 600) -> tuple[FloatArray, Array]:
    random = np.random.default_rng(seed)
    classes = random.integers(0, 2, count)
    # One is higher and wider by nature.
    return random.normal(0, 1, count) * np.where(classes, 3.0, 1.0) + 10 * classes, classes


@pytest.mark.parametrize("seed", range(12))
def test_where_values_are_only_as_spread_as_chance_spreads_them_nothing_is_named(seed: int) -> None:
    values, classes = _two_classes(seed)
    found = beyond(values, classes, 0.01)
    assert found.named.sum() <= 1
    assert found.expected <= 1


def test_a_few_that_stand_apart_in_their_class_are_named_whatever_the_other_class_is_like() -> None:
    values, classes = _two_classes(3)
    strange = np.flatnonzero(classes == 0)[:12]
    # Between the two classes: usual for neither.
    values[strange] = 6.0
    found = beyond(values, classes, 0.01)
    assert set(strange) <= set(np.flatnonzero(found.named))
    # Down to where they mix with the others, of which chance puts some as far out.
    assert found.named.sum() <= 24
    assert found.named.sum() - found.expected >= 10


@given(st.integers(0, 2**32 - 1), st.floats(-50, 50), st.floats(0.1, 20))
@settings(max_examples=30)
def test_what_is_named_does_not_depend_on_the_unit(seed: int, shift: float, scale: float) -> None:
    values, classes = _two_classes(seed, 200)
    values[:6] += 30
    one, other = beyond(values, classes, 1e-6), beyond(values * scale + shift, classes, 1e-6 * scale)
    assert (one.named == other.named).all()
    assert one.far == pytest.approx(other.far, rel=1e-6, abs=1e-6)


def test_less_than_anyone_sees_is_named_by_nobody() -> None:
    values = np.full(100, 5.0)
    values[:8] += 0.01
    assert not beyond(values, np.zeros(100, int), 0.15).named.any()
    assert beyond(values, np.zeros(100, int), 1e-4).named.sum() == 8


@pytest.mark.parametrize("count", [0, 1, 2])
def test_hardly_any_values_are_no_error(count: int) -> None:
    assert not beyond(np.arange(float(count)), np.zeros(count, int), 0.1).named.any()


def test_a_class_that_is_dark_by_nature_is_held_against_itself() -> None:
    random = np.random.default_rng(5)
    classes = np.repeat([0, 1], 200)
    light = np.where(classes, 0.1, 0.7) * np.exp(random.normal(0, 0.1, 400))
    light[:8] = 0.2  # bright beside the dark class, dark for its own
    measures = {one.measure: np.ones(400) for one in HARD.values()} | {"light": light}
    found = hard_to_see(measures, classes)
    assert set(np.flatnonzero(found["dark"].named)) == set(range(8))
    assert not any(found[kind].named.any() for kind in HARD if kind != "dark")


def test_what_could_not_be_measured_is_not_named() -> None:
    measures = {one.measure: np.full(50, np.nan) for one in HARD.values()}
    assert not any(one.named.any() for one in hard_to_see(measures, np.zeros(50, int)).values())


def test_labels_are_held_against_answers_with_a_threshold_for_each_class() -> None:
    p = np.array([[0.9, 0.1], [0.8, 0.2], [0.04, 0.96], [0.3, 0.7], [0.45, 0.55], [0.02, 0.98]])
    labels = np.array([0, 0, 0, 1, 1, 0])
    found = contradicted(p, labels)
    # Means over what is labelled so: of 0 (0.9 + 0.8 + 0.04 + 0.02) / 4, of 1 (0.7 + 0.55) / 2.
    assert found.thresholds == pytest.approx([0.44, 0.625])
    assert found.order.tolist() == [5, 2, 4, 3, 1, 0]
    assert found.named.tolist() == [False, False, True, False, False, True]
    assert found.proposals[[2, 5]].tolist() == [1, 1]
    assert found.expected == pytest.approx(0.06)


def test_a_class_that_nobody_is_labelled_as_is_proposed_to_nobody() -> None:
    found = contradicted(np.array([[0.01, 0.0, 0.99], [0.9, 0.05, 0.05]]), np.array([0, 0]))
    assert np.isnan(found.thresholds[2])
    assert not found.named.any()


def test_what_is_unlike_all_others_of_its_class_is_alone_by_a_slow_twin_too() -> None:
    random = np.random.default_rng(2)
    points = random.normal(0, 1, (300, 4)) + 8 * np.repeat([0, 1], 150)[:, None]
    labels = np.repeat([0, 1], 150)
    points[:6] = 30 * np.eye(4)[[0, 1, 2, 3, 0, 1]] * np.array([1, 1, 1, 1, -1, -1])[:, None]
    found = alone(points.astype(np.float32), labels)
    assert set(range(6)) <= set(np.flatnonzero(found.named))
    assert found.named.sum() <= 14
    third = [
        sorted(float(np.linalg.norm(points[n] - points[m])) for m in np.flatnonzero(labels == labels[n]) if m != n)[2]
        for n in range(300)
    ]
    order = np.argsort(third)[-20:]
    assert set(np.argsort(found.far)[-6:]) <= set(order)


def test_of_a_large_class_a_draw_stands_for_all_and_the_same_are_alone(monkeypatch: pytest.MonkeyPatch) -> None:
    random = np.random.default_rng(4)
    points = random.normal(0, 1, (900, 5)).astype(np.float32)
    points[:7] = 60 * np.eye(5)[[0, 1, 2, 3, 4, 0, 1]] * np.array([1, 1, 1, 1, 1, -1, -1])[:, None]
    labels = np.zeros(900, int)
    whole = alone(points, labels)
    monkeypatch.setattr("vast_orchard.core.findings.alone._COMPARED", 300)
    drawn = alone(points, labels)
    assert set(range(7)) <= set(np.flatnonzero(whole.named)) & set(np.flatnonzero(drawn.named))
    assert drawn.named.sum() <= 14


def test_of_a_class_of_few_nothing_is_alone() -> None:
    assert not alone(np.eye(9, dtype=np.float32), np.zeros(9, int)).named.any()


def _facts(seed: int, leak: float) -> tuple[dict[str, tuple[Array, list[str]]], Array]:
    random = np.random.default_rng(seed)
    labels = random.integers(0, 5, 700)
    told = random.random(700) < leak
    kind = np.where(told & (labels == 3), "PNG", np.where(random.random(700) < 0.1, "PNG", "JPEG"))
    width = random.integers(64, 129, 700)
    return {"file format": parts_of(kind.tolist()), "longer side": parts_of(width.tolist())}, labels


@pytest.mark.parametrize("seed", range(6))
def test_a_fact_that_gives_a_class_away_is_told_and_no_other(seed: int) -> None:
    facts, labels = _facts(seed, 0.9)
    told = [one for one in telltale_facts(facts, labels) if tells(one)]
    assert [one.fact for one in told] == ["file format"]
    assert told[0].most is not None
    part, label, of_class, within = told[0].most
    assert (facts["file format"][1][part], label) == ("PNG", 3)
    assert of_class == int(((facts["file format"][0] == part) & (labels == 3)).sum())
    assert within == int((facts["file format"][0] == part).sum())
    facts, labels = _facts(seed, 0.0)
    assert not any(tells(one) for one in telltale_facts(facts, labels))


def test_facts_are_cut_into_parts_by_number_or_name_and_none_is_a_part() -> None:
    parts, words = parts_of([1, 2, 1, 2])
    assert (parts.tolist(), sorted(words)) == ([parts[0], parts[1]] * 2, ["1", "2"])
    parts, words = parts_of(list(range(100)))
    assert len(words) == 8
    assert np.bincount(parts).tolist() == pytest.approx([12.5] * 8, abs=1)
    parts, words = parts_of(["a", None, "a"])
    assert [words[n] for n in parts] == ["a", "none", "a"]
    parts, words = parts_of([f"n{n}" for n in range(60)])
    assert (words[-1], int((parts == 30).sum())) == ("others", 30)


def test_hardly_any_pictures_or_one_class_tell_nothing() -> None:
    facts = {"file format": parts_of(["PNG", "JPEG"] * 10)}
    assert telltale_facts(facts, np.arange(20) % 2) == []
    assert telltale_facts({"file format": parts_of(["PNG", "JPEG"] * 40)}, np.zeros(80, int)) == []


@pytest.mark.parametrize("seed", range(5))
def test_sets_drawn_alike_are_not_told_apart_and_others_are(seed: int) -> None:
    random = np.random.default_rng(seed)
    second = np.arange(900) < 200
    light = random.normal(0, 1, 900)
    alike = sets_apart({"light": light, "side": random.normal(0, 1, 900)}, second)
    assert alike is not None
    assert alike.chance > 0.001
    moved = sets_apart({"side": random.normal(0, 1, 900), "light": light + 1.0 * second}, second)
    assert moved is not None
    assert moved.facts[0][0] == "light"
    # Two normal distributions a deviation apart: Phi(1 / sqrt 2).
    assert moved.area == pytest.approx(0.76, abs=0.05)
    assert moved.chance < 1e-6
    rank = mannwhitneyu(light[second] + 1.0, light[~second])
    assert moved.facts[0][1] == pytest.approx(rank.statistic / (200 * 700), abs=0.03)


def test_sets_of_few_pictures_or_of_equal_facts_are_not_compared() -> None:
    assert sets_apart({"light": np.arange(30.0)}, np.arange(30) < 5) is None
    assert sets_apart({"light": np.ones(100)}, np.arange(100) < 50) is None
    assert sets_apart({}, np.arange(100) < 50) is None
