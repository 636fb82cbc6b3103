"""Which settings of a search carried the difference between its trials, and how far that can be trusted."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from vast_orchard.core.arrays import Array, FloatArray

__all__ = ["FEWEST_TRIALS", "Carried", "carried_by"]

# Fewer results than this are told one by one and not drawn together.
FEWEST_TRIALS = 8
_SHUFFLES = 2000
_FOUND = 0.05
# Ranges are cut into parts with as many trials each, of which each has at least so many.
_MOST_PARTS, _LEAST_IN_PART = 4, 4


@dataclass(frozen=True, kw_only=True)
class Carried:
    """What one setting tells of the order of the trials, once those that tell more are taken off."""

    name: str
    share: float  # of the differences in rank that lie between its values, from 0 to 1, less what chance gives
    chance: float  # how often shuffled results give as large a share, corrected for as many settings as were looked at
    trials: int  # that had a value of it


def _ranks(values: FloatArray) -> FloatArray:
    """Ranks from 1; equal values share the mean of theirs."""
    _, inverse, counts = np.unique(values, return_inverse=True, return_counts=True)
    ends = np.cumsum(counts)
    return ((ends - counts + 1 + ends) / 2)[inverse].astype(np.float64)


def _parts(values: Sequence[Any]) -> Array:
    """To which part of the trials each belongs: by its value, or by a range of it."""
    if not all(isinstance(value, int | float) and not isinstance(value, bool) for value in values):
        return np.unique([repr(value) for value in values], return_inverse=True)[1]
    distinct = sorted(set(values))
    if len(distinct) <= _MOST_PARTS:
        return np.array([distinct.index(value) for value in values])
    parts = max(2, min(_MOST_PARTS, len(values) // _LEAST_IN_PART))
    order = np.argsort(np.array(values, np.float64), kind="stable")
    found = np.empty(len(values), np.int64)
    found[order] = np.arange(len(values)) * parts // len(values)
    return found


def _share(ranks: FloatArray, parts: Array) -> FloatArray:
    """Share of the variance of ranks between parts (Kelley 1935, "An unbiased correlation ratio measure"), by row."""
    known, sizes = np.unique(parts, return_counts=True)
    n, k = len(parts), len(known)
    total = ((ranks - ranks.mean(axis=1, keepdims=True)) ** 2).sum(axis=1)
    means = np.stack([ranks[:, parts == part].mean(axis=1) for part in known], axis=1)
    between = (sizes * (means - ranks.mean(axis=1, keepdims=True)) ** 2).sum(axis=1)
    within = np.maximum(total - between, 0.0)
    found = 1 - (within / max(1, n - k)) / np.maximum(total / (n - 1), 1e-12)
    return np.asarray(found, np.float64)


def carried_by(trials: Sequence[dict[str, Any]], scores: FloatArray, seed: int = 1) -> list[Carried]:
    """For each setting how much of the trials' order it tells, the most first.

    The share is that of a one-way analysis of the ranks of the scores (Kruskal & Wallis 1952), without what chance
    gives; how often shuffled scores give as much is the permutation test of it, corrected by Holm 1979 for as many
    settings as there are. What is found is taken off before the others are looked at (aligned ranks; Hodges & Lehmann
    1962): beside a setting that carries most of the difference, another one would be lost in it. Empty below
    `FEWEST_TRIALS` trials, and a setting that has one value only is left out.

    Parameters
    ----------
    trials : sequence of dict
        Values of each trial by the setting's name; it may lack some.
    scores : ndarray, shape (T,), float64
        All of the same budget; NaN is left out.
    seed : int
    """
    aligned, left = scores.astype(np.float64), sorted({name for values in trials for name in values})
    found: list[Carried] = []
    while left:
        looked = [one for name in left if (one := _alone(name, trials, aligned, seed)) is not None]
        if not looked:
            break
        best = min(looked, key=lambda one: (one.chance, -one.share))
        chance = min(1.0, best.chance * len(looked))
        if chance >= _FOUND:
            rest = [replace(one, chance=min(1.0, one.chance * len(looked))) for one in looked]
            return [*found, *sorted(rest, key=lambda one: (one.chance, -one.share))]
        found.append(replace(best, chance=max([chance, *(one.chance for one in found)])))
        left = [one.name for one in looked if one is not best]
        aligned = _without(best.name, trials, aligned)
    return found


def _alone(name: str, trials: Sequence[dict[str, Any]], scores: FloatArray, seed: int) -> Carried | None:
    """What a setting tells of these scores; None where nothing can be told."""
    own = [n for n, values in enumerate(trials) if name in values and np.isfinite(scores[n])]
    parts = _parts([trials[n][name] for n in own]) if own else np.zeros(0, np.int64)
    if len(own) < FEWEST_TRIALS or not 2 <= len(set(parts.tolist())) < len(own):
        return None
    ranks = _ranks(scores[own])
    shuffled = np.random.default_rng(seed).permuted(np.tile(ranks, (_SHUFFLES, 1)), axis=1)
    share = float(_share(ranks[None], parts)[0])
    above = int((_share(shuffled, parts) >= share - 1e-12).sum())
    return Carried(name=name, share=max(0.0, share), chance=(1 + above) / (1 + _SHUFFLES), trials=len(own))


def _without(name: str, trials: Sequence[dict[str, Any]], scores: FloatArray) -> FloatArray:
    """The ranks of the scores, less the mean of the part of a setting that each belongs to."""
    finite = np.flatnonzero(np.isfinite(scores))
    left = np.full(len(scores), np.nan)
    left[finite] = _ranks(scores[finite])
    own = np.array([n for n in finite.tolist() if name in trials[n]])
    parts = _parts([trials[n][name] for n in own])
    for part in np.unique(parts):
        members = own[parts == part]
        left[members] -= left[members].mean()
    return left
