"""The learning rate over the steps of a training."""

import math

from vast_orchard.core.training.settings import Schedule, TrainingSettings

__all__ = ["learning_rate"]

# The cycle's lowest rate is a tenth of its highest, its last tenth falls two decades further
# (Smith & Topin 2018, "Super-convergence", section 3).
_CYCLE_LOW, _CYCLE_END, _CYCLE_TAIL = 0.1, 0.001, 0.1


def _rise_and_fall(done: float) -> float:
    half = (1 - _CYCLE_TAIL) / 2
    if done < half:
        return _CYCLE_LOW + (1 - _CYCLE_LOW) * done / half
    if done < 2 * half:
        return 1 - (1 - _CYCLE_LOW) * (done - half) / half
    return _CYCLE_LOW - (_CYCLE_LOW - _CYCLE_END) * (done - 2 * half) / _CYCLE_TAIL


def learning_rate(step: int, steps: int, settings: TrainingSettings) -> float:
    """Rate at `step` (from 0) of `steps` in all.

    A linear rise over the first share `warm_up` of the steps keeps the first ones small, while the optimizer's
    estimates are poor (Goyal et al. 2017, section 2.2). Then the schedule: "constant"; "step", a factor every few
    epochs; "cosine", half a period down to zero (Loshchilov & Hutter 2017, "SGDR", eq. 5); "rise-and-fall", up and
    down and then far down (Smith & Topin 2018).
    """
    peak, rise = settings.learning_rate, int(steps * settings.warm_up)
    if step < rise:
        return peak * (step + 1) / rise
    done = (step - rise) / max(1, steps - rise)
    match settings.schedule:
        case Schedule.CONSTANT:
            return peak
        case Schedule.STEP:
            drops = int(step * settings.epochs / steps) // settings.step_epochs
            return peak * settings.step_factor**drops
        case Schedule.RISE_AND_FALL:
            return peak * _rise_and_fall(done)
        case Schedule.COSINE:
            return peak * 0.5 * (1 + math.cos(math.pi * done))
