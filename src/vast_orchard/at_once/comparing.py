"""Two to four runs beside each other: what differs in them, and on the pictures that none of them has learnt from."""

from collections.abc import Sequence
from typing import Any

import numpy as np
from sqlalchemy.orm import Session

from vast_orchard.core.judging.intervals import wilson_interval
from vast_orchard.core.judging.paired import exact_paired_test
from vast_orchard.core.judging.scores import macro_f1
from vast_orchard.core.network.description import description_from_json
from vast_orchard.core.network.effort import effort_of
from vast_orchard.core.network.plan import plan
from vast_orchard.errors import ConflictError, InputError
from vast_orchard.store.comparing import SaidOfOne, common_answers
from vast_orchard.store.models import check_look, judged_counts, judgement_of
from vast_orchard.store.run_changes import differences
from vast_orchard.store.runs import get_run
from vast_orchard.store.snapshots import relabelled
from vast_orchard.store.values import ModelValue, RunValue
from vast_orchard.types import SetName

__all__ = ["compare_runs"]

_MOST = 4


def compare_runs(
    session: Session, project_id: int, run_ids: Sequence[int], looks: Sequence[int] | None = None
) -> dict[str, Any]:
    """What a person asks of runs of a project before taking one of them.

    Parameters
    ----------
    looks : sequence of int, optional
        Counted ones, one for each run, for their test pictures; without them their validation pictures.

    Raises
    ------
    InputError
        One run, more than four, or one of another project; not as many looks.
    ConflictError
        One has kept nothing, was not judged on the set, or its look was not counted.
    """
    if not 2 <= len(run_ids) <= _MOST or len(set(run_ids)) != len(run_ids):
        raise InputError(f"{len(run_ids)} runs were named.", f"Name two to {_MOST} different ones.")
    runs = [get_run(session, run_id) for run_id in run_ids]
    for run in runs:
        if run.project_id != project_id:
            raise InputError(f"Run {run.id} is of another project.", "Compare runs of one project.")
    models = [_judged(run) for run in runs]
    name = SetName.VALIDATION
    if looks is not None:
        if len(looks) != len(models):
            raise InputError(f"{len(looks)} looks were named for {len(models)} runs.", "Name one for each run.")
        name = SetName.TEST
        for run, model, look in zip(runs, models, looks, strict=True):
            check_look(session, model.id, look)
            if judgement_of(session, model.id, name) is None:
                mend = "Wait for the judging that the look started."
                raise ConflictError(f"Run {run.number} was not judged on test yet.", mend)
    counts = [judged_counts(session, model.id)[name][0] for model in models]
    said = common_answers(session, project_id, [model.id for model in models], name)
    # By the labels of the newest: they are the better known ones.
    newest = max(range(len(runs)), key=lambda place: runs[place].number)
    classes = _classes(models)
    return {
        "runs": [_side(run, place, said, newest, classes) for place, run in enumerate(runs)],
        "classes": list(classes.values()),
        "pictures": len(said),
        "set": name.value,
        "judged": counts,
        "labels_differ": sum(len(set(one.true)) > 1 for one in said),
        "labels_of": runs[newest].number,
        "differences": differences([_made_of(run) for run in runs]),
        "pair": _pair(said, newest) if len(runs) == 2 else None,
        "mending": _mending(session, runs, said, newest) if len(runs) == 2 else None,
    }


def _judged(run: RunValue) -> ModelValue:
    if run.model is None:
        raise ConflictError(f"Run {run.number} has kept nothing.", "Compare runs that kept an epoch.")
    if run.validation is None:
        raise ConflictError(f"Run {run.number} was not judged on validation yet.", "Judge it in Review.")
    return run.model


def _classes(models: Sequence[ModelValue]) -> dict[int, dict[str, Any]]:
    """Every class that one of them knows, by id, in the order of the first that does."""
    found: dict[int, dict[str, Any]] = {}
    for model in models:
        for entry in model.classes:
            found.setdefault(entry["id"], entry)
    return found


def _side(
    run: RunValue, place: int, said: Sequence[SaidOfOne], newest: int, classes: dict[int, dict[str, Any]]
) -> dict[str, Any]:
    order = {class_id: n for n, class_id in enumerate(classes)}
    confusion = np.zeros((len(order), len(order)), np.int64)
    for one in said:
        confusion[order[one.true[newest]], order[one.predicted[place]]] += 1
    right, count = int(np.trace(confusion)), len(said)
    description = description_from_json(run.recipe["network"])
    return {
        "id": run.id,
        "number": run.number,
        "name": run.name,
        "model_id": run.model.id if run.model else None,
        "count": count,
        "right": right,
        "accuracy": right / count if count else None,
        "accuracy_interval": wilson_interval(right, count),
        "macro_f1": macro_f1(confusion) if count else None,
        "confusion": confusion.tolist(),
        "parameters": run.parameters,
        "multiply_adds": effort_of(plan(description).layers, description.input_shape).multiply_adds,
        "train_s": run.train_s,
    }


def _made_of(run: RunValue) -> dict[str, Any]:
    return {
        "recipe": run.recipe, "split": run.split_number, "snapshot": run.snapshot_id, "epochs": run.epochs_done,
        "counts": run.counts, "classes": [entry["name"] for entry in run.classes],
    }  # fmt: skip


def _mending(
    session: Session, runs: Sequence[RunValue], said: Sequence[SaidOfOne], newest: int
) -> dict[str, Any] | None:
    """What it did that labels were mended between two runs; None where none were."""
    before, after = 1 - newest, newest
    mended = relabelled(session, runs[before].snapshot_id, runs[after].snapshot_id)
    if not mended:
        return None
    changed = [one for one in said if one.true[before] != one.true[after]]
    others = [one for one in said if one.true[before] == one.true[after]]
    return {
        "relabelled": mended,
        "before": runs[before].number,
        "after": runs[after].number,
        "right_then": sum(one.predicted[before] == one.true[before] for one in said),
        "right_by_new_labels": sum(one.predicted[before] == one.true[after] for one in said),
        "right_now": sum(one.predicted[after] == one.true[after] for one in said),
        "others": {
            "count": len(others),
            "right_then": sum(one.predicted[before] == one.true[after] for one in others),
            "right_now": sum(one.predicted[after] == one.true[after] for one in others),
            # In the order of time, whichever was named first.
            **_pair([one._replace(predicted=[one.predicted[before], one.predicted[after]]) for one in others], newest),
        },
        "pictures": [
            {
                "picture_id": one.picture_id, "label_then": one.true[before], "label_now": one.true[after],
                "said_then": one.predicted[before], "said_now": one.predicted[after],
            }
            for one in changed
        ],
    }  # fmt: skip


def _pair(said: Sequence[SaidOfOne], newest: int) -> dict[str, Any]:
    gained, lost = [], []
    seen: set[int] = set()
    for one in said:
        # Of copies the first counts: twice the same difference is one piece of evidence.
        if one.copy_group is not None:
            if one.copy_group in seen:
                continue
            seen.add(one.copy_group)
        before, after = (predicted == one.true[newest] for predicted in one.predicted)
        if after and not before:
            gained.append(one.picture_id)
        elif before and not after:
            lost.append(one.picture_id)
    return {"gained": len(gained), "lost": len(lost), "p": exact_paired_test(len(gained), len(lost))}
