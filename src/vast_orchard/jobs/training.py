"""A training: prepares pixels, runs the core's loop, stores every epoch, and judges the kept state.

Whatever interrupts it, it goes on after the last stored epoch and ends with the same weights.
"""

import time
from dataclasses import asdict

import numpy as np

from vast_orchard.core.training.begin import Training, begin
from vast_orchard.core.training.recipe import Recipe, recipe_from_json
from vast_orchard.core.training.values import EpochResult, Examples, TrainingState
from vast_orchard.errors import InputError, NonFiniteError, StoppedError
from vast_orchard.formats.checkpoint_file import read_checkpoint, write_checkpoint
from vast_orchard.formats.collection import identity_number
from vast_orchard.formats.model_file import Model, write_model
from vast_orchard.jobs.context import Progress, WorkContext
from vast_orchard.jobs.engine import free_memory, make_ready, make_team
from vast_orchard.jobs.judging import judge_set
from vast_orchard.jobs.pixels import run_pixels
from vast_orchard.store.jobs import hold_lease
from vast_orchard.store.runs import (
    add_epoch,
    checkpoint_path,
    end_run,
    get_run,
    run_pictures,
    set_checkpoint,
    set_train_s,
)
from vast_orchard.store.values import RunValue
from vast_orchard.types import SetName

__all__ = ["train_run"]


def train_run(context: WorkContext, run_id: int, progress: Progress) -> None:
    """Train a run to its end, or until it is stopped.

    Raises
    ------
    StoppedError
        A person stopped it; what was kept until then is judged and stays.
    NonFiniteError
        The loss left the numbers; the last good state stays.
    """
    with context.database.session() as session:
        run = get_run(session, run_id)
        pictures = run_pictures(session, run_id)
        last = checkpoint_path(session, run_id, "last")
    recipe = recipe_from_json(run.recipe)
    state = read_checkpoint(context.store.read(last)) if last else None
    index = {entry["id"]: place for place, entry in enumerate(run.classes)}
    sets = {}
    for name in (SetName.TRAINING, SetName.VALIDATION):
        members = [picture for picture in pictures if picture.set_name == name.value]
        sets[name] = Examples(
            pixels=run_pixels(context, [picture.sha256 for picture in members], recipe.preprocessing, progress),
            labels=np.array([index[picture.class_id] for picture in members], np.int64),
            identities=np.array([identity_number(picture.sha256) for picture in members], np.uint64),
        )
    progress.stage("Measuring the training pictures", 1)
    make_ready(lambda words: progress.stage(words, 1))
    team = make_team(context.settings)
    try:
        training = begin(
            recipe, len(run.classes), sets[SetName.TRAINING], sets[SetName.VALIDATION], state,
            team=team, memory_bytes=free_memory(),
        )  # fmt: skip
    except InputError as error:
        with context.database.session() as session:
            end_run(session, run_id, f"Not begun: {error}", run.train_s or 0.0)
        raise
    _Recorder(context, run, recipe, training, state, progress).run_to_end(len(sets[SetName.TRAINING]))


class _Recorder:
    """Takes the loop's results into the records."""

    def __init__(
        self,
        context: WorkContext,
        run: RunValue,
        recipe: Recipe,
        training: Training,
        state: TrainingState | None,
        progress: Progress,
    ) -> None:
        self._context, self._run, self._recipe = context, run, recipe
        self._training, self._progress = training, progress
        self._state = state or TrainingState()
        self._began = time.monotonic() - (run.train_s or 0.0)

    def run_to_end(self, pictures: int) -> None:
        """Consume the loop; whatever ends it, the run says why."""
        epochs = self._recipe.settings.epochs
        steps = -(-pictures // self._recipe.settings.batch_size)
        try:
            self._progress.stage("Training", epochs * steps, self._state.epoch * steps)
            for result in self._training.results:
                if isinstance(result, EpochResult):
                    self._store_epoch(result)
                    self._progress.report()
                else:
                    self._progress.advance()
        except StoppedError:
            self._end(f"Stopped by hand in epoch {self._state.epoch + 1} of {epochs}.")
            raise
        except NonFiniteError as error:
            self._end(f"Ended by itself: {error}")
            raise
        self._end(f"All {epochs} epochs done.")

    def _store_epoch(self, result: EpochResult) -> None:
        self._state, epoch, store = result.state, result.metrics.number, self._context.store
        files = {"last": write_checkpoint(result.state)}
        if result.kept:
            files["kept"] = write_model(self._model(result.state))
        paths = {kind: f"runs/{self._run.id}/{kind}-{epoch:05d}.safetensors" for kind in files}
        for kind, data in files.items():
            store.write(paths[kind], data)
        store.settle()
        with self._context.database.session() as session:
            # The lease is asked for in the same transaction: a worker that lost it must not move the pointers.
            hold_lease(session, self._progress.job_id, self._progress.owner)
            replaced = [set_checkpoint(session, self._run.id, kind, epoch, path) for kind, path in paths.items()]
            add_epoch(session, self._run.id, asdict(result.metrics), result.state.best_epoch)
            set_train_s(session, self._run.id, time.monotonic() - self._began)
        for path in replaced:
            if path:
                store.remove(path)

    def _model(self, state: TrainingState) -> Model:
        return Model(
            description=self._training.network.description,
            weights=state.best,
            classes=tuple(entry["name"] for entry in self._run.classes),
            preprocessing=self._recipe.preprocessing,
            statistics=self._training.statistics,
        )

    def _end(self, why: str) -> None:
        state = self._state
        if state.best_epoch:
            why += f" Epoch {state.best_epoch} is kept: its validation loss of {state.best_loss:.3f} is the lowest."
        else:
            why += " No epoch was finished, so nothing is kept."
        with self._context.database.session() as session:
            end_run(session, self._run.id, why, time.monotonic() - self._began)
        if state.best_epoch:
            judge_set(self._context, self._run.id, SetName.VALIDATION, self._progress.unstoppable())
