"""When a training ends early, by figures written by hand: what is met, when, and over how many epochs it closes."""

from collections.abc import Sequence
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from vast_orchard.core.training.doubts import doubts
from vast_orchard.core.training.endings import (
    check_endings,
    closing_rate,
    ended_early,
    first_met,
    met_words,
)
from vast_orchard.core.training.settings import TrainingSettings
from vast_orchard.core.training.values import EpochMetrics
from vast_orchard.errors import SettingError


def _history(values: Sequence[float], name: str = "validation_loss") -> list[EpochMetrics]:
    return [EpochMetrics(number=n, figures={name: value}) for n, value in enumerate(values, start=1)]


def _settings(**chosen: Any) -> TrainingSettings:
    asked = {"epochs": 40, "end_when": "validation-loss", "end_within": 3, "end_not_before": 1, "end_change": 0.01}
    return TrainingSettings(**{**asked, **chosen})


def test_it_ends_when_the_last_epochs_are_no_better_than_those_before() -> None:
    # The best is epoch 3; epochs 4 to 6 bring less than 0.01, so that it is told after epoch 6.
    values = [0.9, 0.7, 0.5, 0.495, 0.6, 0.499, 0.2]
    met = first_met(_history(values), _settings())
    assert met is not None
    assert (met.by, met.figure, met.epoch) == ("standstill", "validation_loss", 6)
    assert (met.value, met.before, met.before_epoch) == (0.495, 0.5, 3)
    assert met.last == 10  # a tenth of 40 epochs in which the rate falls
    words = met_words(met, _settings())
    assert words == (
        "Validation loss had not fallen by 0.01 within 3 epochs: up to epoch 6 it was 0.495 at best, after 0.5 in "
        "epoch 3. Over 4 more epochs the rate then fell to zero."
    )


@pytest.mark.parametrize(
    ("chosen", "values", "epoch"),
    [
        ({"end_not_before": 7}, [0.5] * 8, 7),
        ({"end_not_before": 9}, [0.5] * 8, None),
        ({}, [0.5] * 3, None),  # three epochs have nothing before them to be held against
        ({}, [0.5] * 4, 4),
        ({"end_change": 0.0}, [0.5, 0.4999, 0.4998, 0.4997, 0.4996], None),  # the least progress is some
        ({"end_change": 0.0}, [0.5] * 4, 4),
        ({"end_within": 2}, [0.5, 0.6, 0.6], 3),
        # Slow and steady counts: together the three epochs bring more than is asked for.
        ({}, [0.5, 0.496, 0.492, 0.488, 0.484], None),
    ],
)
def test_patience_change_and_the_earliest_epoch_are_kept(
    chosen: dict[str, Any], values: list[float], epoch: int | None
) -> None:
    met = first_met(_history(values), _settings(**chosen))
    assert (met.epoch if met else None) == epoch


def test_an_accuracy_rises_and_a_target_is_reached_from_its_own_side() -> None:
    rising = _history([0.5, 0.6, 0.7, 0.705, 0.7, 0.7], "validation_accuracy")
    met = first_met(rising, _settings(end_when="validation-accuracy"))
    assert met is not None
    assert (met.epoch, met.value, met.before) == (6, 0.705, 0.7)
    reach = {"end_when": "none", "reach": "validation-accuracy", "reach_value": 0.7}
    met = first_met(rising, _settings(**reach))
    assert met is not None
    assert (met.by, met.epoch, met.value) == ("reached", 3, 0.7)
    assert "Validation accuracy was 0.7 in epoch 3; 0.7 was enough." in met_words(met, _settings(**reach))
    falling = _history([0.9, 0.3, 0.2])
    met = first_met(falling, _settings(end_when="none", reach="validation-loss", reach_value=0.25))
    assert met is not None
    assert met.epoch == 3


