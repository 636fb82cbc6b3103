"""Division of groups that are never cut, top-up of a division, and folds; all drawn by keyed hash of the content."""

from collections import Counter, defaultdict
from collections.abc import Hashable, Mapping, Sequence
from dataclasses import dataclass

from vast_orchard.core.sets.split import Shares, drawn_place
from vast_orchard.errors import SplitError
from vast_orchard.types import SetName

__all__ = ["Met", "check_folds", "grouped_split", "stratified_folds", "told_fit", "topped_up"]


@dataclass(frozen=True, kw_only=True)
class Met:
    """What was wanted of a class in a set, and what it got."""

    label: str
    set_name: SetName
    wanted: float  # pictures, mostly no whole number
    got: int
    because: str  # why it is more than a picture off; empty if it is not


@dataclass(frozen=True)
class _Group:
    """Pictures that stay together."""

    places: tuple[int, ...]
    labels: Counter[str]
    drawn: bytes


def _groups(identities: Sequence[str], labels: Sequence[str], keys: Sequence[Hashable], seed: int) -> list[_Group]:
    """The groups, the largest first, equal ones in drawn order; a picture without a key stands alone."""
    members: dict[Hashable, list[int]] = defaultdict(list)
    for place, key in enumerate(keys):
        members[("alone", place) if key is None else ("group", key)].append(place)
    made = [
        _Group(
            places=tuple(places),
            labels=Counter(labels[place] for place in places),
            # Of the contents and not of the key, which may be called otherwise on another machine.
            drawn=min(drawn_place(identities[place], seed) for place in places),
        )
        for places in members.values()
    ]
    return sorted(made, key=lambda group: (-len(group.places), group.drawn))


class _Targets:
    """What each set is still owed of each class."""

    def __init__(self, labels: Counter[str], shares: Mapping[SetName | None, float], stratified: bool) -> None:
        self._stratified = stratified
        self.sets: list[SetName | None] = [name for name, share in shares.items() if share > 1e-9]
        self.owed: dict[SetName | None, dict[str, float]] = {
            name: {label: count * shares[name] for label, count in labels.items()} for name in self.sets
        }
        self._whole = {name: sum(self.owed[name].values()) for name in self.sets}

    def best(self, group: Mapping[str, int]) -> SetName | None:
        """The set that comes nearest to what it should have if it gets the group; the first of equals."""
        return min(self.sets, key=lambda name: self._cost(name, group))

    def _cost(self, name: SetName | None, group: Mapping[str, int]) -> float:
        # How much the squared distance from the targets grows, each measured by what the set should have at all; of
        # two sets that are equally short the one that is further from its whole comes first.
        whole = self._whole[name] or 1.0
        size = sum(group.values())
        total = self.owed[name]
        sizes = ((sum(total.values()) - size) ** 2 - sum(total.values()) ** 2) / whole
        if not self._stratified:
            return sizes
        classes = sum(((total[label] - count) ** 2 - total[label] ** 2) / whole for label, count in group.items())
        return sizes + len(total) * classes

    def give(self, name: SetName | None, group: Mapping[str, int]) -> None:
        """The set has got the group."""
        for label, count in group.items():
            self.owed[name][label] -= count


def _with_rest(shares: Shares) -> dict[SetName | None, float]:
    named: dict[SetName | None, float] = {name: getattr(shares, name.value) for name in SetName}
    return {**named, None: 1 - sum(named.values())}


def grouped_split(
    identities: Sequence[str],
    labels: Sequence[str],
    keys: Sequence[Hashable],
    shares: Shares,
    seed: int,
    *,
    stratified: bool = True,
) -> list[SetName | None]:
    """A set for each picture so that pictures with the same key are in the same set.

    The largest groups are given first, each to the set that it brings nearest to its share of pictures and of every
    class; the small ones then even out what is left.

    Parameters
    ----------
    identities : sequence of str
        Content hashes, one a picture.
    labels : sequence of str
    keys : sequence of hashable
        What keeps pictures together; None for a picture that stands alone.
    shares : Shares
    seed : int
    stratified : bool
        Whether the sets should have the same class shares.

    Returns
    -------
    list of SetName or None

    Raises
    ------
    SplitError
        There is nothing to divide, or fewer groups than sets.
    """
    if not identities:
        raise SplitError("There are no labelled pictures to divide.", "Bring in or label some first.")
    groups = _groups(identities, labels, keys, seed)
    wanted = [name for name in SetName if getattr(shares, name.value)]
    if len(groups) < len(wanted):
        raise SplitError(
            f"All pictures are in {len(groups)} group{'s' if len(groups) != 1 else ''}, and {len(wanted)} sets are"
            " wanted.",
            "Keep them together by something that tells more of them apart.",
        )
    targets = _Targets(Counter(labels), _with_rest(shares), stratified)
    result: list[SetName | None] = [None] * len(identities)
    filled: set[SetName | None] = set()
    for number, group in enumerate(groups):
        empty = [name for name in wanted if name not in filled]
        # A set that is wanted is not left empty, whatever the groups' sizes.
        name = empty[0] if len(empty) >= len(groups) - number and empty else targets.best(group.labels)
        filled.add(name)
        targets.give(name, group.labels)
        for place in group.places:
            result[place] = name
    return result


