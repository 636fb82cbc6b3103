"""The Ledger: pages of runs in an order that was asked for, each with what it changed from the one before."""

import base64
import json
from collections.abc import Sequence
from decimal import Decimal
from typing import Any

from sqlalchemy import ARRAY, Numeric, Row, Select, Text, and_, case, cast, func, or_, select, type_coerce
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import Session, aliased, defer

from vast_orchard.errors import InputError
from vast_orchard.store.models import model_value
from vast_orchard.store.run_changes import run_changes
from vast_orchard.store.schema import Judgement, Model, ModelKind, Run, Snapshot
from vast_orchard.store.values import LedgerPage, RunValue

__all__ = ["FIGURES", "list_runs", "one_run"]

# What runs can be put in order by, besides their number: figures of the kept epoch, and what a run cost.
FIGURES = (
    "validation_accuracy", "validation_loss", "validation_macro_f1", "training_accuracy", "training_loss", "train_s",
    "parameters", "epochs_done",
)  # fmt: skip


def _path(*names: str) -> Any:
    return cast(list(names), ARRAY(Text))


def _layers(run: Any) -> Any:
    """What a network's layers do: the last one follows the classes, and their ids say nothing."""
    layers = run.recipe.op("#-")(_path("network", "layers", "-1")).op("#>")(_path("network", "layers"))
    return func.regexp_replace(cast(layers, Text), '"id": "[^"]*"', "", "g")


def _other_layers(one: Any, two: Any) -> Any:
    # Nearly always they are the same to the letter, which is seen sooner.
    alike = one.recipe["network"] == two.recipe["network"]
    return case((alike, False), else_=_layers(one) != _layers(two))


def _recipe(run: Any) -> Any:
    """A recipe without the layers of its network, which are most of it and told by nobody in a list."""
    return type_coerce(run.recipe.op("#-")(_path("network", "layers")), JSONB)


def _query() -> Select[Any]:
    """Runs that are not in the bin, with all that is said of them; the one before is beside."""
    before = aliased(Run)
    return (
        select(
            Run,
            _recipe(Run).label("recipe"),
            Snapshot.classes,
            Snapshot.counts,
            Model,
            Judgement.scores.op("-")("classes").op("-")("confusion").label("scores"),
            _recipe(before).label("recipe_before"),
            _other_layers(before, Run).label("other_layers"),
            before.number.label("number_before"),
            before.split_number.label("split_before"),
            before.snapshot_id.label("snapshot_before"),
        )
        .join(Snapshot, Snapshot.id == Run.snapshot_id)
        .outerjoin(Model, and_(Model.run_id == Run.id, Model.kind == ModelKind.RUN))
        .outerjoin(Judgement, and_(Judgement.model_id == Model.id, Judgement.set_name == "validation"))
        .outerjoin(before, before.id == Run.previous_id)
        .where(Run.deleted_at.is_(None))
        .options(defer(Run.recipe, raiseload=True))
    )


def _value(found: Row[Any], recipe: dict[str, Any] | None = None) -> RunValue:
    row: Run = found[0]
    recipe = recipe or found.recipe
    model: Model | None = found.Model
    return RunValue(
        id=row.id,
        project_id=row.project_id,
        number=row.number,
        name=row.name,
        note=row.note,
        group_id=row.group_id,
        snapshot_id=row.snapshot_id,
        split_id=row.split_id,
        split_number=row.split_number,
        recipe=recipe,
        classes=found.classes,
        counts=found.counts,
        program=row.program,
        parameters=row.parameters,
        created_at=row.created_at,
        trial=row.trial,
        varied=row.varied,
        until_epoch=row.until_epoch,
        repeats=row.repeats,
        listed=row.listed,
        state=row.state,
        ended_by=row.ended_by,
        ending=row.ending,
        ended_at=row.ended_at,
        train_s=row.train_s,
        epochs_done=row.epochs_done,
        figures=row.figures,
        state_path=row.state_path,
        start_path=row.start_path,
        model=model_value(model, row.number, row.snapshot_id) if model else None,
        validation=found.scores,
        previous=found.number_before,
        changed=_changed(row, found),
    )


