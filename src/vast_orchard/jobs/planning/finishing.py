"""Final training: the chosen set-up once more, on training and validation pictures together.

Nothing validates there, so that it takes the steps of the run it was chosen by, at the same rates, to the same step.
"""

from collections.abc import Mapping
from dataclasses import asdict, replace
from typing import Any

from sqlalchemy.orm import Session

from vast_orchard.at_once.catalogue import PROGRAM
from vast_orchard.core.network.plan import plan
from vast_orchard.core.training.endings import Met
from vast_orchard.core.training.recipe import recipe_from_json, recipe_to_json
from vast_orchard.core.training.repeated import Repeated, repeated_from, unwatched
from vast_orchard.core.training.start import phase_epochs
from vast_orchard.core.training.values import EpochMetrics
from vast_orchard.core.watching.watch import Watch
from vast_orchard.errors import ConflictError
from vast_orchard.jobs.queue import start_job
from vast_orchard.store.bytes import ByteStore
from vast_orchard.store.plans import get_plan
from vast_orchard.store.runs import START_FILE, create_run, get_run, list_epochs, set_parameters, set_start
from vast_orchard.store.schema import GroupKind, JobKind, RunEnding, RunState
from vast_orchard.store.snapshots import derived_snapshot, snapshot_pictures
from vast_orchard.store.values import RunValue
from vast_orchard.types import SetName

__all__ = ["repeated_of", "start_final"]


def repeated_of(stored: Mapping[str, Any]) -> Repeated:
    """What `start_final` stored with its run."""
    met = stored.get("met")
    return Repeated(epoch_steps=stored["epoch_steps"], until=stored["until"], met=Met(**met) if met else None)


def start_final(session: Session, run: RunValue, store: ByteStore) -> RunValue:
    """Record the final training of a run's set-up and hand it to the workers.

    Of a fold all pictures of its plan are meant, not those of the fold.

    Raises
    ------
    ConflictError
        The run has not ended well, is a final training itself, or no picture was held back from it.
    """
    untrained = (RunEnding.FAILED, RunEnding.BROUGHT, RunEnding.COMBINED, RunEnding.POOLED)
    if run.state != RunState.ENDED or run.model is None or run.ended_by in untrained:
        raise ConflictError(f"Run {run.number} has not been trained to an end.", "Choose one that has.")
    if run.repeats:
        raise ConflictError(f"Run {run.number} is a final training already.", "Choose the run it was chosen by.")
    if not run.counts.get(SetName.VALIDATION):
        raise ConflictError(f"Run {run.number} learnt from all pictures that there are.", "It is final as it is.")
    recipe = recipe_from_json(run.recipe)
    kept, pictures = run.model.epoch or run.epochs_done, run.counts[SetName.TRAINING]
    history = [EpochMetrics(number=entry.number, figures=entry.figures) for entry in list_epochs(session, run.id)]
    first = 1 + sum(phase_epochs(recipe.start, recipe.settings.epochs)[:-1]) if recipe.start else 1
    repeated = repeated_from(history, kept, recipe.settings, pictures, first)
    base = _all_pictures(session, run)
    snapshot_id = derived_snapshot(session, base, _together(session, base))
    own = replace(recipe, settings=unwatched(recipe.settings), watch=Watch())
    steps = repeated.epoch_steps * kept
    made = create_run(
        session, run.project_id, run.split_id or 0, recipe_to_json(own),
        program=PROGRAM,
        name=f"Final of run {run.number}",
        snapshot_id=snapshot_id,
        place={
            "until_epoch": kept,
            "repeats": {
                "run": run.number, "run_name": run.name, "pictures": pictures, "epoch_steps": repeated.epoch_steps,
                "until": kept, "steps": steps, "met": asdict(repeated.met) if repeated.met else None,
            },
        },
    )  # fmt: skip
    set_parameters(session, made.id, recipe_to_json(own), plan(own.network, len(run.classes)).parameters)
    start_job(session, run.project_id, JobKind.TRAIN, f"Run {made.number}", made.id)
    if run.start_path:
        place = f"runs/{made.id}/{START_FILE}"
        set_start(session, made.id, place)
        store.write(place, store.read(run.start_path))
        store.settle()
    return get_run(session, made.id)


def _all_pictures(session: Session, run: RunValue) -> int:
    """The snapshot that holds all pictures which may be learnt from, and the test set."""
    if run.group_id is not None:
        entry = get_plan(session, run.group_id)
        if entry.kind == GroupKind.FOLDS and entry.snapshot_id is not None:
            return entry.snapshot_id
    return run.snapshot_id


def _together(session: Session, snapshot_id: int) -> dict[int, SetName]:
    """Training and validation as training; the test set stays what it is."""
    return {
        picture.picture_id: SetName.TEST if picture.set_name == SetName.TEST else SetName.TRAINING
        for picture in snapshot_pictures(session, snapshot_id)
    }
