"""The table of training settings: complete, checked, and asking where a value is far from usual."""

import pytest

from vast_orchard.core.training.doubts import doubts
from vast_orchard.core.training.settings import (
    SETTINGS,
    Keep,
    OptimizerName,
    TrainingSettings,
    chosen_settings,
)
from vast_orchard.errors import SettingError


def test_every_setting_has_what_a_page_needs() -> None:
    assert list(SETTINGS)[:3] == ["epochs", "batch_size", "learning_rate"]
    for entry in SETTINGS.values():
        assert entry.words
        assert entry.help.endswith(".")
        assert (entry.kind == "choice") == bool(entry.choices)
        assert getattr(TrainingSettings(), entry.name) == entry.default
        if entry.kind in ("whole", "number"):
            assert entry.low <= entry.default <= entry.high
        if entry.when:
            other, values = entry.when
            assert set(values) <= {value for value, _, _ in SETTINGS[other].choices}


def test_values_become_choices_or_are_refused() -> None:
    read = TrainingSettings(optimizer="sgd", keep="last")  # type: ignore[arg-type]
    assert (read.optimizer, read.keep) == (OptimizerName.SGD, Keep.LAST)
    with pytest.raises(SettingError, match=r"Optimizer cannot be 'momentum'\. Choose one of adam, adamw, rmsprop, sgd"):
        TrainingSettings(optimizer="momentum")  # type: ignore[arg-type]
    with pytest.raises(SettingError, match="Nesterov cannot be 'yes'"):
        TrainingSettings(nesterov="yes")  # type: ignore[arg-type]
    with pytest.raises(SettingError, match=r"Epochs cannot be 2\.5\. Choose a whole number from 1 to 10000"):
        TrainingSettings(epochs=2.5)  # type: ignore[arg-type]


def test_the_rate_follows_the_optimizer_until_it_is_chosen() -> None:
    assert chosen_settings({}).learning_rate == 0.006
    assert chosen_settings({"optimizer": "sgd"}).learning_rate == 0.03
    assert chosen_settings({"optimizer": "rmsprop"}).learning_rate == 0.001
    assert chosen_settings({"optimizer": "sgd", "learning_rate": 0.5}).learning_rate == 0.5
    with pytest.raises(SettingError, match="There is no setting pace"):
        chosen_settings({"pace": 3})
    with pytest.raises(SettingError, match="Optimizer cannot be 'downhill'"):
        chosen_settings({"optimizer": "downhill"})


@pytest.mark.parametrize(
    ("chosen", "asked"),
    [
        ({"learning_rate": 0.03}, ()),
        ({"learning_rate": 0.0006}, ()),
        ({"learning_rate": 0.6}, ("A learning rate of 0.6 is 100 times more than the usual 0.006.",)),
        ({"learning_rate": 6e-5}, ("A learning rate of 6e-05 is 100 times less than the usual 0.006.",)),
        ({"optimizer": "sgd", "learning_rate": 0.3}, ()),
        ({"optimizer": "sgd", "learning_rate": 3.0}, ("A learning rate of 3 is 100 times more than the usual 0.03.",)),
    ],
)
def test_a_rate_far_outside_the_usual_is_questioned(chosen: dict[str, object], asked: tuple[str, ...]) -> None:
    assert doubts(chosen_settings(chosen)) == asked
