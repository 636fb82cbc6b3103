"""Searches replayed over curves that were trained once, and searches of a made-up surface: no network is trained."""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from vast_orchard.core.arrays import FloatArray
from vast_orchard.core.planning.carried import carried_by
from vast_orchard.core.planning.knobs import Knob, Space
from vast_orchard.core.planning.searching import search
from vast_orchard.core.planning.ways import Way, draw_trials

__all__ = ["Curve", "curve_noise", "on_a_surface", "time_to_near"]

NEAR = 0.02  # of the best
_EPOCHS, _RUNGS, _FACTOR = 27, (9, 27), 3


@dataclass(frozen=True, kw_only=True)
class Curve:
    """A trial that was trained in full."""

    accuracy: FloatArray  # (E,), on validation after each epoch
    loss: FloatArray  # (E,), on validation
    truth: float  # accuracy in the end on pictures that are many and fresh
    epoch_s: float


def curve_noise(curves: Sequence[Curve]) -> float:
    """By how much accuracies of the last third of an epoch's curve leave a line through them: their mean deviation."""
    found = []
    for curve in curves:
        last = curve.accuracy[-len(curve.accuracy) // 3 :]
        if last[-1] > 2 / 7 and len(last) > 3:  # of one that learnt nothing there is none
            line = np.polyval(np.polyfit(np.arange(len(last)), last, 1), np.arange(len(last)))
            found.append(float((last - line).std(ddof=2)))
    return float(np.mean(found))


def time_to_near(
    curves: Sequence[Curve], order: Sequence[int], rungs: Sequence[int], factor: int, *, by_loss: bool = False
) -> float:
    """Seconds of training until the trial that a search holds for its best is within 2 % of the best that there is.

    It holds that with the whole budget for best that is so on validation; how good it is is told by other pictures.

    Parameters
    ----------
    order : sequence of int
        In which the trials are begun.
    rungs : sequence of int
        One rung: each is trained in full.
    factor : int
    by_loss : bool
        Trials are compared by their loss instead of by their accuracy.
    """
    wanted = (1 - NEAR) * max(curve.truth for curve in curves)
    spent, best = 0.0, -math.inf
    done: dict[int, int] = dict.fromkeys(order, 0)
    for leg in search([{"curve": n} for n in order], rungs, factor, waits=False):
        number = int(leg.tried.values["curve"])
        spent += (leg.until - done[number]) * curves[number].epoch_s
        done[number] = leg.until
        score = -float(curves[number].loss[leg.until - 1]) if by_loss else float(curves[number].accuracy[leg.until - 1])
        if leg.until == rungs[-1] and score > best:
            best = score
            if curves[number].truth >= wanted:
                return spent
        leg.reach(score)
    return math.inf


_SPACE = Space(
    knobs=(
        Knob(name="learning_rate", low=0.0001, high=0.1, by_ratio=True),
        Knob(name="strength", low=0.0, high=2.0),
        Knob(name="batch_size", values=(16, 32, 64)),
    )
)


def _truth(values: dict[str, Any]) -> float:
    """What a trial comes to without noise: a hill over rate and strength on which the batch size has no say."""
    rate, strength = math.log10(values["learning_rate"]) + 2.2, float(values["strength"])
    return 0.95 - 0.12 * min(rate * rate, 4.0) - 0.25 * (strength - 1.2) ** 2


def _course(values: dict[str, Any], noise: float, random: np.random.Generator) -> FloatArray:
    """A curve to it; smaller rates take longer."""
    truth, slow = _truth(values), 2.5 + 2.0 * max(0.0, -2.2 - math.log10(values["learning_rate"]))
    epochs = np.arange(1, _EPOCHS + 1)
    # Noise falls with the rate, which falls to zero.
    fade = 0.5 + 0.5 * np.cos(np.pi * epochs / _EPOCHS)
    return truth - (truth - 1 / 7) * np.exp(-epochs / slow) + random.normal(0, noise, _EPOCHS) * (0.5 + fade)


def on_a_surface(noise: float, searches: int, trials: int = 48) -> dict[str, float]:
    """Searches of a surface whose truth is known, with the noise of real curves.

    Returns
    -------
    dict
        `regret`: what the chosen trial lacks of the best one, as a share of the spread of all, in 95 of 100 searches
        at most; `found`: how often both settings that matter are told; `alarms`: how often the one that does not is.
    """
    regrets, found, alarms = [], 0, 0
    for seed in range(searches):
        random = np.random.default_rng([seed, 7])
        values = draw_trials(_SPACE, Way.RANDOM, trials, seed + 1)
        curves = [_course(one, noise, random) for one in values]
        truths = np.array([_truth(one) for one in values])
        whole: dict[int, float] = {}
        for leg in search(values, _RUNGS, _FACTOR, waits=False):
            number = leg.tried.trial - 1
            score = float(curves[number][leg.until - 1])
            if leg.until == _EPOCHS:
                whole[number] = score
            leg.reach(score)
        chosen = max(whole, key=lambda number: whole[number])
        regrets.append((truths.max() - truths[chosen]) / (truths.max() - truths.min()))
        first = np.array([curve[_RUNGS[0] - 1] for curve in curves])
        told = {one.name: one.chance < 0.05 for one in carried_by(values, first)}
        found += told["learning_rate"] and told["strength"]
        alarms += told["batch_size"]
    return {
        "regret": float(np.percentile(regrets, 95)), "found": found / searches, "alarms": alarms / searches,
    }  # fmt: skip
