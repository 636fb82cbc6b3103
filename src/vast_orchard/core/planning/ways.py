"""In which order a search tries the combinations of its space: all of them, at random, or evenly spread."""

import itertools
from collections.abc import Iterator
from enum import StrEnum
from typing import Any

import numpy as np
from scipy.stats import qmc

from vast_orchard.core.planning.knobs import Space
from vast_orchard.errors import SettingError

__all__ = ["MOST_TRIALS", "Way", "draw_trials"]

MOST_TRIALS = 1000
# Of a small space that was nearly drawn out, this many draws for each that is still wanted.
_DRAWS_EACH = 64


class Way(StrEnum):
    """How combinations are chosen."""

    ALL = "all"  # each once, the last knob fastest
    RANDOM = "random"  # each drawn from the seed and its own number
    SPREAD = "spread"  # a scrambled Sobol sequence: no region is left out for long


def draw_trials(space: Space, way: Way, count: int, seed: int) -> list[dict[str, Any]]:
    """Values of the first `count` trials; asking for more later begins with the same ones.

    No two are the same, so that a small space may hold fewer than were asked for. Spread ones follow Sobol 1967
    ("On the distribution of points in a cube"), scrambled by Owen 1995 so that a seed has a say.

    Parameters
    ----------
    space : Space
    way : Way
    count : int
        1 to `MOST_TRIALS`; of all combinations there must not be more than that.
    seed : int

    Raises
    ------
    SettingError
        There are too many combinations, or none is asked for.
    """
    if not 1 <= count <= MOST_TRIALS:
        raise SettingError(f"{count} trials are asked for.", f"Ask for 1 to {MOST_TRIALS}.")
    if way is Way.ALL:
        return _all(space)
    found: dict[str, dict[str, Any]] = {}
    places = _random(space, seed) if way is Way.RANDOM else _spread(space, seed)
    for place in itertools.islice(places, _DRAWS_EACH * count):
        values = space.at(place)
        found.setdefault(repr(sorted(values.items())), values)
        if len(found) == count:
            break
    return list(found.values())


def _all(space: Space) -> list[dict[str, Any]]:
    if space.count is None:
        ranged = next(knob.words for knob in space.knobs if knob.count is None)
        raise SettingError(
            f"{ranged} has a range without end of values, of which not all can be tried.",
            "Give it a list, or try at random or evenly spread.",
        )
    if space.count > MOST_TRIALS:
        raise SettingError(
            f"That makes {space.count:,} combinations.".replace(",", " "),
            f"Vary less, down to {MOST_TRIALS} combinations, or try some of them at random or evenly spread.",
        )
    middles = [[(n + 0.5) / (knob.count or 1) for n in range(knob.count or 1)] for knob in space.knobs]
    found = {repr(sorted(values.items())): values for values in map(space.at, itertools.product(*middles))}
    return list(found.values())


def _random(space: Space, seed: int) -> Iterator[list[float]]:
    for number in itertools.count(1):
        yield list(np.random.default_rng([seed, number]).random(len(space.knobs)))


def _spread(space: Space, seed: int) -> Iterator[list[float]]:
    sequence = qmc.Sobol(len(space.knobs), scramble=True, rng=np.random.default_rng(seed))
    # By powers of two, of which alone the sequence is balanced; what is not wanted is not used.
    for power in itertools.count():
        yield from sequence.random_base2(max(0, power - 1)).tolist()