def _changed(row: Run, found: Row[Any]) -> list[dict[str, Any]]:
    if found.recipe_before is None:
        return []
    before = {"recipe": found.recipe_before, "split": found.split_before, "snapshot": found.snapshot_before}
    after = {"recipe": found.recipe, "split": row.split_number, "snapshot": row.snapshot_id}
    return run_changes(before, after, other_layers=found.other_layers)


def one_run(session: Session, run_id: int) -> RunValue | None:
    """A run by its id, its recipe whole; none that lies in the bin."""
    found = session.execute(_query().add_columns(Run.recipe.label("whole")).where(Run.id == run_id)).first()
    return _value(found, found.whole) if found else None


def list_runs(
    session: Session,
    project_id: int,
    *,
    order: str = "number",
    falling: bool = True,
    group_id: int | None = None,
    number: int | None = None,
    after: str | None = None,
    limit: int = 100,
) -> LedgerPage:
    """A page of runs, their networks without layers; what has no such figure stands last, whichever way it goes.

    Parameters
    ----------
    order : str
        "number", or one of `FIGURES`.
    falling : bool
        Largest first.
    group_id : int, optional
        Runs of that group instead of the plain Ledger.
    number : int, optional
        Only the run of that number, whether in a group or not.
    after : str, optional
        What the page before named.

    Raises
    ------
    InputError
        There is no such order, or `after` names no page of it.
    """
    if order != "number" and order not in FIGURES:
        raise InputError(f"Runs have no figure {order!r}.", f"Order by number, {', '.join(FIGURES)}.")
    wanted = [Run.project_id == project_id, Run.deleted_at.is_(None)]
    if number is not None:
        wanted.append(Run.number == number)
    else:
        wanted.append(Run.group_id == group_id if group_id else or_(Run.group_id.is_(None), Run.listed))
    total = session.scalar(select(func.count()).select_from(Run).where(*wanted)) or 0
    key = _key(order)
    query = _query().where(*wanted)
    if after is not None:
        query = query.where(_behind(key, falling, _read(after, order, falling)))
    ordered = query.order_by((key.desc() if falling else key.asc()).nulls_last(), Run.number.desc())
    rows: Sequence[Row[Any]] = session.execute(ordered.add_columns(key.label("key")).limit(limit + 1)).all()
    page = rows[:limit]
    more = len(rows) > limit
    return LedgerPage(
        runs=[_value(row) for row in page],
        total=total,
        after=_name(order, falling, page[-1]) if more else None,
    )


def _key(order: str) -> Any:
    match order:
        case "number" | "train_s" | "parameters" | "epochs_done":
            found = getattr(Run, order).expression
        case _:
            found = Run.figures[order].astext
    # As an exact number, so that the next page begins where this one ends.
    return cast(found, Numeric)


def _name(order: str, falling: bool, row: Row[Any]) -> str:
    key = None if row.key is None else str(row.key)
    return base64.urlsafe_b64encode(json.dumps([order, falling, key, row[0].number]).encode()).decode()


def _read(after: str, order: str, falling: bool) -> tuple[Decimal | None, int]:
    try:
        named, way, key, number = json.loads(base64.urlsafe_b64decode(after.encode()))
        if (named, way) == (order, falling) and type(number) is int and 0 < number < 2**31:
            value = None if key is None else Decimal(str(key)[:60])
            if value is None or value.is_finite():
                return value, number
    except (ValueError, TypeError, ArithmeticError):
        pass
    raise InputError(f"{after[:60]!r} names no page of this order.", "Begin with the first page again.")


def _behind(key: Any, falling: bool, last: tuple[Decimal | None, int]) -> Any:
    """What comes after a run with that key and number."""
    value, number = last
    if value is None:
        return and_(key.is_(None), Run.number < number)
    further = key < value if falling else key > value
    return or_(further, and_(key == value, Run.number < number), key.is_(None))
