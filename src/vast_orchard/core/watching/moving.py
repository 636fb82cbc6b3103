"""Lookouts for whether a training moves."""

import math
from typing import Any

import numpy as np

from vast_orchard.core.training.settings import OFFERED_RATES
from vast_orchard.core.watching.findings import (
    EARLY,
    NEARLY_ALL,
    Facts,
    Finding,
    History,
    Lookout,
    Question,
    Standing,
    losses,
    quiet,
    since,
)
from vast_orchard.core.watching.history import EpochRecord

__all__ = ["MOVING"]


def _slower(facts: Facts) -> dict[str, Any]:
    """A rate to try in place of one that is too high: the one offered, or a third of it."""
    offered, now = OFFERED_RATES[facts.settings.optimizer], facts.settings.learning_rate
    return {"learning_rate": offered if now > 2 * offered else float(f"{now / 3:.2g}")}


def _faster(facts: Facts) -> dict[str, Any]:
    offered, now = OFFERED_RATES[facts.settings.optimizer], facts.settings.learning_rate
    return {"learning_rate": offered if now < offered / 2 else float(f"{now * 3:.2g}")}


_STILL = 0.99  # of the loss of guessing; the slowest of healthy trainings pass it while the rate rises
_MOVED = 0.98  # of the first epoch's loss: what has fallen so far moves, however slowly it began


def _standing_still(history: History, facts: Facts) -> Finding:
    known = losses(history)
    if len(known) < facts.settled:
        return EARLY
    if facts.largest > NEARLY_ALL:
        return quiet()
    share = min(known) / facts.guess
    if share <= _STILL or min(known) <= _MOVED * known[0]:
        return quiet(share, _STILL)
    return Finding(
        standing=Standing.FOUND, value=share, bound=_STILL, since=1,
        why=f"After {len(known)} epochs the training loss has been {min(known):.3g} at best, and always answering with "
        f"the shares of the classes comes to {facts.guess:.3g}: nothing has been learnt.",
        mend="See what the other lookouts say of rate and layers.",
        # At the rate that is offered, or above it, a higher one is not what is missing.
        change=_faster(facts) if facts.settings.learning_rate < OFFERED_RATES[facts.settings.optimizer] else {},
    )  # fmt: skip


_AWAY = 2.0


def _running_away(history: History, facts: Facts) -> Finding:
    if facts.lost:
        return Finding(
            standing=Standing.FOUND, since=len(history) + 1, why=facts.lost, bound=_AWAY,
            mend="Train at a lower rate.", change=_slower(facts),
        )  # fmt: skip
    known = losses(history)
    if not known:
        return EARLY
    lowest = min(known)
    times = known[-1] / max(lowest, facts.guess, 1e-9)
    if times <= _AWAY or len(known) == 1:
        return quiet(times, _AWAY)
    hits = [loss / max(lowest, facts.guess, 1e-9) > _AWAY for loss in known]
    return Finding(
        standing=Standing.FOUND, value=times, bound=_AWAY, since=since([e.number for e in history], hits),
        why=f"The training loss is {known[-1]:.3g}; it has been {lowest:.3g}, and guessing comes to {facts.guess:.3g}.",
        mend="Train at a lower rate.", change=_slower(facts),
    )  # fmt: skip


_START = 2.0


def _bad_start(history: History, facts: Facts) -> Finding:
    first = history[0].watched.losses if history else ()
    if not first:
        return EARLY
    guess = math.log(max(2, len(facts.classes)))
    times = first[0] / guess
    if times <= _START:
        return quiet(times, _START)
    return Finding(
        standing=Standing.FOUND, value=times, bound=_START, since=1,
        why=f"Before anything was learnt the loss was {first[0]:.3g}, and guessing comes to {guess:.3g}: the first "
        "answers are sure and wrong.",
        mend="Batch norm behind the convolutions, or pictures scaled by their deviation, keep first answers small.",
        leads_to="network",
    )  # fmt: skip


