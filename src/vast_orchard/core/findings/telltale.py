"""Facts that give a class away although they should not: how well each alone predicts it out of fold."""

import itertools
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from scipy.stats import chi2

from vast_orchard.core.arrays import Array, FloatArray

__all__ = ["Telltale", "parts_of", "tells", "telltale_facts"]

_FOLDS = 5
# A number is cut into so many parts with as many pictures each; of names the commonest have a part each.
_PARTS, _MOST_NAMES = 8, 30
# One in a hundred of all that is not known of a class: less is of no use to a network, however sure it is.
_LEAST_SHARE = 0.01
_SURE = 0.01
_FEWEST = 40  # pictures


@dataclass(frozen=True, kw_only=True)
class Telltale:
    """What one fact tells of the class."""

    fact: str
    share: float  # of what is not known of a class without it, how much is known with it, out of fold; 0 to 1
    right: float  # how often the likeliest class by it is right, out of fold
    chance: float  # how often chance gives as much (G test), corrected for as many facts as were looked at
    most: tuple[int, int, int, int] | None  # the part that tells most: its place, class, pictures of it, all in it


def parts_of(values: Sequence[object]) -> tuple[Array, list[str]]:
    """Cut a fact into parts: the part of each picture, and what the parts are called.

    Parameters
    ----------
    values : sequence
        Of N pictures, numbers or names; None is a part of its own.

    Returns
    -------
    ndarray, shape (N,), int64
    list of str
    """
    numbers = all(isinstance(value, int | float) and not isinstance(value, bool) for value in values)
    distinct = sorted({value for value in values if value is not None}, key=lambda value: (str(type(value)), value))
    if numbers and len(distinct) > _PARTS:
        plain = np.array(values, np.float64)
        edges = np.unique(np.quantile(plain, np.arange(1, _PARTS) / _PARTS))
        bounds = [plain.min(), *edges.tolist(), plain.max()]
        words = [f"{low:g} to {high:g}" for low, high in itertools.pairwise(bounds)]
        return np.searchsorted(edges, plain, side="right"), words
    told = [str(value) if value is not None else "none" for value in values]
    names, counts = np.unique(told, return_counts=True)
    kept = [str(name) for name in names[np.argsort(-counts, kind="stable")][:_MOST_NAMES]]
    known = {name: place for place, name in enumerate(kept)}
    words = kept if len(kept) == len(names) else [*kept, "others"]
    return np.array([known.get(one, len(kept)) for one in told], np.int64), words


def telltale_facts(
    facts: Mapping[str, tuple[Array, Sequence[str]]], labels: Array, folds_seed: int = 1
) -> list[Telltale]:
    """What each fact tells, the most first; facts with one part only are left out.

    A table of the classes in each part is counted on four of five folds and asked on the fifth, with one picture of
    each class more than there are (Laplace), so that a rare part tells nothing. What it gains is the share of the
    cross-entropy that a table without the fact has. Named should be what `tells` says of it.

    Parameters
    ----------
    facts : mapping of str to (ndarray of shape (N,), sequence of str)
        Of each the part of every picture, and what the parts are called.
    labels : ndarray, shape (N,), int
    folds_seed : int
    """
    if len(labels) < _FEWEST or len(np.unique(labels)) < 2:
        return []
    fold = np.random.default_rng([folds_seed, len(labels)]).permutation(len(labels)) % _FOLDS
    _, classes = np.unique(labels, return_inverse=True)
    looked = {name: parts for name, (parts, _) in facts.items() if len(np.unique(parts)) > 1}
    found = [_told(name, parts, classes, np.unique(labels), fold) for name, parts in looked.items()]
    found.sort(key=lambda one: one.chance)
    corrected, least = [], 0.0
    for place, one in enumerate(found):
        # Holm 1979.
        least = max(least, min(1.0, one.chance * (len(found) - place)))
        corrected.append(Telltale(fact=one.fact, share=one.share, right=one.right, chance=least, most=one.most))
    return sorted(corrected, key=lambda one: -one.share)


def tells(one: Telltale) -> bool:
    """Whether it gives the class away: surely, and enough to be of use."""
    return one.chance < _SURE and one.share >= _LEAST_SHARE


def _table(parts: Array, classes: Array, shape: tuple[int, int]) -> FloatArray:
    return np.bincount(parts * shape[1] + classes, minlength=shape[0] * shape[1]).reshape(shape).astype(np.float64)


def _told(name: str, parts: Array, classes: Array, labels: Array, fold: Array) -> Telltale:
    shape = (int(parts.max()) + 1, int(classes.max()) + 1)
    loss = plain = right = 0.0
    for held in range(_FOLDS):
        own, rest = fold == held, fold != held
        table = _table(parts[rest], classes[rest], shape)
        whole = table.sum(axis=0) + 1
        whole /= whole.sum()
        # Where a part was seldom met, it says what all together say.
        told = table + shape[1] * whole
        told /= told.sum(axis=1, keepdims=True)
        loss -= np.log(told[parts[own], classes[own]]).sum()
        plain -= np.log(whole[classes[own]]).sum()
        right += float((told.argmax(axis=1)[parts[own]] == classes[own]).sum())
    table = _table(parts, classes, shape)
    table = table[table.sum(axis=1) > 0]
    expected = table.sum(axis=1, keepdims=True) * table.sum(axis=0) / table.sum()
    with np.errstate(divide="ignore", invalid="ignore"):
        g = 2 * np.where(table > 0, table * np.log(table / expected), 0.0).sum()
    freedom = (table.shape[0] - 1) * (table.shape[1] - 1)
    return Telltale(
        fact=name,
        share=float(max(0.0, 1 - loss / plain)) if plain else 0.0,
        right=right / len(parts),
        chance=float(chi2.sf(g, freedom)),
        most=_most(parts, classes, labels, shape),
    )


def _most(parts: Array, classes: Array, labels: Array, shape: tuple[int, int]) -> tuple[int, int, int, int] | None:
    """The part and class in which there are most pictures more than the class's share gives."""
    table = _table(parts, classes, shape)
    excess = table - table.sum(axis=1, keepdims=True) * table.sum(axis=0) / table.sum()
    part, label = np.unravel_index(int(excess.argmax()), shape)
    return int(part), int(labels[label]), int(table[part, label]), int(table[part].sum())
