"""Optimizers by hand and against twins of one number, clipping, and the learning rate over a training."""

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from vast_orchard.core.training.optimizers import (
    Adam,
    Momentum,
    Optimizer,
    RMSprop,
    clip_by_norm,
    gradient_norm,
    make_optimizer,
)
from vast_orchard.core.training.schedule import learning_rate
from vast_orchard.core.training.settings import OptimizerName, Schedule, TrainingSettings

_GRADIENTS = [0.5, -1.0, 2.0, 0.25]
_RATE = 0.1


def _sgd(momentum: float, nesterov: bool) -> float:
    value, velocity = 1.0, 0.0
    for gradient in _GRADIENTS:
        velocity = momentum * velocity - _RATE * gradient
        value += momentum * velocity - _RATE * gradient if nesterov else velocity
    return value


def _rmsprop() -> float:
    value, mean = 1.0, 0.0
    for gradient in _GRADIENTS:
        mean = 0.9 * mean + 0.1 * gradient**2
        value -= _RATE * gradient / (math.sqrt(mean) + 1e-8)
    return value


def _adam(decay: float) -> float:
    # Algorithm 1 of the paper as it is written, with both moments corrected one by one.
    value, first, second = 1.0, 0.0, 0.0
    for step, gradient in enumerate(_GRADIENTS, 1):
        first, second = 0.9 * first + 0.1 * gradient, 0.999 * second + 0.001 * gradient**2
        corrected = (first / (1 - 0.9**step)) / (math.sqrt(second / (1 - 0.999**step)) + 1e-8)
        value = value * (1 - _RATE * decay) - _RATE * corrected
    return value


@pytest.mark.parametrize(
    ("optimizer", "wanted"),
    [
        (Momentum(0.0), _sgd(0, False)),
        (Momentum(0.9), _sgd(0.9, False)),
        (Momentum(0.9, nesterov=True), _sgd(0.9, True)),
        (RMSprop(), _rmsprop()),
        (Adam(), _adam(0)),
        (Adam(decay=0.3), _adam(0.3)),
    ],
)
def test_each_rule_is_its_formula(optimizer: Optimizer, wanted: float) -> None:
    # 19 alike, so that whole vectors and the rest behind them are both seen.
    value = {"dense_1.weights": np.ones(19)}
    for gradient in _GRADIENTS:
        optimizer.step(value, {"dense_1.weights": np.full(19, gradient)}, _RATE)
    np.testing.assert_allclose(value["dense_1.weights"], wanted, rtol=1e-12)


def test_weight_decay_leaves_biases_and_batch_norm_alone() -> None:
    values = {name: np.ones(3) for name in ("conv_1.weights", "conv_1.bias", "batch_norm_1.gamma")}
    Adam(decay=0.5).step(values, {name: np.zeros(3) for name in values}, 0.1)
    assert [value[0] for value in values.values()] == [0.95, 1.0, 1.0]


@pytest.mark.parametrize("name", OptimizerName)
def test_going_on_from_stored_memory_is_as_if_never_stopped(name: OptimizerName) -> None:
    asked = TrainingSettings(optimizer=name)
    random = np.random.default_rng(0)
    gradients = [{"a.weights": random.standard_normal((3, 5)).astype(np.float32)} for _ in range(6)]
    whole, parts = ({"a.weights": np.ones((3, 5), np.float32)} for _ in range(2))
    one, two = make_optimizer(asked), make_optimizer(asked)
    for place, gradient in enumerate(gradients):
        one.step(whole, gradient, 0.01)
        if place == 3:
            stored, two = two.state(), make_optimizer(asked)
            two.load(stored)
        two.step(parts, gradient, 0.01)
    np.testing.assert_array_equal(whole["a.weights"], parts["a.weights"])
    assert one.state().keys() == two.state().keys()


@given(limit=st.floats(0.01, 100), scale=st.floats(1e-3, 1e3), seed=st.integers(0, 99))
@settings(max_examples=40)
def test_clipping_shortens_to_the_limit_and_keeps_the_direction(limit: float, scale: float, seed: int) -> None:
    random = np.random.default_rng(seed)
    gradients = {"a": random.standard_normal((2, 7)) * scale, "b": random.standard_normal(30) * scale}
    before = np.concatenate([value.ravel() for value in gradients.values()])
    norm = gradient_norm(gradients)
    assert norm == pytest.approx(math.sqrt(float((before**2).sum())))
    clip_by_norm(gradients, norm, limit)
    after = np.concatenate([value.ravel() for value in gradients.values()])
    np.testing.assert_allclose(after, before * min(1, limit / norm), rtol=1e-9)


def test_the_norm_of_what_is_no_number_is_none() -> None:
    assert not math.isfinite(gradient_norm({"a": np.array([1.0, np.nan])}))
    assert not math.isfinite(gradient_norm({"a": np.array([np.inf, 1.0])}))


def _rates(**more: object) -> list[float]:
    asked = TrainingSettings(epochs=20, learning_rate=0.1, **more)  # type: ignore[arg-type]
    return [learning_rate(step, 200, asked) for step in range(200)]


@pytest.mark.parametrize("schedule", Schedule)
def test_every_schedule_begins_with_its_warm_up(schedule: Schedule) -> None:
    rates = _rates(schedule=schedule, warm_up=0.1)
    np.testing.assert_allclose(rates[:20], [0.1 * (n + 1) / 20 for n in range(20)])
    assert max(rates) == pytest.approx(0.1)


@pytest.mark.parametrize(
    ("schedule", "more", "wanted"),
    [
        ("constant", {}, {0: 0.1, 100: 0.1, 199: 0.1}),
        ("step", {"step_epochs": 8, "step_factor": 0.5}, {0: 0.1, 79: 0.1, 80: 0.05, 159: 0.05, 160: 0.025}),
        ("cosine", {}, {0: 0.1, 50: 0.1 * (1 + math.sqrt(0.5)) / 2, 100: 0.05, 150: 0.1 * (1 - math.sqrt(0.5)) / 2}),
        ("rise-and-fall", {}, {0: 0.01, 45: 0.055, 90: 0.1, 135: 0.055, 180: 0.01, 190: 0.00505}),
    ],
)
def test_schedules_by_hand(schedule: str, more: dict[str, float], wanted: dict[int, float]) -> None:
    rates = _rates(schedule=schedule, warm_up=0, **more)
    assert {step: rates[step] for step in wanted} == pytest.approx(wanted)


def test_cosine_ends_near_zero() -> None:
    rates = _rates(warm_up=0.05)
    assert rates[10:] == sorted(rates[10:], reverse=True)
    assert rates[-1] < 1e-5
