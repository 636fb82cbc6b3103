"""How fast this machine trains, beside the one that costs were measured on; kept with its compiled kernels."""

import contextlib
import os
import statistics
import time

import numpy as np

from vast_orchard.core.network.description import NetworkDescription, resolved
from vast_orchard.core.network.effort import effort_of
from vast_orchard.core.network.network import Network
from vast_orchard.core.network.plan import plan
from vast_orchard.core.network.ready import ready_network
from vast_orchard.core.ops.softmax import softmax_cross_entropy
from vast_orchard.core.team import Team
from vast_orchard.core.training.optimizers import Adam
from vast_orchard.kernel_cache import keep_pace, kept_pace

__all__ = ["find_pace", "learn_pace", "measured_pace"]

# Of two kinds: few channels on large maps, and many on small ones with paths that part.
_PROBES = ("plain 5", "residual 8")
_SIDE, _CLASSES, _BATCH = 32, 8, 32
_STEPS, _AT_FIRST = 16, 2
# A training shorter than this tells more of what happens once than of the machine.
_LEAST_S = 5.0


def _step_s(description: NetworkDescription, team: Team) -> float:
    """A training step; the faster half counts, as what slows a step down is nearly always another program."""
    random = np.random.default_rng(0)
    network, optimizer = Network(description, 0, team=team), Adam()
    x = random.standard_normal((_BATCH, *description.input_shape)).astype(np.float32)
    targets = np.eye(_CLASSES, dtype=np.float32)[np.arange(_BATCH) % _CLASSES]
    spent = []
    for step in range(_AT_FIRST + _STEPS):
        began = time.perf_counter()
        _, gradient = softmax_cross_entropy(network.forward(x, random), targets)
        network.backward(gradient)
        optimizer.step(network.parameters, network.gradients, 1e-4)
        if step >= _AT_FIRST:
            spent.append(time.perf_counter() - began)
    return statistics.median(sorted(spent)[: _STEPS // 2])


def measured_pace(team: Team) -> float:
    """Seconds of this machine, with these threads, for one of the reference; takes about a second."""
    found = []
    for name in _PROBES:
        description = resolved(ready_network(name), (_SIDE, _SIDE, 3), _CLASSES)
        effort = effort_of(plan(description).layers, description.input_shape)
        found.append(_step_s(description, team) / effort.step_s(_BATCH))
    return statistics.geometric_mean(found)


def find_pace(team: Team) -> float:
    """The pace as it was measured before with so many threads, else measured now and kept."""
    pace = kept_pace(os.environ, team.threads)
    if pace is None:
        pace = measured_pace(team)
        _keep(team, pace)
    return pace


def learn_pace(team: Team, spent_s: float, expected_s: float) -> None:
    """Take over what a training took: it tells more than a trial, of this machine and of what else it does.

    Parameters
    ----------
    team : Team
    spent_s : float
        By the clock.
    expected_s : float
        Of the reference.
    """
    if expected_s >= _LEAST_S:
        _keep(team, spent_s / expected_s)


def _keep(team: Team, pace: float) -> None:
    # Where nothing can be kept, it is measured again.
    with contextlib.suppress(OSError, RuntimeError):
        keep_pace(os.environ, team.threads, pace)
