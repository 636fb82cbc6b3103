"""Judged pictures in five parts: what is fitted on four of them is measured on the fifth."""

import numpy as np

from vast_orchard.core.arrays import Array

__all__ = ["PARTS", "five_parts"]

PARTS = 5


def five_parts(labels: Array, groups: Array, *, seed: int = 1) -> Array:
    """A number from 0 to 4 for each picture: every class spread evenly, copies in one part.

    Parameters
    ----------
    labels, groups : ndarray, shape (N,), int
        Pictures of the same group are copies of one another; a group counts to the class of its first picture.
    seed : int

    Returns
    -------
    ndarray, shape (N,), int64
    """
    _, first, group = np.unique(groups, return_index=True, return_inverse=True)
    of_group = np.empty(len(first), np.int64)
    rng = np.random.default_rng(seed)
    dealt = 0
    for label in np.unique(labels[first]):
        members = rng.permutation(np.flatnonzero(labels[first] == label))
        # Dealt on where the class before ended, so that small classes do not all begin with the same part.
        of_group[members] = (dealt + np.arange(len(members))) % PARTS
        dealt += len(members)
    return of_group[group]
