"""In which order an epoch shows its training pictures, and how often each."""

from collections.abc import Mapping

import numpy as np

from vast_orchard.core.arrays import Array
from vast_orchard.errors import SettingError

__all__ = ["CLASS_DRAWS", "epoch_order", "shown_per_class"]

CLASS_DRAWS = ("none", "balanced")


def shown_per_class(counts: Mapping[int, int], class_draws: str) -> dict[int, int]:
    """How many showings of each class an epoch has; together always as many as there are pictures.

    Parameters
    ----------
    counts : mapping of int to int
        Pictures by class; classes without pictures get none.
    class_draws : {"none", "balanced"}
        Each picture once, or each class equally often.
    """
    if class_draws == "none":
        return dict(counts)
    present = sorted(label for label, count in counts.items() if count)
    total = sum(counts.values())
    # What cannot be shared out evenly goes to the first classes.
    return dict.fromkeys(counts, 0) | {
        label: total // len(present) + (place < total % len(present)) for place, label in enumerate(present)
    }


def epoch_order(labels: Array, seed: int, epoch: int, class_draws: str = "none") -> tuple[Array, Array]:
    """Places of the pictures in the order in which an epoch shows them, and how often each was shown before in it.

    With balanced draws no picture of a class is shown once more before all of the class were shown.

    Parameters
    ----------
    labels : ndarray, shape (N,), int64
    seed, epoch : int
    class_draws : {"none", "balanced"}

    Returns
    -------
    tuple of ndarray, shape (N,), int64, and ndarray, shape (N,), int64

    Raises
    ------
    SettingError
        There is no such way to draw.
    """
    if class_draws not in CLASS_DRAWS:
        raise SettingError(f"The drawing of classes is {class_draws!r}.", f"Choose one of {', '.join(CLASS_DRAWS)}.")
    random = np.random.default_rng([seed, epoch, 0])
    if class_draws == "none":
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
