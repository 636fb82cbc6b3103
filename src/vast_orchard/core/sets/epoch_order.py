"""In which order an epoch shows its training pictures, and how often each."""

from collections.abc import Mapping
from enum import StrEnum

import numpy as np

from vast_orchard.core.arrays import Array

__all__ = ["ClassDraws", "epoch_order", "shown_per_class", "stretch_order"]


class ClassDraws(StrEnum):
    """How often an epoch shows each class."""

    NONE = "none"  # each picture once
    BALANCED = "balanced"  # each class equally often


def shown_per_class(counts: Mapping[int, int], class_draws: ClassDraws) -> dict[int, int]:
    """How many showings of each class an epoch has; together always as many as there are pictures.

    Parameters
    ----------
    counts : mapping of int to int
        Pictures by class; classes without pictures get none.
    class_draws : ClassDraws
    """
    if class_draws is ClassDraws.NONE:
        return dict(counts)
    present = sorted(label for label, count in counts.items() if count)
    total = sum(counts.values())
    # What cannot be shared out evenly goes to the first classes.
    return dict.fromkeys(counts, 0) | {
        label: total // len(present) + (place < total % len(present)) for place, label in enumerate(present)
    }


def epoch_order(labels: Array, seed: int, epoch: int, class_draws: ClassDraws = ClassDraws.NONE) -> tuple[Array, Array]:
    """Places of the pictures in the order in which an epoch shows them, and how often each was shown before in it.

    With balanced draws no picture of a class is shown once more before all of the class were shown.

    Parameters
    ----------
    labels : ndarray, shape (N,), int64
    seed, epoch : int
    class_draws : ClassDraws

    Returns
    -------
    tuple of ndarray, shape (N,), int64, and ndarray, shape (N,), int64
    """
    random = np.random.default_rng([seed, epoch, 0])
    if class_draws is ClassDraws.NONE:
        return random.permutation(len(labels)), np.zeros(len(labels), np.int64)
    present, counts = np.unique(labels, return_counts=True)
    wanted = shown_per_class(dict(zip(present.tolist(), counts.tolist(), strict=True)), class_draws)
    places, repeats = [], []
    for label, count in zip(present.tolist(), counts.tolist(), strict=True):
        members = random.permutation(np.flatnonzero(labels == label))
        showings = np.arange(wanted[label])
        places.append(members[showings % count])
        repeats.append(showings // count)
    order = random.permutation(sum(wanted.values()))
    return np.concatenate(places)[order], np.concatenate(repeats)[order]


def stretch_order(
    labels: Array, seed: int, number: int, count: int, class_draws: ClassDraws = ClassDraws.NONE
) -> tuple[Array, Array]:
    """A stretch of an endless row of passes over the pictures, for an epoch that is not as long as one pass.

    Parameters
    ----------
    labels : ndarray, shape (N,), int64
    seed : int
    number : int
        Of the stretch, from 1.
    count : int
        Showings in each stretch.
    class_draws : ClassDraws

    Returns
    -------
    tuple of ndarray, shape (count,), int64, and ndarray, shape (count,), int64
        As of `epoch_order`: a picture that stands at the end of a pass and in the next one was shown before.
    """
    begin, end, length = (number - 1) * count, number * count, len(labels)
    orders = [epoch_order(labels, seed, n + 1, class_draws)[0] for n in range(begin // length, -(-end // length))]
    order = np.concatenate(orders)[begin % length : begin % length + count]
    repeats = np.zeros(count, np.int64)
    seen: dict[int, int] = {}
    for place, picture in enumerate(order.tolist()):
        repeats[place] = seen.get(picture, 0)
        seen[picture] = repeats[place] + 1
    return order, repeats
