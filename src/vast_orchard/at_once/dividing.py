"""Makes splits of a project's labelled pictures, and changes them: records in, the core's rules, records out."""

from collections import Counter, defaultdict
from collections.abc import Hashable, Mapping, Sequence
from dataclasses import asdict, dataclass

from sqlalchemy.orm import Session

from vast_orchard.core.sets.amounts import Numbers, shares_of
from vast_orchard.core.sets.grouped import grouped_split, stratified_folds, told_fit, topped_up
from vast_orchard.core.sets.split import Shares, complete_sets, proposed_shares, stratified_split
from vast_orchard.errors import ConflictError, SplitError
from vast_orchard.formats.name_pattern import keys_by_pattern
from vast_orchard.store.actions import locked_pictures
from vast_orchard.store.history import Change, action_value, apply, pictures_said, record
from vast_orchard.store.pictures import labelled_pictures
from vast_orchard.store.splits import (
    copy_keys,
    create_split,
    days_brought_in,
    divided_copies,
    editable_split,
    folder_sets,
    get_split,
    group_keys,
    left_out,
    newest_split_id,
    present_sets,
)
from vast_orchard.store.values import ActionValue, PictureValue, SplitValue
from vast_orchard.types import SetName

__all__ = [
    "DivideRule",
    "DivisionAhead",
    "divide",
    "division_ahead",
    "folds_of",
    "gather_copies",
    "move_to_set",
    "proposal",
    "split_for_training",
    "split_keys",
    "top_up",
]

METHODS = ("random", "folders")
TOGETHER = ("nothing", "group", "pattern", "day")


@dataclass(frozen=True, kw_only=True)
class DivideRule:
    """How to divide."""

    method: str = "random"  # by a seeded draw, or as the "folders" gave the sets
    shares: Mapping[str, float] | None = None  # None: as proposed for so many pictures
    numbers: Mapping[str, int] | None = None  # instead of shares
    seed: int = 1
    stratified: bool = True
    # What is never cut: "nothing", pictures with the same grouping "group" of the source, with the same {group} of a
    # "pattern" of the file name, or brought in on the same "day".
    together: str = "nothing"
    pattern: str = ""
    keep_copies: bool = True  # copies of one picture are never cut either


@dataclass(frozen=True, kw_only=True)
class _Drawn:
    """A division that is not stored yet."""

    pictures: Sequence[PictureValue]
    sets: Sequence[SetName | None]  # of each picture
    keys: Sequence[Hashable | None]  # what kept it together with others
    wanted: Shares


def divide(session: Session, project_id: int, rule: DivideRule, name: str = "") -> SplitValue:
    """Divide all labelled pictures.

    Raises
    ------
    SplitError
        Nothing to divide, shares or numbers that cannot be, or no sets came with the folders.
    InputError
        The pattern is none, or fits no name.
    """
    drawn = _draw(session, project_id, rule)
    labels = [str(picture.class_id) for picture in drawn.pictures]
    fit = told_fit(labels, drawn.keys, drawn.sets, drawn.wanted) if rule.method == "random" else []
    return create_split(
        session,
        project_id,
        method=rule.method,
        shares=asdict(drawn.wanted),
        seed=rule.seed,
        members={
            picture.id: name for picture, name in zip(drawn.pictures, drawn.sets, strict=True) if name is not None
        },
        name=name,
        rule={
            "stratified": rule.stratified,
            "together": rule.together,
            "pattern": rule.pattern,
            "keep_copies": rule.keep_copies,
            "numbers": dict(rule.numbers) if rule.numbers else None,
            "groups": len({key for key in drawn.keys if key is not None}),
            "alone": sum(key is None for key in drawn.keys),
        },
        fit=[
            {
                "class_id": int(met.label),
                "set_name": met.set_name.value,
                "wanted": round(met.wanted, 2),
                "got": met.got,
                "because": met.because,
            }
            for met in fit
        ],
    )


def proposal(session: Session, project_id: int) -> tuple[int, dict[str, float]]:
    """How many pictures are labelled, and the shares that suit so many."""
    count = len(labelled_pictures(session, project_id))
    return count, asdict(proposed_shares(count))


def _draw(session: Session, project_id: int, rule: DivideRule) -> _Drawn:
    for what, choice, choices in (("way to divide", rule.method, METHODS), ("grouping", rule.together, TOGETHER)):
        if choice not in choices:
            raise SplitError(f"There is no {what} named {choice!r}.", f"Choose one of {', '.join(choices)}.")
    pictures = labelled_pictures(session, project_id)
    wanted = _shares(rule, len(pictures))
    identities = [picture.sha256 for picture in pictures]
    labels = [str(picture.class_id) for picture in pictures]
    keys = _keys(session, project_id, pictures, rule)
    if rule.method == "folders":
        came = folder_sets(session, project_id)
        sets = complete_sets(identities, labels, [came.get(picture.id) for picture in pictures], wanted, rule.seed)
    elif rule.stratified and all(key is None for key in keys):
        sets = stratified_split(identities, labels, wanted, rule.seed)
    else:
        sets = grouped_split(identities, labels, keys, wanted, rule.seed, stratified=rule.stratified)
    return _Drawn(pictures=pictures, sets=sets, keys=keys, wanted=wanted)


