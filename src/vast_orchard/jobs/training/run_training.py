"""A training: prepares pixels, runs the core's loop, stores its epochs, and judges the kept state.

Whatever interrupts it, it goes on after the last stored epoch and ends with the same weights.
"""

import time
from collections.abc import Mapping, Sequence
from dataclasses import asdict, replace
from typing import Any

from sqlalchemy.orm import Session

from vast_orchard.at_once.network_times import free_memory
from vast_orchard.at_once.watching import recorded, run_facts
from vast_orchard.core.training.begin import Training, begin
from vast_orchard.core.training.duration import recipe_time
from vast_orchard.core.training.endings import ended_early, met_words
from vast_orchard.core.training.phases import Origin
from vast_orchard.core.training.recipe import Recipe, recipe_from_json
from vast_orchard.core.training.settings import TrainingSettings
from vast_orchard.core.training.values import EpochResult, Examples, TrainingState
from vast_orchard.core.watching.history import EpochRecord, watched_to_json
from vast_orchard.core.watching.lookouts import Found, ends, sends_word, wording
from vast_orchard.core.watching.watch import Act
from vast_orchard.errors import InputError, MissingError, NonFiniteError, OrchardError, PausedError, StoppedError
from vast_orchard.formats.checkpoint_file import read_checkpoint, write_checkpoint
from vast_orchard.formats.collection import labelled_examples
from vast_orchard.formats.model_file import origin_of, read_model, trained_model, weights_digest, write_model
from vast_orchard.jobs.context import Progress, WorkContext
from vast_orchard.jobs.engine import make_ready, make_team
from vast_orchard.jobs.pace import learn_pace
from vast_orchard.jobs.planning.finishing import repeated_of
from vast_orchard.jobs.planning.scoring import order_of, with_score
from vast_orchard.jobs.telling.hook import ENDED, FOUND, give_word
from vast_orchard.jobs.training.judging import judge_model
from vast_orchard.jobs.training.pixel_cache import run_pixels
from vast_orchard.store.database import tell
from vast_orchard.store.jobs import hold_lease
from vast_orchard.store.models import judged_sets, keep_state
from vast_orchard.store.run_states import begin_run, end_run, rest_run
from vast_orchard.store.runs import add_epoch, get_run, set_last_state, set_varied
from vast_orchard.store.schema import RunEnding, RunState
from vast_orchard.store.snapshots import snapshot_pictures
from vast_orchard.store.values import RunValue
from vast_orchard.types import JudgedSet, SetName

__all__ = ["train_run"]

# Epochs of few pictures are shorter than writing their state down: those of a second go together, and a killed worker
# computes no more than that again.
_TOGETHER_S = 1.0
_SETS = (SetName.TRAINING, SetName.VALIDATION)
_WORDS = 500  # letters that a window is told of a lookout


def train_run(context: WorkContext, run_id: int, progress: Progress) -> None:
    """Train a run to its end, or until it is stopped.

    Raises
    ------
    StoppedError
        A person stopped it; what was kept until then is judged and stays.
    NonFiniteError
        The loss left the numbers; the last good state stays.
    PausedError
        Another run goes first; this one goes on after the epoch that it was at.
    """
    with context.database.session() as session:
        begin_run(session, run_id)
        run = get_run(session, run_id)
    if run.state == RunState.RESTING:
        # Whoever let it rest died before it was judged.
        _judge(context, run, progress)
        return
    if run.state != RunState.ENDED:
        _train(context, run, progress)
        return
    # Whoever ended it died before it was judged.
    _judge(context, run, progress)
    if run.ended_by == RunEnding.STOPPED:
        raise StoppedError("Stopped by hand.")
    if run.ended_by == RunEnding.FAILED:
        facts = run.ending or {}
        raise OrchardError(facts.get("what", ""), facts.get("mend", ""))


