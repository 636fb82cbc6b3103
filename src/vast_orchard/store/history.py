"""The history: every step of a person with what it changed, append-only; taken back and done again by window."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any, NamedTuple

from sqlalchemy import ColumnElement, Select, func, null, select, text, update
from sqlalchemy.orm import Session, aliased

from vast_orchard.errors import ConflictError
from vast_orchard.store.area_rules import reverse_rules
from vast_orchard.store.classes import class_now, revive_classes, set_class_fact
from vast_orchard.store.database import among, tell
from vast_orchard.store.schema import Action, ActionChange, Class, Import, Picture, SplitMember
from vast_orchard.store.splits import editable_split, newest_version, put_in_sets, versions_of
from vast_orchard.store.standing import Standing
from vast_orchard.store.values import ActionValue, UndoResult

__all__ = ["Change", "ClassChange", "action_value", "apply", "pictures_said", "record", "redo", "undo"]

# A number of our own for PostgreSQL's advisory locks.
_TURN_LOCK = 0x564F31


class Change(NamedTuple):
    """One fact of one picture, before and after."""

    picture_id: int
    fact: str  # class, note, excluded, unsure, copies, dismissed, area, binned, set
    before: Any
    after: Any


class ClassChange(NamedTuple):
    """One fact of a class, before and after."""

    class_id: int
    fact: str  # name, place, sign, colour, deleted
    before: Any
    after: Any


@dataclass(frozen=True)
class _Fact:
    """How a fact of pictures is read and written."""

    type: str  # of the columns that note it
    now: ColumnElement[Any]
    written: Callable[[Any], dict[str, Any]]


# Its values lie with the members of a split, which the step's detail names.
_NO_SET: ColumnElement[Any] = null()

_FACTS = {
    "set": _Fact("text", _NO_SET, lambda _value: {}),
    "class": _Fact("int", Picture.class_id.expression, lambda value: {"class_id": value}),
    "note": _Fact("text", Picture.note.expression, lambda value: {"note": value}),
    "excluded": _Fact("bool", Picture.excluded.expression, lambda value: {"excluded": value}),
    "unsure": _Fact("bool", Picture.unsure.expression, lambda value: {"unsure": value}),
    "copies": _Fact("int", Picture.copy_group.expression, lambda value: {"copy_group": value}),
    "dismissed": _Fact("int", Picture.dismissed.expression, lambda value: {"dismissed": value}),
    "area": _Fact("int", Picture.area_id.expression, lambda value: {"area_id": value}),
    "binned": _Fact(
        "bool", Picture.deleted_at.is_not(None), lambda value: {"deleted_at": func.now() if value else None}
    ),
}


def record(
    session: Session,
    project_id: int,
    window: str,
    kind: str,
    summary: str,
    *,
    class_changes: Sequence[ClassChange] = (),
    undoes: int | None = None,
    split_id: int | None = None,
) -> Action:
    """A new step; the changes of classes are made, those of pictures by `apply`.

    Sets are changed in the split `split_id`.
    """
    detail: dict[str, Any] | None = None
    if class_changes:
        detail = {"changes": [change._asdict() for change in class_changes]}
    elif split_id is not None:
        detail = {"split": split_id}
    action = Action(project_id=project_id, window=window, kind=kind, summary=summary, detail=detail, undoes=undoes)
    session.add(action)
    session.flush()
    for change in class_changes:
        set_class_fact(session, project_id, change.class_id, change.fact, change.after)
    tell(session, "actions", project_id, action=action.id)
    return action


def pictures_said(count: int) -> str:
    """A number of pictures in words."""
    return "1 picture" if count == 1 else f"{count:,} pictures"


def apply(session: Session, action_id: int, changes: Sequence[Change]) -> None:
    """Note the changes under their step, and make them."""
    by_fact: dict[str, list[Change]] = {}
    for change in changes:
        by_fact.setdefault(change.fact, []).append(change)
    for fact, members in by_fact.items():
        kind = _FACTS[fact].type
        # One statement for all rows: ten thousand labels are one step of a person, who waits for it.
        session.execute(
            text(
                "insert into action_change (action_id, picture_id, change)"
                " select :action, x.picture,"
                " jsonb_build_object(cast(:fact as text), jsonb_build_array(x.was, x.became))"
                f" from unnest(cast(:pictures as bigint[]), cast(:before as {kind}[]), cast(:after as {kind}[]))"
                " x (picture, was, became) on conflict (action_id, picture_id) do update"
                " set change = action_change.change || excluded.change"
            ),
            {
                "fact": fact,
                "action": action_id,
                "pictures": [x.picture_id for x in members],
                "before": [x.before for x in members],
                "after": [x.after for x in members],
            },
        )
        if fact == "set":
            put_in_sets(session, _split_of(session, action_id), {x.picture_id: x.after for x in members})
            continue
        by_value: dict[Any, list[int]] = {}
        for x in members:
            by_value.setdefault(x.after, []).append(x.picture_id)
        for value, pictures in by_value.items():
            session.execute(update(Picture).where(among(Picture.id, pictures)).values(_FACTS[fact].written(value)))


def _split_of(session: Session, action_id: int) -> int:
    action = session.get(Action, action_id)
    assert action is not None
    return int((action.detail or {})["split"])


def action_value(action: Action, count: int = 0) -> ActionValue:
    """A step as the history shows it."""
    return ActionValue(
        id=action.id,
        kind=action.kind,
        summary=action.summary,
        done_at=action.done_at,
        window=action.window,
        pictures=count,
        undoes=action.undoes,
    )


def _last(session: Session, project_id: int, query: Select[Action]) -> Action | None:
    """The newest of these steps of a project that nothing has taken back."""
    # One after the other, even when two requests come at once: a lock on the row alone would let both choose it.
    session.execute(select(func.pg_advisory_xact_lock(_TURN_LOCK, project_id)))
    later = aliased(Action)
    free = query.where(Action.project_id == project_id, ~select(later.id).where(later.undoes == Action.id).exists())
    return session.scalar(free.order_by(Action.id.desc()).limit(1))


def undo(session: Session, project_id: int, window: str, *, import_id: int | None = None) -> UndoResult:
    """Take back this window's last step that has not been taken back yet, or any window's import.

    Pictures that someone changed again since are left as they are, and counted in the answer.

    Raises
    ------
    ConflictError
        There is nothing left to take back, or a class is in use.
    """
    query = select(Action).where(Action.kind != "undo")
    if import_id is None:
        query = query.where(Action.window == window)
    else:
        query = query.where(Action.detail["import"].as_integer() == import_id)
    action = _last(session, project_id, query)
    if action is None and import_id is not None:
        raise ConflictError("This import was taken back already, or brought nothing in.", "Look at the list again.")
    if action is None:
        raise ConflictError("There is nothing to take back in this window.", "Each window takes back its own steps.")
    back = record(session, project_id, window, "undo", f"Taken back: {_plain(action.summary)}", undoes=action.id)
    if action.kind == "import":
        taken, kept = _undo_import(session, action, back)
    else:
        taken, kept = _reverse(session, action, back)
    return UndoResult(summary=back.summary, taken_back=taken, kept=kept)


def redo(session: Session, project_id: int, window: str) -> UndoResult:
    """Do again what this window took back last, as long as it has done nothing else since.

    Raises
    ------
    ConflictError
        There is nothing to do again, or it cannot be done any more.
    """
    back = _last(session, project_id, select(Action).where(Action.window == window, Action.kind == "undo"))
    fresh = session.scalar(
        select(func.max(Action.id)).where(
            Action.project_id == project_id, Action.window == window, Action.kind.not_in(["undo", "redo"])
        )
    )
    if back is None or (fresh or 0) > back.id:
        raise ConflictError(
            "There is nothing to do again in this window.", "Only what was taken back last can be done again."
        )
    undone = session.get(Action, back.undoes)
    assert undone is not None
    again = record(session, project_id, window, "redo", f"Done again: {_plain(undone.summary)}", undoes=back.id)
    if undone.kind == "import":
        session.execute(update(Import).where(Import.id == (undone.detail or {})["import"]).values(undone_at=None))
        tell(session, "imports", project_id)
    taken, kept = _reverse(session, back, again)
    return UndoResult(summary=again.summary, taken_back=taken, kept=kept)


def _plain(summary: str) -> str:
    """What was done, without the words of taking back and doing again before it."""
    return summary.removeprefix("Done again: ")


def _reverse(session: Session, action: Action, back: Action) -> tuple[int, int]:
    """Let a step count no more, or again: pictures become what the standing steps say; numbers changed and left.

    Pictures that a later standing step changed stay as they are, and so do those that differ from their history.
    """
    taken = total = 0
    standing = Standing(session, action.project_id)
    root = standing.root(action.id)
    within: ColumnElement[bool] | None = None
    if action.detail and "split" in action.detail:
        # A run may have used the split meanwhile: then the step is taken back in the next version of it.
        newest = newest_version(session, action.detail["split"])
        back.detail = {"split": editable_split(session, action.project_id, newest).id}
        within = Action.detail["split"].as_integer().in_(versions_of(session, newest))
    for fact in _facts_changed(session, root):
        entry = _FACTS[fact]
        rows = session.execute(
            select(ActionChange.picture_id, entry.now if fact != "set" else _set_now(back))
            .join(Picture, Picture.id == ActionChange.picture_id)
            .where(ActionChange.action_id == root, ActionChange.change.has_key(fact))
            .order_by(Picture.id)
            .with_for_update(of=Picture)
        ).all()
        replayed = standing.replay(
            fact, [picture for picture, _ in rows], back.id, within=within if fact == "set" else None
        )
        free = [
            Change(picture, fact, now, replayed[picture].after)
            for picture, now in rows
            if now == replayed[picture].before and now != replayed[picture].after
        ]
        apply(session, back.id, free)
        taken, total = taken + len(free), total + len(rows)
    reversed_classes = _reverse_classes(session, action, standing)
    if reversed_classes:
        back.detail = {"changes": [change._asdict() for change in reversed_classes]}
    revive_classes(session, action.project_id)
    rules, left = reverse_rules(session, action, back)
    return taken + len(reversed_classes) + rules, total - taken + left


def _facts_changed(session: Session, action_id: int) -> list[str]:
    """What a step changed on any picture."""
    touched = select(func.jsonb_object_keys(ActionChange.change)).where(ActionChange.action_id == action_id)
    found = set(session.scalars(touched.distinct()))
    return [fact for fact in _FACTS if fact in found]


def _set_now(back: Action) -> ColumnElement[Any]:
    split_id = (back.detail or {}).get("split", 0)
    member = (SplitMember.picture_id == Picture.id) & (SplitMember.split_id == split_id)
    return select(SplitMember.set_name).where(member).correlate(Picture).scalar_subquery()


def _class_changes(action: Action) -> list[ClassChange]:
    detail = action.detail or {}
    if action.kind == "class_new" and "class" in detail:  # as the first versions noted it
        return [ClassChange(detail["class"], "deleted", True, False)]
    if action.kind == "class_rename" and "class" in detail:
        return [ClassChange(detail["class"], "name", detail["before"], detail["after"])]
    return [ClassChange(**entry) for entry in detail.get("changes", [])]


def _chosen_later(session: Session, action: Action, standing: Standing) -> set[tuple[int, str]]:
    """Facts of classes that a later standing step changed."""
    root = standing.root(action.id)
    later = session.scalars(
        select(Action).where(Action.project_id == action.project_id, Action.id > root, Action.detail.is_not(None))
    )
    return {
        (change.class_id, change.fact)
        for step in later
        if standing.is_root(step.id) and standing.stands(step.id)
        for change in _class_changes(step)
    }


def _reverse_classes(session: Session, action: Action, standing: Standing) -> list[ClassChange]:
    chosen_later = _chosen_later(session, action, standing) if _class_changes(action) else set()
    changes = [ClassChange(x.class_id, x.fact, x.after, x.before) for x in _class_changes(action)]
    done = []
    # Classes come back before others go, so that a name is never wanted twice.
    for change in sorted(changes, key=lambda x: (x.fact == "deleted", x.after is True)):
        now = class_now(session, action.project_id, change.class_id, change.fact)
        if now != change.before or (change.class_id, change.fact) in chosen_later:
            if change.fact == "name":
                raise ConflictError(f"The class was renamed again, to {now}.", "Rename it by hand.")
            continue
        if change.fact == "deleted" and change.after:
            _check_unused(session, change.class_id)
        set_class_fact(session, action.project_id, change.class_id, change.fact, change.after)
        done.append(change)
    return done


def _check_unused(session: Session, class_id: int) -> None:
    used = session.execute(
        select(Class.name, func.count())
        .join(Picture, Picture.class_id == Class.id)
        .where(Class.id == class_id, Picture.deleted_at.is_(None))
        .group_by(Class.name)
    ).first()
    if used:
        raise ConflictError(
            f"The class is in use by {pictures_said(used[1])} labelled {used[0]}.", "Label them otherwise first."
        )


def _undo_import(session: Session, action: Action, back: Action) -> tuple[int, int]:
    """Into the bin with what an import put here, but for pictures that someone worked on since."""
    detail = action.detail or {}
    here = (Picture.import_id == detail["import"], Picture.deleted_at.is_(None))
    later, undone = aliased(Action), aliased(Action)
    touched = (
        select(ActionChange.picture_id)
        .join(later, later.id == ActionChange.action_id)
        .where(
            ActionChange.picture_id == Picture.id,
            later.id > action.id,
            later.kind != "undo",
            ~select(undone.id).where(undone.undoes == later.id).exists(),
        )
        .exists()
    )
    kept = session.scalar(select(func.count()).select_from(Picture).where(*here, touched)) or 0
    taken = list(session.scalars(select(Picture.id).where(*here, ~touched).order_by(Picture.id).with_for_update()))
    apply(session, back.id, [Change(picture, "binned", False, True) for picture in taken])
    now = func.now()
    session.execute(update(Import).where(Import.id == detail["import"]).values(undone_at=now))
    _tell_labels_again(session, detail["import"])
    used = select(Picture.class_id).where(Picture.class_id == Class.id, Picture.deleted_at.is_(None)).exists()
    session.execute(
        update(Class).where(Class.id.in_(detail["classes"]), Class.deleted_at.is_(None), ~used).values(deleted_at=now)
    )
    for topic in ("classes", "imports"):
        tell(session, topic, action.project_id)
    return len(taken), kept


def _tell_labels_again(session: Session, import_id: int) -> None:
    """Which of an undone import's pictures still have two labels, by the appearances that are left."""
    session.execute(
        text(
            "update picture set two_labels = false where two_labels and id in"
            " (select picture_id from appearance where import_id = :import)"
            " and (select count(distinct lower(a.class_name)) from appearance a join import i on i.id = a.import_id"
            " where a.picture_id = picture.id and i.undone_at is null) < 2"
        ),
        {"import": import_id},
    )