# Steps of a hundredth of a weight's length are long even at Adam's highest rate. Longer ones are found if nothing is
# learnt with them, and in any case if weights turn over within a few.
_LONG, _WILD, _SHORT = 0.03, 0.3, 3e-5
_HIGH_RATE = 0.5  # of the highest: at lower ones short steps are meant to be


def _rate(history: History, facts: Facts) -> Finding:
    known = [(entry.number, value) for entry in history if (value := _middle_update(entry)) is not None]
    if not known:
        return EARLY
    numbers, values = zip(*known, strict=True)
    value, settled = values[-1], history[-1].number >= facts.settled
    best = min(losses(history), default=0.0)
    nothing_learnt = settled and facts.largest <= NEARLY_ALL and best > _STILL * facts.guess
    longest = max(values)
    if value > _WILD or (nothing_learnt and longest > _LONG):
        return Finding(
            standing=Standing.FOUND, value=longest, bound=_LONG, since=numbers[values.index(longest)],
            why=f"A step moves the weights by up to {longest:.2g} of their length, in the middle of all layers; a "
            "hundredth is much.",
            mend="Train at a lower rate.", change=_slower(facts),
        )  # fmt: skip
    rate = history[-1].figures.get("learning_rate", 0.0)
    if settled and 0 < value < _SHORT and rate >= _HIGH_RATE * facts.settings.learning_rate:
        return Finding(
            standing=Standing.FOUND, value=value, bound=_SHORT, since=since(numbers, [v < _SHORT for v in values]),
            why=f"A step moves the weights by {value:.2g} of their length, in the middle of all layers; a thousandth "
            "is usual.",
            mend="Train at a higher rate.", change=_faster(facts),
        )  # fmt: skip
    return quiet(value, _LONG)


def _middle_update(entry: EpochRecord) -> float | None:
    values = [layer.update for layer in entry.watched.layers if layer.update is not None]
    return float(np.median(values)) if values else None


_STILL_FALLS = 0.05
_NOTHING = 1e-9  # of a loss: less than that is no fall


def _still_falling(history: History, facts: Facts) -> Finding:
    known = losses(history, "validation_loss") or losses(history)
    if not facts.done:
        return EARLY
    tenth = max(2, math.ceil(len(known) / 10))
    if len(known) < 4 * tenth:
        return quiet(bound=_STILL_FALLS)
    before, last = float(np.mean(known[-2 * tenth : -tenth])), float(np.mean(known[-tenth:]))
    whole = max(known[: 2 * tenth]) - min(known)
    share = (before - last) / whole if whole > _NOTHING else 0.0
    if share <= _STILL_FALLS:
        return quiet(share, _STILL_FALLS)
    epochs = facts.settings.epochs
    return Finding(
        standing=Standing.FOUND, value=share, bound=_STILL_FALLS, since=history[-tenth].number,
        why=f"In the last {tenth} epochs the loss was {last:.3g}, in the {tenth} before them {before:.3g}: that is "
        f"{share:.0%} of all that it fell.",
        mend="Give it more epochs.", change={"epochs": 2 * epochs},
    )  # fmt: skip


MOVING = (
    Lookout(id="still", question=Question.MOVES, words="Standing still", look=_standing_still,
            measures="lowest training loss over that of guessing"),
    Lookout(id="away", question=Question.MOVES, words="Running away", look=_running_away,
            measures="training loss over its lowest, or over that of guessing"),
    Lookout(id="first", question=Question.MOVES, words="Worse than guessing at first", look=_bad_start,
            measures="loss of the first step over that of guessing"),
    Lookout(id="rate", question=Question.MOVES, words="A rate far too low or high", look=_rate,
            measures="length of a step over that of the weights, median of the layers"),
    Lookout(id="unfinished", question=Question.MOVES, words="Ended while still falling", look=_still_falling,
            measures="fall in the last tenth of the epochs over the whole fall"),
)  # fmt: skip
