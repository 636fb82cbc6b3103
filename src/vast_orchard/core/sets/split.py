"""Random, stratified division of pictures into sets, drawn from a keyed hash of each picture's content."""

import hashlib
from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass

from vast_orchard.errors import SplitError
from vast_orchard.types import SetName

__all__ = ["DEFAULT_SHARES", "Shares", "complete_sets", "drawn_place", "proposed_shares", "stratified_split"]


@dataclass(frozen=True, kw_only=True)
class Shares:
    """Parts of the whole, each 0 to 1, together at most 1."""

    training: float = 0.7
    validation: float = 0.15
    test: float = 0.15

    def __post_init__(self) -> None:
        values = (self.training, self.validation, self.test)
        if any(not 0 <= value <= 1 for value in values) or sum(values) > 1 + 1e-9:
            raise SplitError(f"The shares are {values}.", "Give each 0 to 1, together at most 1.")
        if not self.training or not self.validation:
            raise SplitError(f"The shares are {values}.", "Training and validation both need pictures.")


# 70/15/15 leaves about 30 validation pictures to the rarest of seven classes in 1,400 (an interval of ±0.15).
DEFAULT_SHARES = Shares()


# A set of 1,000 pictures tells an accuracy of 0.9 within 0.02 either way (a Wilson interval of 95 %), about as much as
# two runs differ; below 5 % of a collection its rare classes would be missing from a set.
_ENOUGH, _LEAST, _MOST = 1000, 0.05, 0.15


def proposed_shares(count: int) -> Shares:
    """Shares for so many labelled pictures: validation and test have 15 % each, and less where that is plenty.

    From about 6,700 pictures on they have 1,000 pictures each, and from 20,000 on 5 %; in whole percents.
    """
    share = max(_LEAST, min(_MOST, round(_ENOUGH / max(1, count), 2)))
    return Shares(training=round(1 - 2 * share, 2), validation=share, test=share)


def drawn_place(identity: str, seed: int) -> bytes:
    """Where a picture stands in a drawn order: the same on every machine, however the pictures came in."""
    return hashlib.blake2b(identity.encode(), key=seed.to_bytes(8, "little"), digest_size=16).digest()


def _counts(size: int, shares: Shares, owed: dict[SetName, float]) -> dict[SetName, int]:
    """How many of `size` pictures go to each set; what rounding leaves open goes where most is owed.

    The largest-remainder rule, with remainders carried from class to class, so that the sets as a whole come out
    within one picture of their shares as well.
    """
    exact = {name: size * getattr(shares, name.value) for name in SetName}
    counts = {name: int(value + 1e-9) for name, value in exact.items()}
    for name in SetName:
        owed[name] += exact[name] - counts[name]
    open_places = round(sum(exact.values())) - sum(counts.values())
    for _ in range(max(0, min(open_places, size - sum(counts.values())))):
        name = max(SetName, key=lambda candidate: owed[candidate] if exact[candidate] else float("-inf"))
        counts[name] += 1
        owed[name] -= 1
    # A class that training never sees cannot be learnt: its last picture goes there, whatever the rounding said.
    if size and not counts[SetName.TRAINING]:
        for name in (SetName.TEST, SetName.VALIDATION):
            if counts[name]:
                counts[name] -= 1
                owed[name] += 1
                break
        counts[SetName.TRAINING] = 1
        owed[SetName.TRAINING] -= 1
    return counts


def stratified_split(
    identities: Sequence[str], labels: Sequence[str], shares: Shares, seed: int
) -> list[SetName | None]:
    """A set for each picture, with the same class shares in every set as nearly as whole pictures allow.

    Parameters
    ----------
    identities : sequence of str
        Content hashes, one a picture.
    labels : sequence of str
    shares : Shares
    seed : int
        0 to 2**64 − 1.

    Returns
    -------
    list of SetName or None
        None where the shares leave a remainder.

    Raises
    ------
    SplitError
        There is nothing to divide.
    """
    if not identities:
        raise SplitError("There are no labelled pictures to divide.", "Bring in or label some first.")
    by_class: dict[str, list[int]] = defaultdict(list)
    for place, label in enumerate(labels):
        by_class[label].append(place)
    result: list[SetName | None] = [None] * len(identities)
    owed = dict.fromkeys(SetName, 0.0)
    for label in sorted(by_class):
        places = sorted(by_class[label], key=lambda place: drawn_place(identities[place], seed))
        start = 0
        for name, count in _counts(len(places), shares, owed).items():
            for place in places[start : start + count]:
                result[place] = name
            start += count
    return result


def complete_sets(
    identities: Sequence[str],
    labels: Sequence[str],
    given: Sequence[SetName | None],
    shares: Shares,
    seed: int,
) -> list[SetName | None]:
    """Keep the sets that came with the pictures, and draw from training those that did not come.

    A validation set that is missing is drawn from the training pictures (stratified), never from the test pictures.

    Raises
    ------
    SplitError
        No picture came in a training set.
    """
    result = list(given)
    training = [place for place, name in enumerate(given) if name is SetName.TRAINING]
    if not training:
        raise SplitError("No folder of the pictures is a training set.", "Divide at random instead.")
    missing = [name for name in (SetName.VALIDATION, SetName.TEST) if name not in given and getattr(shares, name.value)]
    if missing:
        drawn = {name.value: getattr(shares, name.value) for name in missing}
        part = Shares(
            training=1 - sum(drawn.values()),
            validation=drawn.get("validation", 1e-9),
            test=drawn.get("test", 0.0),
        )
        places = stratified_split([identities[i] for i in training], [labels[i] for i in training], part, seed)
        for place, name in zip(training, places, strict=True):
            result[place] = name or SetName.TRAINING
    return result
