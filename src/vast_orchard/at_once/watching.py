"""What is known of a run while it trains: what the lookouts say, and what its layers did."""

from collections.abc import Mapping, Sequence
from dataclasses import asdict
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from vast_orchard.core.training.recipe import recipe_from_json
from vast_orchard.core.watching.figures import BANDS
from vast_orchard.core.watching.findings import Facts, Finding
from vast_orchard.core.watching.history import EpochRecord, watched_from_json
from vast_orchard.core.watching.lookouts import LOOKOUTS, look, look_own
from vast_orchard.core.watching.rows import watched_layers
from vast_orchard.core.watching.turn import turning_epoch
from vast_orchard.core.watching.watch import Act, OwnLookout, watch_from_json
from vast_orchard.formats.layer_table import layer_table
from vast_orchard.store.runs import list_watched
from vast_orchard.store.schema import Run, RunEnding, RunState
from vast_orchard.store.snapshots import class_counts
from vast_orchard.store.values import RunValue
from vast_orchard.types import SetName

__all__ = [
    "layers_as_csv",
    "list_lookouts",
    "recorded",
    "run_facts",
    "run_layers",
    "run_lookouts",
    "try_lookout",
    "whole_watch",
]

# Epochs that a strip of layers can show beside each other.
_SHOWN = 200
_TRIED = 10  # earlier runs that a lookout is tried on


def list_lookouts() -> list[dict[str, Any]]:
    """Our lookouts, in the order of the questions that they answer."""
    return [
        {"id": entry.id, "question": str(entry.question), "words": entry.words, "measures": entry.measures}
        for entry in LOOKOUTS.values()
    ]


def whole_watch(stored: Mapping[str, Any]) -> dict[str, Any]:
    """How a run was watched, complete, from what its recipe says of it."""
    return asdict(watch_from_json(stored))


def recorded(session: Session, run_id: int) -> list[EpochRecord]:
    """The history of a run, as lookouts read it."""
    return [
        EpochRecord(number=entry.number, figures=entry.figures, watched=watched_from_json(entry.watched))
        for entry in list_watched(session, run_id)
    ]


def run_facts(session: Session, run: RunValue) -> Facts:
    """What lookouts know of a run besides its epochs."""
    recipe = recipe_from_json(run.recipe)
    counts, ids = class_counts(session, run.snapshot_id), [entry["id"] for entry in run.classes]
    failed = run.ended_by == RunEnding.FAILED

    def of(set_name: SetName) -> tuple[int, ...]:
        return tuple(counts.get(set_name.value, {}).get(class_id, 0) for class_id in ids)

    ending = run.ending or {}
    return Facts(
        settings=recipe.settings,
        classes=tuple(entry["name"] for entry in run.classes),
        training=of(SetName.TRAINING),
        validation=of(SetName.VALIDATION),
        started=recipe.start is not None,
        varied=not recipe.variation.does_nothing,
        done=run.ended_by == RunEnding.EPOCHS,
        lost=ending.get("what", "") if failed and ending.get("lost") else "",
    )


def run_lookouts(session: Session, run: RunValue) -> dict[str, Any]:
    """What each lookout of a run says, and where validation turned."""
    history, watch = recorded(session, run.id), recipe_from_json(run.recipe).watch
    known = [entry.figures["validation_loss"] for entry in history if "validation_loss" in entry.figures]
    said = look(history, run_facts(session, run))
    ours = [
        _standing(entry.id, entry.words, entry.measures, watch.acts.get(name, Act.SAY), said[name], entry.question)
        for name, entry in LOOKOUTS.items()
    ]
    own = [_standing(o.name, o.name, _measured(o), o.act, look_own(o, history), "own") for o in watch.own]
    return {"turned": turning_epoch(known) if len(known) == len(history) else None, "lookouts": [*ours, *own]}


def _measured(own: OwnLookout) -> str:
    where = "" if own.figure.startswith(("training", "validation", "learning")) else f" of {own.layer or 'any layer'}"
    return f"{own.figure.replace('_', ' ')}{where} {own.sign} {own.value:g} for {own.epochs} epochs"


def _standing(name: str, words: str, measures: str, act: Act, finding: Finding, question: str) -> dict[str, Any]:
    return {
        "id": name, "question": str(question), "words": words, "measures": measures, "act": str(act),
        **{key: value for key, value in asdict(finding).items() if key != "standing"},
        "standing": str(finding.standing),
    }  # fmt: skip


def run_layers(session: Session, run: RunValue) -> dict[str, Any]:
    """What the layers of a run did, at most 200 epochs at equal distances; only epochs of which steps were measured."""
    names = [entry.id for entry in watched_layers(recipe_from_json(run.recipe).network)]
    epochs = [entry for entry in list_watched(session, run.id) if entry.watched.get("layers")]
    every = -(-len(epochs) // _SHOWN) or 1
    shown = [entry for place, entry in enumerate(reversed(epochs)) if place % every == 0][::-1]
    return {
        "layers": names,
        "bands": list(BANDS),
        "epochs": [{"number": entry.number, "layers": _in_order(entry.watched, names)} for entry in shown],
    }


def _in_order(watched: Mapping[str, Any], names: Sequence[str]) -> list[dict[str, Any] | None]:
    found = {entry["layer"]: entry for entry in watched["layers"]}
    return [found.get(name) for name in names]


def layers_as_csv(session: Session, run: RunValue) -> str:
    """CSV of what the layers of a run did."""
    return layer_table(
        (entry.number, entry.watched.get("layers", ())) for entry in list_watched(session, run.id, whole=True)
    )


def try_lookout(session: Session, project_id: int, asked: Mapping[str, Any]) -> list[dict[str, Any]]:
    """When a lookout of one's own would have found something in the last ended runs, newest first.

    Returns
    -------
    list of dict
        `number` and `epochs` of the run, the `epoch` after which it would have found something, or None, and `why`.

    Raises
    ------
    SettingError
        It cannot be.
    """
    own = OwnLookout(**asked)
    rows = session.execute(
        select(Run.id, Run.number, Run.epochs_done)
        .where(Run.project_id == project_id, Run.state == RunState.ENDED, Run.deleted_at.is_(None), Run.epochs_done > 0)
        .order_by(Run.number.desc())
        .limit(_TRIED)
    ).all()
    return [_tried(own, recorded(session, row.id), row.number, row.epochs_done) for row in rows]


def _tried(own: OwnLookout, history: Sequence[EpochRecord], number: int, epochs: int) -> dict[str, Any]:
    for place in range(len(history)):
        finding = look_own(own, history[: place + 1])
        if finding.why:
            return {"number": number, "epochs": epochs, "epoch": history[place].number, "why": finding.why}
    return {"number": number, "epochs": epochs, "epoch": None, "why": ""}