def test_a_rate_that_stays_ends_at_once_and_the_end_as_planned_is_no_condition() -> None:
    met = first_met(_history([0.5] * 6), _settings(schedule="constant"))
    assert met is not None
    assert (met.epoch, met.last) == (4, 4)
    assert "more epochs" not in met_words(met, _settings(schedule="constant"))
    # Told after epoch 4, it would close over two epochs, which are all that are left.
    assert first_met(_history([0.5] * 6), _settings(epochs=6)) is None
    assert ended_early(_history([0.5] * 6), _settings(epochs=6)) is None


def test_of_two_phases_only_the_last_is_looked_at() -> None:
    met = first_met(_history([0.5] * 9), _settings(), first=5)
    assert met is not None
    assert (met.epoch, met.before_epoch) == (8, 5)


def test_what_ended_a_training_is_told_from_its_figures() -> None:
    by_time = ended_early(_history([0.5, 0.4]), _settings(time_limit=1.5))
    assert by_time is not None
    assert met_words(by_time, _settings(time_limit=1.5)) == "Its time of 1.5 minutes was over."
    by_figure = ended_early(_history([0.5] * 8), _settings(time_limit=1.5))
    assert by_figure is not None
    assert (by_figure.by, by_figure.last) == ("standstill", 8)
    assert ended_early([], _settings()) is None


@given(st.lists(st.floats(0, 3), min_size=1, max_size=30), st.integers(1, 6), st.integers(1, 12))
def test_what_was_met_first_is_met_whatever_follows(values: list[float], within: int, not_before: int) -> None:
    settings = _settings(end_within=within, end_not_before=not_before)
    whole = first_met(_history(values), settings)
    for end in range(1, len(values) + 1):
        part = first_met(_history(values[:end]), settings)
        assert part == (whole if whole and whole.epoch <= end else None)
    if whole:
        assert whole.epoch >= max(not_before, within + 1)
        assert min(values[whole.epoch - within : whole.epoch]) > min(values[: whole.epoch - within]) - 0.01 - 1e-9


def test_the_closing_rate_begins_where_it_was_and_falls_to_zero() -> None:
    rates = [closing_rate(step, 40, 0.004) for step in range(40)]
    assert rates[0] == 0.004
    assert rates == sorted(rates, reverse=True)
    assert 0 < rates[-1] < 0.004 / 100


@pytest.mark.parametrize(
    ("chosen", "words"),
    [
        ({"end_within": -3}, r"Patience cannot be -3\. Choose a whole number from 1"),
        ({"end_within": 0.001, "end_change": 8}, r"Patience cannot be 0\.001\. Choose a whole number"),
        ({"end_when": "validation-joy"}, "Ends without progress of cannot be 'validation-joy'"),
        ({"reach": "validation-accuracy", "reach_value": 95}, r"validation accuracy of 95 cannot be reached: 1 is all"),
        ({"time_limit": -1}, "Time limit cannot be -1"),
    ],
)
def test_blanks_that_mean_nothing_are_refused(chosen: dict[str, Any], words: str) -> None:
    with pytest.raises(SettingError, match=words):
        _settings(**chosen)


def test_figures_of_a_set_that_there_is_not_are_refused() -> None:
    with pytest.raises(SettingError, match="would end by its validation loss, and no picture is in validation"):
        check_endings(_settings(), validated=False)
    check_endings(_settings(), validated=True)
    check_endings(_settings(end_when="training-loss"), validated=False)


@pytest.mark.parametrize(
    ("chosen", "asked"),
    [
        ({}, ()),
        ({"end_within": 34}, ()),
        ({"end_within": 35}, ("Want of progress can first be told after epoch 36 of 40, and closing takes 4: it would "
                              "change nothing.",)),
        ({"end_not_before": 36}, ("Want of progress can first be told after epoch 36 of 40, and closing takes 4: it "
                                  "would change nothing.",)),
        ({"end_when": "none", "end_within": 35}, ()),
        ({"reach": "validation-accuracy", "reach_value": 0}, ("A validation accuracy of 0 is reached at once.",)),
    ],
)  # fmt: skip
def test_an_ending_that_can_never_be_met_or_always_is_questioned(
    chosen: dict[str, Any], asked: tuple[str, ...]
) -> None:
    assert doubts(_settings(**chosen)) == asked
