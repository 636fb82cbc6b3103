"""A training: prepares pixels, runs the core's loop, stores every epoch, and judges the kept state.

Whatever interrupts it, it goes on after the last stored epoch and ends with the same weights.
"""

import time
from collections.abc import Mapping
from typing import Any

from vast_orchard.core.training.begin import Training, begin
from vast_orchard.core.training.duration import recipe_time
from vast_orchard.core.training.phases import Origin
from vast_orchard.core.training.recipe import Recipe, recipe_from_json
from vast_orchard.core.training.values import EpochResult, Examples, TrainingState
from vast_orchard.errors import InputError, MissingError, NonFiniteError, OrchardError, StoppedError
from vast_orchard.formats.checkpoint_file import read_checkpoint, write_checkpoint
from vast_orchard.formats.collection import labelled_examples
from vast_orchard.formats.model_file import origin_of, read_model, trained_model, weights_digest, write_model
from vast_orchard.jobs.context import Progress, WorkContext
from vast_orchard.jobs.engine import free_memory, make_ready, make_team
from vast_orchard.jobs.pace import learn_pace
from vast_orchard.jobs.training.judging import judge_model
from vast_orchard.jobs.training.pixel_cache import run_pixels
from vast_orchard.store.jobs import hold_lease
from vast_orchard.store.models import judged_sets, keep_state
from vast_orchard.store.run_states import begin_run, end_run
from vast_orchard.store.runs import add_epoch, get_run, set_last_state
from vast_orchard.store.schema import RunEnding, RunState
from vast_orchard.store.snapshots import snapshot_pictures
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
        begin_run(session, run_id)
        run = get_run(session, run_id)
    if run.state != RunState.ENDED:
        _train(context, run, progress)
        return
    # Whoever ended it died before it was judged.
    _judge(context, run_id, progress)
    if run.ended_by == RunEnding.STOPPED:
        raise StoppedError("Stopped by hand.")
    if run.ended_by == RunEnding.FAILED:
        facts = run.ending or {}
        raise OrchardError(facts.get("what", ""), facts.get("mend", ""))


def _train(context: WorkContext, run: RunValue, progress: Progress) -> None:
    recipe = recipe_from_json(run.recipe)
    state = read_checkpoint(context.store.read(run.state_path)) if run.state_path else None
    sets = {name: _examples(context, run, recipe, name, progress) for name in (SetName.TRAINING, SetName.VALIDATION)}
    progress.stage("Measuring the training pictures", 1)
    make_ready(lambda words: progress.stage(words, 1))
    team = make_team(context.settings)
    try:
        training = begin(
            recipe, len(run.classes), sets[SetName.TRAINING], sets[SetName.VALIDATION], state,
            team=team, memory_bytes=free_memory(), origin=_origin(context, run),
            names=[entry["name"] for entry in run.classes],
        )  # fmt: skip
    except (InputError, MissingError) as error:
        with context.database.session() as session:
            end_run(session, run.id, RunEnding.FAILED, _words(error))
        raise
    recorder, began = _Recorder(context, run, training, state, progress), time.monotonic()
    recorder.run_to_end(len(sets[SetName.TRAINING]))
    done = state.epoch if state else 0
    learn_pace(team, recorder.trained_at - began, _expected_s(training, sets, done))


def _expected_s(training: Training, sets: Mapping[SetName, Examples], done: int) -> float:
    """Of the epochs after those that are done, on the reference machine."""
    counts, spent = (len(sets[SetName.TRAINING]), len(sets[SetName.VALIDATION])), 0.0
    for phase in training.phases:
        epochs = phase.last - max(done, phase.first - 1)
        spent += max(0, epochs) * recipe_time(training.recipe, 1.0, *counts, cut=phase.learning.cut).epoch_s
    return spent


def _origin(context: WorkContext, run: RunValue) -> Origin | None:
    return origin_of(read_model(context.store.read(run.start_path))) if run.start_path else None


def _examples(context: WorkContext, run: RunValue, recipe: Recipe, set_name: SetName, progress: Progress) -> Examples:
    with context.database.session() as session:
        members = snapshot_pictures(session, run.snapshot_id, set_name.value)
    sha256s = [picture.sha256 for picture in members]
    pixels = run_pixels(context, sha256s, recipe.preprocessing, progress)
    return labelled_examples(
        pixels, sha256s, [picture.class_id for picture in members], [entry["id"] for entry in run.classes]
    )


def _words(error: OrchardError) -> dict[str, Any]:
    return {"what": error.what, "mend": error.mend}


def _judge(context: WorkContext, run_id: int, progress: Progress) -> None:
    """Judge what an ended run has kept on its validation set, if that was not done."""
    with context.database.session() as session:
        model = get_run(session, run_id).model
        judged = model is None or SetName.VALIDATION.value in judged_sets(session, model.id)
    if model is not None and not judged:
        judge_model(context, model.id, SetName.VALIDATION, progress.unstoppable())


class _Recorder:
    """Takes the loop's results into the records."""

    def __init__(
        self,
        context: WorkContext,
        run: RunValue,
        training: Training,
        state: TrainingState | None,
        progress: Progress,
    ) -> None:
        self._context, self._run = context, run
        self._training, self._progress = training, progress
        self._epoch = state.epoch if state else 0
        self._began = time.monotonic() - (run.train_s or 0.0)
        self.trained_at = 0.0  # by the clock, when the last epoch was through

    def run_to_end(self, pictures: int) -> None:
        """Consume the loop; whatever ends it, the run says why."""
        settings = self._training.recipe.settings
        epochs, steps = settings.epochs, -(-pictures // settings.batch_size)
        try:
            self._progress.stage("Training", epochs * steps, self._epoch * steps)
            for result in self._training.results:
                if isinstance(result, EpochResult):
                    self._store_epoch(result)
                    self._progress.report()
                else:
                    self._progress.advance()
        except StoppedError:
            self._end(RunEnding.STOPPED)
            raise
        except NonFiniteError as error:
            self._end(RunEnding.FAILED, _words(error))
            raise
        self.trained_at = time.monotonic()
        self._end(RunEnding.EPOCHS)

    def _store_epoch(self, result: EpochResult) -> None:
        state, number, store = result.state, result.metrics.number, self._context.store
        self._epoch, run_id = number, self._run.id
        names = [entry["name"] for entry in self._run.classes]
        place = f"runs/{run_id}/{{}}-{number:05d}.safetensors".format
        store.write(place("last"), write_checkpoint(state))
        if result.kept:
            store.write(place("kept"), write_model(trained_model(self._training, state, names)))
        store.settle()
        with self._context.database.session() as session:
            # The lease is asked for in the same transaction: a worker that lost it must not move the pointers.
            hold_lease(session, self._progress.job_id, self._progress.owner)
            replaced = [set_last_state(session, run_id, number, place("last"))]
            if result.kept:
                digest = weights_digest(state.kept)
                replaced.append(keep_state(session, run_id, epoch=number, digest=digest, path=place("kept")))
            spent = time.monotonic() - self._began
            add_epoch(session, run_id, number, result.metrics.figures, kept=result.kept, train_s=spent)
        for path in replaced:
            if path:
                store.remove(path)

    def _end(self, by: RunEnding, facts: dict[str, Any] | None = None) -> None:
        with self._context.database.session() as session:
            hold_lease(session, self._progress.job_id, self._progress.owner)
            end_run(session, self._run.id, by, facts, time.monotonic() - self._began)
        _judge(self._context, self._run.id, self._progress)