def topped_up(
    identities: Sequence[str],
    labels: Sequence[str],
    keys: Sequence[Hashable],
    present: Sequence[SetName | None],
    shares: Shares,
    seed: int,
) -> list[SetName | None]:
    """Sets for the pictures that are in none, without moving any that is.

    A picture whose group stands in a set already joins it; the others go where most is owed.

    Parameters
    ----------
    present : sequence of SetName or None
        The set of each picture now.

    Returns
    -------
    list of SetName or None
        Of all pictures.
    """
    result = list(present)
    known: dict[Hashable, Counter[SetName]] = defaultdict(Counter)
    for key, name in zip(keys, present, strict=True):
        if key is not None and name is not None:
            known[key][name] += 1
    targets = _Targets(Counter(labels), _with_rest(shares), stratified=True)
    for label, name in zip(labels, present, strict=True):
        if name is not None and name in targets.owed:
            targets.give(name, {label: 1})
    new = [place for place, name in enumerate(present) if name is None]
    groups = _groups(
        [identities[place] for place in new], [labels[place] for place in new], [keys[place] for place in new], seed
    )
    for group in groups:
        key = keys[new[group.places[0]]]
        joined = known.get(key) if key is not None else None
        name = joined.most_common(1)[0][0] if joined else targets.best(group.labels)
        if name in targets.owed:
            targets.give(name, group.labels)
        for place in group.places:
            result[new[place]] = name
    return result


def check_folds(labels: Sequence[str], keys: Sequence[Hashable], count: int, names: Mapping[str, str]) -> None:
    """See to it that every class can have something in every fold.

    Parameters
    ----------
    labels : sequence of str
    keys : sequence of hashable
        What keeps pictures together; None for a picture that stands alone.
    count : int
        Of folds.
    names : mapping of str to str
        What a class is called, by its label; the label itself where there is none.

    Raises
    ------
    SplitError
    """
    apart: dict[str, set[Hashable]] = defaultdict(set)
    for number, (label, key) in enumerate(zip(labels, keys, strict=True)):
        apart[label].add(("alone", number) if key is None else ("group", key))
    label, own = min(apart.items(), key=lambda entry: (len(entry[1]), entry[0]), default=("", set()))
    if len(own) < count:
        there = "is 1 picture or group" if len(own) == 1 else f"are {len(own)} pictures or groups"
        raise SplitError(
            f"{count} folds are asked for, and of {names.get(label, label)} there {there} outside the test set: "
            "some folds would have none of it.",
            f"Ask for {len(own)} folds at most." if len(own) > 1 else "Bring in more of it, or leave the class out.",
        )


def stratified_folds(
    identities: Sequence[str], labels: Sequence[str], keys: Sequence[Hashable], count: int, seed: int
) -> list[int]:
    """A fold for each picture, 0 to `count` − 1, with the same class shares in each; groups are never cut.

    Raises
    ------
    SplitError
        Fewer than two folds, or fewer groups than folds.
    """
    if not 2 <= count <= 50:
        raise SplitError(f"{count} folds are asked for.", "Choose 2 to 50; 5 or 10 is usual.")
    groups = _groups(identities, labels, keys, seed)
    if len(groups) < count:
        raise SplitError(
            f"{count} folds are asked for, and there are {len(groups)} pictures or groups to divide.", "Ask for fewer."
        )
    whole = Counter(labels)
    # In parts of a picture, `count` of which are one: whole numbers, so that equals are equal.
    owed, left = [dict(whole) for _ in range(count)], [len(labels)] * count
    result = [0] * len(identities)
    for group in groups:
        # Where most is still owed of the group's classes; of equals, the fold that is owed most at all.
        fold = max(range(count), key=lambda n: (sum(owed[n][x] * k for x, k in group.labels.items()), left[n], -n))
        for label, number in group.labels.items():
            owed[fold][label] -= count * number
        left[fold] -= count * len(group.places)
        for place in group.places:
            result[place] = fold
    return result


def told_fit(
    labels: Sequence[str], keys: Sequence[Hashable], chosen: Sequence[SetName | None], shares: Shares
) -> list[Met]:
    """How exactly the shares were met for each class and set, with the reason where they were not."""
    whole, got = Counter(labels), Counter(zip(labels, chosen, strict=True))
    largest: dict[str, int] = defaultdict(int)
    sizes = Counter((key, label) for key, label in zip(keys, labels, strict=True) if key is not None)
    for (_, label), size in sizes.items():
        largest[label] = max(largest[label], size)
    found = []
    for label in sorted(whole):
        for name in SetName:
            wanted, met = whole[label] * getattr(shares, name.value), got[label, name]
            found.append(
                Met(
                    label=label,
                    set_name=name,
                    wanted=wanted,
                    got=met,
                    because=_reason(wanted, met, whole[label], largest[label], name),
                )
            )
    return found


def _reason(wanted: float, met: int, whole: int, largest: int, name: SetName) -> str:
    if abs(met - wanted) < 1:
        return ""
    if largest > 1:
        return f"a group of {largest} is never cut"
    if name is SetName.TRAINING and met <= 1:
        return "the class's last picture goes to training"
    if whole < 10:
        return f"{whole} pictures cannot be divided more finely"
    return "moved by hand, or given by the folders"
