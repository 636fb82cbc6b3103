"""Who goes on, which settings carried the difference, and how much of a winner's lead is luck."""

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from vast_orchard.core.planning.carried import carried_by
from vast_orchard.core.planning.cost import search_cost
from vast_orchard.core.planning.halving import promoted, rungs_of, trials_at_rungs
from vast_orchard.core.planning.optimism import optimism_of
from vast_orchard.errors import SettingError, ShapeError


def test_rungs_are_factors_of_the_whole_budget() -> None:
    assert rungs_of(27, 3, 3) == (3, 9, 27)
    assert rungs_of(25, 3, 3) == (3, 8, 25)
    assert rungs_of(25, 25, 3) == (25,)
    assert rungs_of(1, 1, 3) == (1,)
    with pytest.raises(SettingError):
        rungs_of(10, 11, 3)
    with pytest.raises(SettingError):
        rungs_of(10, 1, 1)


def _play(
    scores: list[float], rungs: int, factor: int, at_once: int, seed: int, *, waits: bool
) -> list[dict[int, float]]:
    """A search in which trial n always scores `scores[n]`; up to so many trials under way, ending in a drawn order."""
    random = np.random.default_rng(seed)
    reached: list[dict[int, float]] = []
    heading: list[int] = []
    running: list[int] = []
    while True:
        pending = [n for n, rung in enumerate(heading) if rung not in reached[n] and n not in running]
        while len(running) < at_once:
            begun = len(reached) == len(scores)
            for n in promoted(reached, heading, rungs, factor, waits=waits, begun=begun):
                heading[n] = max(reached[n]) + 1
                pending.append(n)
            if pending:
                running.append(pending.pop(0))
            elif not begun:
                reached.append({})
                heading.append(0)
                running.append(len(reached) - 1)
            else:
                break
        if not running:
            return reached
        n = running.pop(int(random.integers(len(running))))
        reached[n][heading[n]] = scores[n]


@given(
    scores=st.lists(st.integers(0, 1000), min_size=1, max_size=40, unique=True),
    factor=st.integers(2, 4),
    at_once=st.integers(1, 5),
    seed=st.integers(0, 99),
    waits=st.booleans(),
)
def test_the_best_of_trials_without_noise_always_gets_the_whole_budget(
    scores: list[int], factor: int, at_once: int, seed: int, *, waits: bool
) -> None:
    reached = _play([float(one) for one in scores], 3, factor, at_once, seed, waits=waits)
    assert max(reached[scores.index(max(scores))]) == 2
    assert all(0 in one for one in reached)


@given(
    scores=st.lists(st.integers(0, 9), min_size=1, max_size=40), seeds=st.tuples(st.integers(0, 99), st.integers(0, 99))
)
def test_waiting_rungs_promote_the_same_trials_in_any_order_on_any_number_of_workers(
    scores: list[int], seeds: tuple[int, int]
) -> None:
    values = [float(one) for one in scores]
    assert _play(values, 3, 3, 1, seeds[0], waits=True) == _play(values, 3, 3, 4, seeds[1], waits=True)


def test_what_failed_never_goes_on_and_when_all_failed_the_search_ends() -> None:
    lost = -math.inf
    assert promoted([{0: lost}, {0: lost}, {0: lost}], [0, 0, 0], 3, 3, waits=False, begun=True) == []
    assert promoted([{0: lost}, {0: 1.0}, {0: lost}], [0, 0, 0], 3, 3, waits=True, begun=True) == [1]


def test_without_waiting_one_goes_on_as_soon_as_a_share_is_there() -> None:
    reached, heading = [{0: 0.1}, {0: 0.9}, {0: 0.5}], [0, 0, 0]
    assert promoted(reached, heading, 2, 3, waits=False, begun=False) == [1]
    assert promoted(reached, [0, 1, 0], 2, 3, waits=False, begun=False) == []
    assert promoted(reached, heading, 2, 3, waits=True, begun=False) == []
    assert trials_at_rungs(64, 3, 3) == (64, 21, 7)


def test_the_cost_of_dropping_is_that_of_the_epochs_between_rungs() -> None:
    cost = search_cost(27, (3, 9, 27), 3, 2.0, 1)
    assert (cost.at_rungs, cost.epochs) == ((27, 9, 3), 27 * 3 + 9 * 6 + 3 * 18)
    assert cost.seconds == 2.0 * cost.epochs
    assert search_cost(4, (10,), 3, 2.0, 2).seconds == 40.0
    assert search_cost(4, (10,), 3, None, 2).seconds is None


def _trials(count: int, seed: int) -> tuple[list[dict[str, object]], np.ndarray]:
    """Rate and network matter, the batch size does not."""
    random = np.random.default_rng(seed)
    trials: list[dict[str, object]] = [
        {
            "learning_rate": float(10 ** random.uniform(-4, -1)),
            "network": str(random.choice(["a", "b"])),
            "batch_size": int(random.choice([16, 32, 64])),
        }
        for _ in range(count)
    ]
    rates = np.array([math.log10(float(str(one["learning_rate"]))) for one in trials])
    networks = np.array([one["network"] == "a" for one in trials])
    return trials, -np.abs(rates + 2) + 0.6 * networks + random.normal(0, 0.2, count)


def test_settings_that_matter_are_told_from_one_that_does_not() -> None:
    alarms = 0
    for seed in range(100, 140):
        trials, scores = _trials(48, seed)
        found = {one.name: one for one in carried_by(trials, scores)}
        assert found["learning_rate"].chance < 0.01
        assert found["learning_rate"].share > found["batch_size"].share
        alarms += found["batch_size"].chance < 0.05
    # By its definition in one of twenty; six or more of 40 would come about in 1 of 100.
    assert alarms <= 5


def test_two_trials_are_not_drawn_as_a_trend_and_a_setting_with_one_value_says_nothing() -> None:
    assert carried_by([{"batch_size": 16}, {"batch_size": 32}], np.array([0.5, 0.9])) == []
    many = [{"batch_size": 16, "warm_up": 0.1 * (n % 2)} for n in range(12)]
    assert [one.name for one in carried_by(many, np.arange(12.0))] == ["warm_up"]
    assert carried_by(many, np.full(12, np.nan)) == []


def test_the_best_of_equals_loses_its_lead_on_other_pictures() -> None:
    # Sixty trials that are all right in 80 of 100 by nothing but chance: the best looks better than that.
    found = []
    for seed in range(10):
        right = np.random.default_rng(seed).random((60, 200)) < 0.8
        one = optimism_of(right.astype(np.float64), seed)
        assert one.score == right.mean(axis=1).max()
        assert one.interval[0] <= one.corrected <= one.interval[1]
        found.append((one.score, one.corrected))
    assert np.mean([score for score, _ in found]) > 0.85
    assert abs(np.mean([corrected for _, corrected in found]) - 0.8) < 0.02


def test_a_single_trial_keeps_its_score() -> None:
    right = (np.random.default_rng(1).random((1, 400)) < 0.9).astype(np.float64)
    assert abs(optimism_of(right).corrected - right.mean()) < 0.005
    with pytest.raises(ShapeError):
        optimism_of(np.zeros((0, 5)))
    with pytest.raises(ShapeError):
        optimism_of(np.zeros((3, 1)))
