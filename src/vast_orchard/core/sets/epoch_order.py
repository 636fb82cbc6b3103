"""In which order an epoch shows its training pictures, and how often each."""

from collections.abc import Mapping
from enum import StrEnum

import numpy as np

from vast_orchard.core.arrays import Array

__all__ = ["ClassDraws", "epoch_order", "shown_per_class"]


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
