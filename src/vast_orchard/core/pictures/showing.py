"""Training pictures as an epoch shows them: varied, and mixed with others where a variation says so.

Training and the preview both ask here, so what the preview shows is what training does.
"""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from scipy.special import betaincinv

from vast_orchard.core.arrays import Array, FloatArray
from vast_orchard.core.pictures.operations import KINDS, Family
from vast_orchard.core.pictures.variation import Operation, Variation
from vast_orchard.core.pictures.vary import draws, vary
from vast_orchard.core.team import Team
from vast_orchard.errors import ShapeError

__all__ = ["Shown", "ShownPictures"]


@dataclass(frozen=True, kw_only=True)
class Shown:
    """Some pictures of an epoch."""

    pixels: Array  # (N, H, W, C), uint8
    partners: Array  # (N,), int64, place of the picture that each was mixed with; its own where it was not
    shares: FloatArray  # (N,), how much of the label is the partner's, 0 to 1


class ShownPictures:
    """All pictures of a training, of which batches are shown.

    Parameters
    ----------
    read : callable
        Pixels (N, H, W, C), uint8, of places (N,); those of a memory-mapped array's `__getitem__`, for example.
    identities : ndarray, shape (M,), uint64
        Of all the pictures that may be mixed with each other.
    variation : Variation
    seed : int
    team : Team, optional
    pool : ndarray, shape (P,), int64, optional
        Places of the pictures that others are mixed with; all by default.
    """

    def __init__(
        self,
        read: Callable[[Array], Array],
        identities: Array,
        variation: Variation,
        seed: int,
        team: Team | None = None,
        pool: Array | None = None,
    ) -> None:
        self._read, self._identities, self._variation, self._seed, self._team = read, identities, variation, seed, team
        self._mixing = [entry for entry in variation.operations if KINDS[entry.kind].family is Family.MIXING]
        # A partner is drawn by its rank among the identities, so the order in which pictures lie does not matter.
        places = np.arange(len(identities)) if pool is None else pool
        self._by_rank = places[np.argsort(identities[places], kind="stable")]

    def show(self, places: Array, epoch: int, repeats: Array | None = None) -> Shown:
        """The pictures at `places` as an epoch shows them.

        Parameters
        ----------
        places : ndarray, shape (N,), int64
        epoch : int
        repeats : ndarray, shape (N,), optional
            How often each was shown in this epoch before.

        Raises
        ------
        SettingError
            An operation on colours, and the pictures are grey.
        ShapeError
            There is no picture to mix with.
        """
        pixels = self._varied(places, epoch, repeats)
        partners, shares = np.asarray(places, np.int64).copy(), np.zeros(len(places))
        if not self._mixing:
            return Shown(pixels=pixels, partners=partners, shares=shares)
        if not len(self._by_rank):
            raise ShapeError("There are no pictures to mix with.", "Divide the pictures, so that some are trained on.")
        found = draws(self._identities[places], [e.kind for e in self._mixing], self._seed, epoch, repeats)
        pixels = np.array(pixels)
        untouched = np.ones(len(places), bool)
        for entry in self._mixing:
            happens = untouched & (found[entry.kind][:, 0] < entry.probability)
            untouched &= ~happens
            chosen = np.flatnonzero(happens)
            if len(chosen):
                partners[chosen] = self._partners(found[entry.kind][chosen, 1])
                others = self._varied(partners[chosen], epoch, None)
                mix = _blended if entry.kind == "blend" else _pasted
                pixels[chosen], shares[chosen] = mix(pixels[chosen], others, entry, found[entry.kind][chosen])
        return Shown(pixels=pixels, partners=partners, shares=shares)

    def _varied(self, places: Array, epoch: int, repeats: Array | None) -> Array:
        identities = self._identities[places]
        return vary(self._read(places), identities, self._variation, self._seed, epoch, self._team, repeats)

    def _partners(self, uniform: FloatArray) -> Array:
        ranks = np.minimum((uniform * len(self._by_rank)).astype(np.int64), len(self._by_rank) - 1)
        return np.asarray(self._by_rank[ranks])


def _beta(entry: Operation, uniform: FloatArray) -> FloatArray:
    """Shares from the symmetrical Beta distribution of the operation's concentration."""
    return np.asarray(betaincinv(entry.low, entry.low, uniform))


def _blended(pixels: Array, others: Array, entry: Operation, found: FloatArray) -> tuple[Array, FloatArray]:
    """Zhang, Cissé, Dauphin, Lopez-Paz 2018, "mixup: Beyond empirical risk minimization"."""
    shares = _beta(entry, found[:, 2])
    of_other = shares[:, None, None, None].astype(np.float32)
    mixed = pixels * (1 - of_other) + others * of_other
    return (mixed + np.float32(0.5)).astype(np.uint8), shares


def _pasted(pixels: Array, others: Array, entry: Operation, found: FloatArray) -> tuple[Array, FloatArray]:
    """Yun et al. 2019, "CutMix: Regularization strategy to train strong classifiers with localizable features"."""
    _, height, width, _ = pixels.shape
    side = np.sqrt(_beta(entry, found[:, 2]))
    shares = np.empty(len(pixels))
    mixed = pixels.copy()
    for place in range(len(pixels)):
        # Anywhere, even over the edge; the label follows the area that is really covered.
        middle_y, middle_x = found[place, 3] * height, found[place, 4] * width
        rows = slice(*_within(middle_y, side[place] * height, height))
        columns = slice(*_within(middle_x, side[place] * width, width))
        mixed[place, rows, columns] = others[place, rows, columns]
        shares[place] = (rows.stop - rows.start) * (columns.stop - columns.start) / (height * width)
    return mixed, shares


def _within(middle: float, length: float, size: int) -> tuple[int, int]:
    first, last = round(middle - length / 2), round(middle + length / 2)
    return max(0, min(first, size)), max(0, min(last, size))
