"""What a report says of a model: everything that a reader needs to weigh its figures, as plain values."""

import datetime as dt
from typing import Any

from sqlalchemy.orm import Session

from vast_orchard import __version__
from vast_orchard.at_once.in_short import in_short
from vast_orchard.at_once.slicing import find_slices
from vast_orchard.at_once.watching import run_lookouts
from vast_orchard.core.pictures.area import area_from_json, area_words
from vast_orchard.store.models import check_look, judged_sets, judgement_of, sureness_of
from vast_orchard.store.predictions import list_outcomes
from vast_orchard.store.projects import get_project
from vast_orchard.store.runs import footing, get_run, list_epochs
from vast_orchard.store.snapshots import class_counts
from vast_orchard.store.splits import copy_keys
from vast_orchard.store.values import ModelValue

__all__ = ["report_facts"]

_WORST = 24


def report_facts(session: Session, model: ModelValue, now: dt.datetime, look: int | None = None) -> dict[str, Any]:
    """A report as JSON has it.

    Parameters
    ----------
    model : ModelValue
        Of a run.
    now : datetime
        With its time zone.
    look : int, optional
        A counted look at the test set, whose figures stand in the report then.

    Raises
    ------
    ConflictError
        The look was not counted for this model.
    """
    if look is not None:
        check_look(session, model.id, look)
    run, project = get_run(session, model.run_id or 0), get_project(session, model.project_id)
    judged = judged_sets(session, model.id)
    told = "validation" if look is None else "test"
    shown = [name for name in dict.fromkeys(("validation", "training", "outside", told)) if name in judged]
    groups = copy_keys(session, model.project_id)
    counts = class_counts(session, run.snapshot_id)
    stands = footing(session, run.id)
    return {
        "format": "vast-orchard-report/1",
        "made_at": now.isoformat(timespec="seconds"),
        "project": project.name,
        "run": {
            "number": run.number, "name": run.name, "note": run.note, "program": run.program,
            "started_at": run.created_at.isoformat(timespec="seconds"), "epochs_done": run.epochs_done,
            "train_s": run.train_s, "ended_by": run.ended_by,
        },
        "model": {
            "epoch": model.epoch, "weights_sha256": model.digest, "parameters": run.parameters,
            "temperature": model.temperature, "unsure_below": model.unsure_below, "looks_at_test": model.looks,
        },
        "classes": [entry["name"] for entry in model.classes],
        "pictures": {
            "by_set": run.counts,
            "by_class": {
                name: [of_set.get(entry["id"], 0) for entry in model.classes] for name, of_set in counts.items()
            },
            "split": run.split_number, "in_groups_of_copies": len(groups),
            "groups_of_copies": len(set(groups.values())),
            "labels_changed_since": stands.labels_changed, "added_since": stands.pictures_added,
            "gone_since": stands.pictures_gone, "areas_changed_since": stands.areas_changed,
        },
        "recipe": run.recipe,
        "working_area": area_words(area_from_json(run.recipe["preprocessing"].get("area"))),
        "epochs": [{"number": entry.number, **entry.figures} for entry in list_epochs(session, run.id)],
        "sets": {
            name: {"scores": judgement_of(session, model.id, name), "sureness": sureness_of(session, model.id, name)}
            for name in shown
        },
        "worst": _worst(session, model, "test" if look is not None else "validation"),
        "in_short": in_short(session, model, told) if told in judged else [],
        "slices": find_slices(session, model, told),
        "lookouts": [entry for entry in run_lookouts(session, run)["lookouts"] if entry["standing"] == "found"],
        "program": __version__,
    }  # fmt: skip


def _worst(session: Session, model: ModelValue, set_name: str) -> list[dict[str, Any]]:
    names = {entry["id"]: entry["name"] for entry in model.classes}
    outcomes = list_outcomes(session, model, set_name, (), wrong_only=True, limit=_WORST)
    return [
        {
            "name": entry.name, "sha256": entry.sha256, "true": names.get(entry.true_class or 0, ""),
            "predicted": names[entry.predicted_class], "p": entry.p, "loss": entry.loss,
        }
        for entry in outcomes
    ]  # fmt: skip