def _shares(rule: DivideRule, pictures: int) -> Shares:
    if rule.numbers:
        return shares_of(Numbers(**rule.numbers), pictures)
    return Shares(**rule.shares) if rule.shares else proposed_shares(pictures)


def _keys(
    session: Session, project_id: int, pictures: Sequence[PictureValue], rule: DivideRule
) -> list[Hashable | None]:
    """What keeps each picture together with others; None for those that stand alone."""
    keys: dict[int, Hashable | None] = {picture.id: None for picture in pictures}
    if rule.together == "group":
        told = group_keys(session, project_id)
        keys = {picture.id: told.get(picture.id, ("", None))[1] for picture in pictures}
        if pictures and not any(keys.values()):
            raise SplitError(
                "No picture came with a grouping key.",
                "Bring in a table with such a column, or read it from the file names by a pattern.",
            )
    elif rule.together == "day":
        keys = dict.fromkeys(keys) | {n: day for n, day in days_brought_in(session, project_id).items() if n in keys}
    elif rule.together == "pattern":
        keys = _pattern_keys(session, project_id, pictures, rule.pattern)
    copies = copy_keys(session, project_id) if rule.keep_copies else {}
    return _united([keys[picture.id] for picture in pictures], [copies.get(picture.id) for picture in pictures])


def _pattern_keys(
    session: Session, project_id: int, pictures: Sequence[PictureValue], pattern: str
) -> dict[int, Hashable | None]:
    told = group_keys(session, project_id)
    paths = {picture.id: told.get(picture.id, (picture.name, None))[0] for picture in pictures}
    return dict(zip(paths, keys_by_pattern(list(paths.values()), pattern), strict=True))


def _united(first: Sequence[Hashable | None], second: Sequence[Hashable | None]) -> list[Hashable | None]:
    """One key for what either of two keys keeps together."""
    above: dict[Hashable, Hashable] = {}

    def top(node: Hashable) -> Hashable:
        while node in above:
            node = above[node]
        return node

    nodes: list[Hashable | None] = []
    for one, other in zip(first, second, strict=True):
        ends = [(which, key) for which, key in (("key", one), ("copies", other)) if key is not None]
        if len(ends) == 2 and top(ends[0]) != top(ends[1]):
            above[top(ends[1])] = top(ends[0])
        nodes.append(ends[0] if ends else None)
    return [None if node is None else top(node) for node in nodes]


def split_for_training(session: Session, project_id: int, split_id: int | None, seed: int) -> int:
    """The split asked for, else the newest, else a new one by the defaults, so that *Train* works at once.

    Sets that came with the folders are used when there are any.
    """
    chosen = split_id or newest_split_id(session, project_id)
    if chosen:
        return chosen
    return divide(session, project_id, _default_rule(session, project_id, seed)).id


def _default_rule(session: Session, project_id: int, seed: int) -> DivideRule:
    """As the folders gave the sets where they gave any, else at random."""
    came = folder_sets(session, project_id).values()
    return DivideRule(method="folders" if SetName.TRAINING in came else "random", seed=seed)


@dataclass(frozen=True, kw_only=True)
class DivisionAhead:
    """What a training that divides by itself would stand on."""

    method: str
    counts: Mapping[int, Mapping[str, int]]  # by class id and set
    left_out: Mapping[str, int]  # pictures that take no part, by the reason


def division_ahead(session: Session, project_id: int, seed: int) -> DivisionAhead:
    """Divide as `split_for_training` does where there is no split, and store nothing."""
    rule = _default_rule(session, project_id, seed)
    counts: dict[int, Counter[str]] = defaultdict(Counter)
    outside = left_out(session, project_id, None)
    if outside["none"]:
        drawn = _draw(session, project_id, rule)
        for picture, name in zip(drawn.pictures, drawn.sets, strict=True):
            if name is not None:
                counts[picture.class_id or 0][name.value] += 1
        outside["none"] = sum(name is None for name in drawn.sets)
    return DivisionAhead(method=rule.method, counts=counts, left_out=outside)


def _rule_of(split: SplitValue) -> DivideRule:
    return DivideRule(
        method=split.method,
        shares=split.shares,
        seed=split.seed,
        stratified=split.rule.get("stratified", True),
        together=split.rule.get("together", "nothing"),
        pattern=split.rule.get("pattern", ""),
        keep_copies=split.rule.get("keep_copies", True),
    )


