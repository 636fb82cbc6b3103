"""Several models that answer as one: the weights that each of them gets, and what is gained by it."""

from collections import defaultdict
from collections.abc import Hashable, Sequence
from dataclasses import dataclass

import numpy as np

from vast_orchard.core.arrays import Array, FloatArray
from vast_orchard.core.judging.paired import exact_paired_test
from vast_orchard.errors import ShapeError

__all__ = ["Combined", "combine_answers", "disagreement", "fitted_weights"]

_ROUNDS, _ENOUGH = 500, 1e-9
_PARTS = 5
_TINY = 1e-20


@dataclass(frozen=True, kw_only=True)
class Combined:
    """Members together, judged on pictures that neither they nor their weights learnt from."""

    weights: tuple[float, ...]  # of the members, summing to one
    accuracy: float
    loss: float
    members: tuple[float, ...]  # accuracy of each alone
    member_losses: tuple[float, ...]
    best: int  # the member that is best alone, by its loss
    gain: float  # accuracy less that of the best member
    loss_gain: float  # loss of the best member less that of all together
    interval: tuple[float, float]  # of the gain in accuracy, 95 %
    chance: float  # how often chance alone gives as large a difference from it


def fitted_weights(answers: FloatArray, labels: Array) -> FloatArray:
    """The weights of a mean of probabilities under which the labels are most likely.

    By the steps of expectation and maximisation for the shares of a mixture (Dempster, Laird & Rubin 1977, section
    4.3), which never make it less likely; the best shares are the only ones, for the likelihood is concave in them.

    Parameters
    ----------
    answers : ndarray, shape (M, N, K), float
        Probabilities of each member.
    labels : ndarray, shape (N,), int

    Returns
    -------
    ndarray, shape (M,), float64
    """
    said = np.maximum(answers[:, np.arange(len(labels)), labels].astype(np.float64), _TINY)
    weights = np.full(len(said), 1 / len(said))
    for _ in range(_ROUNDS):
        shares = weights[:, None] * said
        shares /= shares.sum(axis=0)
        before, weights = weights, shares.mean(axis=1)
        if np.abs(weights - before).max() < _ENOUGH:
            break
    return weights


def _parts(keys: Sequence[Hashable], seed: int) -> Array:
    """A part from 0 for each picture; what has the same key is in the same."""
    members: dict[Hashable, list[int]] = defaultdict(list)
    for place, key in enumerate(keys):
        members[("alone", place) if key is None else ("group", key)].append(place)
    groups = list(members.values())
    found = np.empty(len(keys), np.int64)
    for number, group in enumerate(np.random.default_rng(seed).permutation(len(groups)).tolist()):
        found[groups[group]] = number % _PARTS
    return found


def _mixed(answers: FloatArray, weights: FloatArray) -> FloatArray:
    return np.asarray(np.tensordot(weights, answers.astype(np.float64), axes=1))


def combine_answers(
    answers: FloatArray, labels: Array, keys: Sequence[Hashable], *, fitted: bool, seed: int = 1
) -> Combined:
    """What members gain by answering together.

    With fitted weights each picture is judged by weights that were fitted on others: the pictures are divided into five
    parts, and what belongs together is never divided.

    Parameters
    ----------
    answers : ndarray, shape (M, N, K), float
        Probabilities of each member for pictures that none of them learnt from.
    labels : ndarray, shape (N,), int
    keys : sequence of hashable
        What keeps pictures together; None for one that stands alone.
    fitted : bool
        Weights of our own fitting instead of the plain mean.
    seed : int

    Raises
    ------
    ShapeError
        There are fewer than two members or pictures.
    """
    if answers.ndim != 3 or len(answers) < 2 or answers.shape[1] < 2:
        raise ShapeError(f"The answers have shape {answers.shape}.", "Give those of two members on two pictures.")
    weights = np.full(len(answers), 1 / len(answers))
    together = _mixed(answers, weights)
    if fitted:
        parts = _parts(keys, seed)
        for part in np.unique(parts):
            own = parts == part
            together[own] = _mixed(answers[:, own], fitted_weights(answers[:, ~own], labels[~own]))
        weights = fitted_weights(answers, labels)
    rows = np.arange(len(labels))
    losses = -np.log(np.maximum(answers[:, rows, labels].astype(np.float64), _TINY)).mean(axis=1)
    right = answers.argmax(axis=2) == labels
    best = int(losses.argmin())
    mixed_right = together.argmax(axis=1) == labels
    loss = float(-np.log(np.maximum(together[rows, labels], _TINY)).mean())
    apart = mixed_right.astype(np.float64) - right[best]
    half = 1.96 * float(apart.std(ddof=1)) / np.sqrt(len(apart))
    gain = float(apart.mean())
    return Combined(
        weights=tuple(float(weight) for weight in weights),
        accuracy=float(mixed_right.mean()),
        loss=loss,
        members=tuple(float(one) for one in right.mean(axis=1)),
        member_losses=tuple(float(one) for one in losses),
        best=best,
        gain=gain,
        loss_gain=float(losses[best]) - loss,
        interval=(gain - half, gain + half),
        chance=exact_paired_test(int((mixed_right & ~right[best]).sum()), int((~mixed_right & right[best]).sum())),
    )


def disagreement(answers: FloatArray) -> FloatArray:
    """How far members are from agreeing on each picture, as a measure of doubt: (N,), float64, 0 where they agree.

    The entropy of the mean of their answers less the mean of their entropies, in nats (Houlsby et al. 2011, "Bayesian
    active learning for classification and preference learning", eq. 2).

    Parameters
    ----------
    answers : ndarray, shape (M, N, K), float
    """
    p = np.maximum(answers.astype(np.float64), _TINY)
    mean = p.mean(axis=0)
    whole = -(mean * np.log(mean)).sum(axis=1)
    own = -(p * np.log(p)).sum(axis=2).mean(axis=0)
    return np.maximum(whole - own, 0.0)