def _train(context: WorkContext, run: RunValue, progress: Progress) -> None:
    recipe = recipe_from_json(run.recipe)
    state = read_checkpoint(context.store.read(run.state_path)) if run.state_path else None
    validated = bool(run.counts.get(SetName.VALIDATION))
    sets = {name: _examples(context, run, recipe, name, progress) for name in _SETS if validated or name is _SETS[0]}
    progress.stage("Measuring the training pictures", 1)
    make_ready(lambda words: progress.stage(words, 1))
    team = make_team(context.settings)
    try:
        training = begin(
            recipe, len(run.classes), sets[SetName.TRAINING], sets.get(SetName.VALIDATION), state,
            team=team, memory_bytes=free_memory(), origin=_origin(context, run),
            names=[entry["name"] for entry in run.classes],
            repeated=repeated_of(run.repeats) if run.repeats else None,
        )  # fmt: skip
    except (InputError, MissingError) as error:
        with context.database.session() as session:
            end_run(session, run.id, RunEnding.FAILED, _words(error))
            give_word(session, context.settings, run, ENDED)
        raise
    recorder, began = _Recorder(context, run, training, state, progress), time.monotonic()
    pictures = len(sets[SetName.TRAINING])
    steps = run.repeats["epoch_steps"] if run.repeats else -(-pictures // recipe.settings.batch_size)
    last = recorder.run_to_end(steps)
    done = state.epoch if state else 0
    learn_pace(team, recorder.trained_at - began, _expected_s(training, sets, done, last))


def _expected_s(training: Training, sets: Mapping[SetName, Examples], done: int, last: int) -> float:
    """Of the epochs after those that are done up to the last one, on the reference machine."""
    learnt, judged = (len(sets[name]) if name in sets else 0 for name in _SETS)
    spent = 0.0
    for phase in training.phases:
        epochs = min(phase.last, last) - max(done, phase.first - 1)
        spent += max(0, epochs) * recipe_time(training.recipe, 1.0, learnt, judged, cut=phase.learning.cut).epoch_s
    return spent


def _origin(context: WorkContext, run: RunValue) -> Origin | None:
    return origin_of(read_model(context.store.read(run.start_path))) if run.start_path else None


def _examples(context: WorkContext, run: RunValue, recipe: Recipe, set_name: SetName, progress: Progress) -> Examples:
    with context.database.session() as session:
        members = snapshot_pictures(session, run.snapshot_id, set_name.value)
    sha256s = [picture.sha256 for picture in members]
    pixels = run_pixels(context, members, recipe.preprocessing, progress)
    return labelled_examples(
        pixels, sha256s, [picture.class_id for picture in members], [entry["id"] for entry in run.classes]
    )


def _words(error: OrchardError) -> dict[str, Any]:
    return {"what": error.what, "mend": error.mend}


def _judge(context: WorkContext, run: RunValue, progress: Progress) -> None:
    """Judge what a run has kept on its validation set, if it has one and that was not done."""
    if not run.counts.get(SetName.VALIDATION):
        return
    with context.database.session() as session:
        model = get_run(session, run.id).model
        judged = model is None or SetName.VALIDATION.value in judged_sets(session, model.id)
    if model is not None and not judged:
        judge_model(context, model.id, JudgedSet.VALIDATION, progress.unstoppable())


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
        self._state = state
        self._began = time.monotonic() - (run.train_s or 0.0)
        self._waiting: list[EpochResult] = []  # not stored yet
        watch = training.recipe.watch
        acts = {*watch.acts.values(), *(own.act for own in watch.own)}
        self._may_end, self._looks = Act.END in acts, bool(acts - {Act.SAY})
        with context.database.session() as session:
            self._facts = run_facts(session, run)
            self._history = recorded(session, run.id) if self._looks else []
            self._order = order_of(session, run)
        # A trial whose plan has ended, and that a person lets go on, trains to its end.
        bound = run.until_epoch if self._order or run.repeats else None
        self._until = bound or training.recipe.settings.epochs
        # Of what was found before an interruption word was sent then; some is found before the first epoch.
        self._told = {found.id for found in self._words()} if self._history else set()
        self._store_at = 0.0  # by the clock
        self.trained_at = 0.0  # by the clock, when the last epoch was through

    def run_to_end(self, steps: int) -> int:
        """Consume the loop; whatever ends it, the run says why. Its last epoch, if it ended well.

        Parameters
        ----------
        steps : int
            Of an epoch.
        """
        settings = self._training.recipe.settings
        try:
            done = self._consume(settings, steps)
        except StoppedError:
            self._end(RunEnding.STOPPED)
            raise
        except NonFiniteError as error:
            self._end(RunEnding.FAILED, {**_words(error), "lost": True})
            raise
        self.trained_at = time.monotonic()
        facts = self._condition(settings) if done != self._until else None
        if facts is None and self._order is not None and done < settings.epochs:
            self._rest()
        else:
            self._end(RunEnding.CONDITION if facts else RunEnding.EPOCHS, facts)
        return done

    def _consume(self, settings: TrainingSettings, steps: int) -> int:
        last, done = min(settings.epochs, self._until), self._state.epoch if self._state else 0
        self._progress.stage("Training", last * steps, done * steps)
        if done and (done >= self._until or self._time_is_up(settings) or self._lookout()):
            return done
        for result in self._training.results:
            if not isinstance(result, EpochResult):
                self._progress.line.append(result.loss)
                self._progress.advance()
                continue
            self._progress.line.clear()
            self._take(result)
            done = result.metrics.number
            if min(result.last, self._until) != last:
                last = min(result.last, self._until)
                self._progress.stage("Training, to an early end", last * steps, done * steps)
            self._progress.report()
            if done >= self._until or self._time_is_up(settings) or self._lookout():
                break
            if self._progress.pause_asked and done < last:
                self._store_waiting()
                raise PausedError(f"Paused after epoch {done} of {last}.", "It goes on when its turn comes.")
        return done

    def _time_is_up(self, settings: TrainingSettings) -> bool:
        return bool(settings.time_limit) and time.monotonic() - self._began >= 60 * settings.time_limit

    def _words(self) -> Sequence[Found]:
        """Lookouts that find something after the last epoch and send word of it."""
        return sends_word(self._history, self._facts, self._training.recipe.watch) if self._looks else ()

    def _send_words(self, session: Session) -> None:
        for found in self._words():
            if found.id in self._told:
                continue
            self._told.add(found.id)
            said = found.finding
            facts = {"words": found.words, "why": said.why, "since": said.since, "where": said.where}
            give_word(session, self._context.settings, self._run, FOUND, id=found.id, **facts)
            words = f"{found.words}: {said.why}"[:_WORDS]
            tell(session, "word", self._run.project_id, run=self._run.id, number=self._run.number, words=words)

    def _lookout(self) -> Found | None:
        """The lookout that ends the training after the last epoch, if one does."""
        return ends(self._history, self._facts, self._training.recipe.watch) if self._may_end else None

    def _condition(self, settings: TrainingSettings) -> dict[str, Any] | None:
        """What ended the training before all its epochs, if anything did."""
        found, history = self._lookout(), self._state.history if self._state else ()
        if found:
            epoch, mend = self._history[-1].number, found.finding.mend
            what = wording(found, epoch)
            return {"what": what, "mend": mend, "by": "lookout", "epoch": epoch, "lookout": found.id}
        met = ended_early(history, settings, self._training.phases[-1].first)
        return {"what": met_words(met, settings), **asdict(met)} if met else None

    def _take(self, result: EpochResult) -> None:
        self._waiting.append(result)
        if self._looks:
            metrics = result.metrics
            self._history.append(EpochRecord(number=metrics.number, figures=metrics.figures, watched=result.watched))
        self._state = result.state
        if time.monotonic() >= self._store_at:
            self._store_waiting()
            self._store_at = time.monotonic() + _TOGETHER_S

    def _store_waiting(self) -> None:
        if not self._waiting or self._state is None:
            return
        state, store, run_id = self._state, self._context.store, self._run.id
        kept = any(result.kept for result in self._waiting)
        names = [entry["name"] for entry in self._run.classes]
        last = f"runs/{run_id}/last-{state.epoch:05d}.safetensors"
        model = f"runs/{run_id}/kept-{state.kept_epoch:05d}.safetensors"
        store.write(last, write_checkpoint(state))
        if kept:
            store.write(model, write_model(trained_model(self._training, state, names)))
        store.settle()
        with self._context.database.session() as session:
            # The lease is asked for in the same transaction: a worker that lost it must not move the pointers.
            hold_lease(session, self._progress.job_id, self._progress.owner)
            replaced = [set_last_state(session, run_id, state.epoch, last)]
            if kept:
                digest = weights_digest(state.kept)
                replaced.append(keep_state(session, run_id, epoch=state.kept_epoch, digest=digest, path=model))
            spent = time.monotonic() - self._began
            for result in self._waiting:
                metrics = result.metrics
                add_epoch(
                    session, run_id, metrics.number, metrics.figures, kept=result.kept, train_s=spent,
                    recalls=metrics.recalls, watched=watched_to_json(result.watched),
                )  # fmt: skip
            self._send_words(session)
        self._waiting.clear()
        for path in replaced:
            if path:
                store.remove(path)

    def _scored(self) -> dict[str, Any] | None:
        """What the run varies, with its score at the rung that it has reached; None of a run of no plan."""
        if self._order is None or self._state is None or not self._state.kept_epoch:
            return None
        figures = self._state.history[self._state.kept_epoch - 1].figures
        return with_score(self._run, self._order, figures)

    def _rest(self) -> None:
        """Until the plan says whether it goes on."""
        self._store_waiting()
        with self._context.database.session() as session:
            hold_lease(session, self._progress.job_id, self._progress.owner)
            rest_run(session, self._run.id, self._scored() or {}, time.monotonic() - self._began)
        _judge(self._context, self._run, self._progress)

    def _end(self, by: RunEnding, facts: dict[str, Any] | None = None) -> None:
        self._store_waiting()
        with self._context.database.session() as session:
            hold_lease(session, self._progress.job_id, self._progress.owner)
            if by not in (RunEnding.FAILED, RunEnding.STOPPED) and (varied := self._scored()):
                set_varied(session, self._run.id, varied)
            if end_run(session, self._run.id, by, facts, time.monotonic() - self._began):
                self._facts = replace(self._facts, done=by is RunEnding.EPOCHS)
                self._send_words(session)
                give_word(session, self._context.settings, self._run, ENDED)
        _judge(self._context, self._run, self._progress)