def move_to_set(
    session: Session,
    project_id: int,
    window: str,
    split_id: int,
    sets: Mapping[int, SetName | None],
    summary: str = "",
) -> tuple[ActionValue, SplitValue]:
    """Put pictures into a set, or into none; one step of the history.

    A split that a run has used stays as it is: then the next version of it is changed.

    Parameters
    ----------
    sets : mapping of int to SetName or None
        Set by picture id.

    Raises
    ------
    ConflictError
        All of them are there already.
    MissingError
        The split or one of the pictures is not in the project; nothing is changed then.
    """
    get_split(session, split_id, project_id)
    # Nobody else moves them until this transaction ends, so what they were is what the history says they were.
    locked_pictures(session, project_id, list(sets))
    before = present_sets(session, split_id, list(sets))
    changed = {picture: name for picture, name in sets.items() if before.get(picture) != name}
    if not changed:
        raise ConflictError("All of these pictures are in that set already.", "Choose others, or another set.")
    row = editable_split(session, project_id, split_id)
    targets = {name.value if name else "no set" for name in changed.values()}
    words = summary or f"{pictures_said(len(changed))} moved to {' and '.join(sorted(targets))}"
    action = record(session, project_id, window, "sets", f"{words}, {row.name} version {row.version}", split_id=row.id)
    apply(
        session,
        action.id,
        [Change(picture, "set", before.get(picture), name) for picture, name in sorted(changed.items())],
    )
    return action_value(action, len(changed)), get_split(session, row.id)


def gather_copies(session: Session, project_id: int, window: str, split_id: int) -> tuple[ActionValue, SplitValue]:
    """Put each group of copies into one set: that in which most of it stands, training if that is undecided.

    Raises
    ------
    ConflictError
        No group stands in more than one set.
    """
    divided = divided_copies(session, project_id, split_id)
    if not divided:
        raise ConflictError("No copies stand in different sets.", "There is nothing to gather.")
    order = list(SetName)
    sets: dict[int, SetName | None] = {}
    for members in divided.values():
        counts = Counter(name for _, name in members)
        home = max(counts, key=lambda name: (counts[name], -order.index(name)))
        sets |= {picture: home for picture, _ in members}
    groups = "1 group" if len(divided) == 1 else f"{len(divided)} groups"
    return move_to_set(session, project_id, window, split_id, sets, f"{groups} of copies gathered into one set each")


def top_up(session: Session, project_id: int, window: str, split_id: int) -> tuple[ActionValue, SplitValue]:
    """Draw the labelled pictures that are in no set into the split; none that is in one is moved.

    Raises
    ------
    ConflictError
        There are none.
    """
    split = get_split(session, split_id, project_id)
    rule, pictures = _rule_of(split), labelled_pictures(session, project_id)
    present = present_sets(session, split_id)
    before = [present.get(picture.id) for picture in pictures]
    chosen = topped_up(
        [picture.sha256 for picture in pictures],
        [str(picture.class_id) for picture in pictures],
        _keys(session, project_id, pictures, rule),
        before,
        Shares(**split.shares),
        rule.seed,
    )
    new: dict[int, SetName | None] = {
        picture.id: name
        for picture, name, was in zip(pictures, chosen, before, strict=True)
        if was is None and name is not None
    }
    if not new:
        raise ConflictError("Every labelled picture that has a place is in a set.", "There is nothing to top up.")
    return move_to_set(session, project_id, window, split_id, new, f"Topped up with {pictures_said(len(new))}")


def folds_of(session: Session, project_id: int, split_id: int, count: int, seed: int) -> list[dict[int, int]]:
    """Folds of a split's training and validation pictures: for each, how many of each class.

    Raises
    ------
    SplitError
        More folds than pictures or groups.
    """
    split = get_split(session, split_id, project_id)
    present = present_sets(session, split_id)
    pictures = [
        picture
        for picture in labelled_pictures(session, project_id)
        if present.get(picture.id) in (SetName.TRAINING, SetName.VALIDATION)
    ]
    keys = _keys(session, project_id, pictures, _rule_of(split)) if pictures else []
    folds = stratified_folds(
        [picture.sha256 for picture in pictures], [str(picture.class_id) for picture in pictures], keys, count, seed
    )
    found: list[Counter[int]] = [Counter() for _ in range(count)]
    for picture, fold in zip(pictures, folds, strict=True):
        found[fold][picture.class_id or 0] += 1
    return [dict(fold) for fold in found]


def split_keys(session: Session, project_id: int, split_id: int, picture_ids: Sequence[int]) -> list[Hashable]:
    """What keeps each picture together with others, as the split was made; None for a picture that stands alone."""
    known = {picture.id: picture for picture in labelled_pictures(session, project_id)}
    pictures = [known[number] for number in picture_ids if number in known]
    keys = _keys(session, project_id, pictures, _rule_of(get_split(session, split_id, project_id)))
    by_id = dict(zip((picture.id for picture in pictures), keys, strict=True))
    return [by_id.get(number) for number in picture_ids]
