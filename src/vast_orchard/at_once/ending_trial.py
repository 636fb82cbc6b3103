"""What conditions of an end would have done to the runs before: a trial on what is recorded."""

from collections.abc import Mapping
from dataclasses import replace
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from vast_orchard.core.training.doubts import ending_doubts
from vast_orchard.core.training.endings import earliest_end, first_met, met_words
from vast_orchard.core.training.settings import EndFigure, TrainingSettings, chosen_settings
from vast_orchard.core.training.values import EpochMetrics
from vast_orchard.store.runs import list_epochs
from vast_orchard.store.schema import Run, RunEnding, RunState

__all__ = ["try_endings"]

_RUNS = 10
_ENOUGH = 2  # runs that must agree before they are evidence


def try_endings(session: Session, project_id: int, chosen: Mapping[str, Any], new_epochs: int = 0) -> dict[str, Any]:
    """Try the conditions on the newest runs that went through all their epochs.

    Parameters
    ----------
    session : Session
    project_id : int
    chosen : mapping
        Settings of a training.
    new_epochs : int
        Of a first phase, which no condition ends.

    Returns
    -------
    dict
        `doubts`, in words; `runs`, newest first: `number`, `epochs`, and the `epoch` after which it would have been
        met with its `words`, or None.

    Raises
    ------
    SettingError
        A setting is out of its range.
    """
    settings = chosen_settings(chosen)
    figures = {figure.recorded for figure in (settings.end_when, settings.reach) if figure is not EndFigure.NONE}
    if not figures:
        return {"doubts": [], "runs": []}
    rows = session.execute(
        select(Run.id, Run.number, Run.epochs_done)
        .where(
            Run.project_id == project_id,
            Run.state == RunState.ENDED,
            Run.ended_by == RunEnding.EPOCHS,
            Run.deleted_at.is_(None),
        )
        .order_by(Run.number.desc())
        .limit(_RUNS)
    ).all()
    tried = []
    for row in rows:
        history = [EpochMetrics(number=e.number, figures=e.figures) for e in list_epochs(session, row.id)]
        if not history or not figures <= history[0].figures.keys():
            continue
        own = replace(settings, epochs=row.epochs_done)
        met = first_met(history, own)
        tried.append(
            {
                "number": row.number,
                "epochs": row.epochs_done,
                "epoch": met.epoch if met else None,
                "words": met_words(met, own) if met else "",
            }
        )
    return {"doubts": [*ending_doubts(settings, new_epochs + 1), *_at_once(tried, settings)], "runs": tried}


def _at_once(tried: list[dict[str, Any]], settings: TrainingSettings) -> list[str]:
    earliest = earliest_end(settings) or 1
    ended = [run["epoch"] for run in tried]
    if len(ended) < _ENOUGH or any(epoch is None or epoch > earliest for epoch in ended):
        return []
    return [f"It would have ended each of the last {len(ended)} runs as soon as it can, after epoch {earliest}."]
