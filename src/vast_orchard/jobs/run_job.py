"""Runs one job from taking to ending it, whatever happens in between."""

import uuid
from collections.abc import Callable

import structlog

from vast_orchard.errors import (
    DatabaseGoneError,
    DiskFullError,
    LaterError,
    LeaseLostError,
    OrchardError,
    PausedError,
    StoppedError,
)
from vast_orchard.jobs.bringing_in.bringing_back import bring_back
from vast_orchard.jobs.bringing_in.copies import find_copies
from vast_orchard.jobs.bringing_in.importing import import_pictures, read_for_plan
from vast_orchard.jobs.bringing_in.sampling import bring_sample
from vast_orchard.jobs.clearing_up.emptying import empty_bin
from vast_orchard.jobs.context import Progress, WorkContext
from vast_orchard.jobs.finding.looking import look_for_faults
from vast_orchard.jobs.handing_over.duplicating import duplicate_project
from vast_orchard.jobs.handing_over.exporting import make_export
from vast_orchard.jobs.handing_over.taking_out import make_parcel
from vast_orchard.jobs.planning.advancing import BEGINNING, advance_after, advance_plan
from vast_orchard.jobs.planning.combining import combine_models
from vast_orchard.jobs.planning.reading import read_plan
from vast_orchard.jobs.queue import enqueue
from vast_orchard.jobs.sign_of_life import SignOfLife
from vast_orchard.jobs.telling.hook import send_word
from vast_orchard.jobs.training.judging import judge_model
from vast_orchard.jobs.training.run_training import train_run
from vast_orchard.store.disk import full_disk_in_words
from vast_orchard.store.jobs import end_job, put_off, take_job
from vast_orchard.store.schema import JobKind, JobState
from vast_orchard.store.training_queue import take_turn
from vast_orchard.store.values import JobValue
from vast_orchard.types import JudgedSet

__all__ = ["run_job"]

_log = structlog.get_logger()
# Work that found the disk full looks again after so long.
_TRY_AGAIN_S = 10


_WORK: dict[JobKind, Callable[[WorkContext, int, Progress], None]] = {
    JobKind.READ: read_for_plan,
    JobKind.IMPORT: import_pictures,
    JobKind.TAKE_OUT: make_parcel,
    JobKind.BRING_BACK: bring_back,
    JobKind.EMPTY: empty_bin,
    JobKind.COPIES: find_copies,
    JobKind.FINDINGS: look_for_faults,
    JobKind.TRAIN: train_run,
    JobKind.EXPORT: make_export,
    JobKind.PLAN: read_plan,
}


def _do(context: WorkContext, job: JobValue, progress: Progress) -> None:
    kind = JobKind(job.kind)
    if kind is JobKind.JUDGE:
        judge_model(context, job.subject_id, JudgedSet(job.part), progress)
    elif kind is JobKind.DUPLICATE and job.project_id is not None:
        duplicate_project(context, job.subject_id, job.project_id, progress, **job.options)
    elif kind is JobKind.TELL:
        send_word(context, job.id, progress)
    elif kind is JobKind.PLAN and job.part == BEGINNING:
        with context.database.session() as session:
            advance_plan(session, job.subject_id, context.settings, context.store)
    elif kind is JobKind.COMBINE:
        combine_models(context, job.subject_id, progress, **job.options)
    elif kind is JobKind.SAMPLE:
        bring_sample(context, job.subject_id, progress, **job.options)
    else:
        _WORK[kind](context, job.subject_id, progress)


def run_job(
    context: WorkContext,
    job_id: int,
    *,
    when_stuck: Callable[[], object] | None = None,
    alive_s: float = 0.0,
    by_turn: bool = False,
) -> None:
    """Do a job that waits or was abandoned; one that has ended is left alone, so delivering twice is harmless.

    A database that goes away raises: the job stays running in the records and is taken up again. A full disk puts it
    off: it waits and says so, other work gets its turn, and it goes on where it was when there is room.

    Parameters
    ----------
    when_stuck : callable, optional
        Called when the work was taken away long ago and does not end.
    alive_s : float
        Work that gave a sign of life within so many seconds is left to whoever does it.
    by_turn : bool
        The job only wakes the worker: of the trainings the one whose turn it is is done.
    """
    owner = uuid.uuid4().hex
    with context.database.session() as session:
        job = (take_turn if by_turn else take_job)(session, job_id, owner, alive_s=alive_s)
    if job is None:
        return
    job_id = job.id
    log = _log.bind(job=job_id, kind=job.kind, subject=job.subject_id)
    log.info("A job was taken.", action="job_taken")
    state, error_text = JobState.DONE, None
    try:
        with SignOfLife(context.database, job_id, owner, when_stuck), full_disk_in_words(context.settings.data_dir):
            _do(context, job, Progress(context.database, job_id, owner))
    except LeaseLostError:
        log.warning("A job was given up to another worker.", action="job_lost")
        return
    except DatabaseGoneError:
        raise
    except DiskFullError as error:
        log.warning("A job waits for room on the disk.", action="job_put_off", error=str(error))
        with context.database.session() as session:
            if put_off(session, job_id, owner, str(error)):
                enqueue(session, JobKind(job.kind), job_id, in_s=_TRY_AGAIN_S)
        return
    except PausedError:
        log.info("A job waits again.", action="job_paused")
        with context.database.session() as session:
            if put_off(session, job_id, owner, ""):
                enqueue(session, JobKind(job.kind), job_id)
        return
    except LaterError as error:
        log.warning("A job is tried again later.", action="job_put_off", error=str(error))
        with context.database.session() as session:
            if put_off(session, job_id, owner, error.what):
                enqueue(session, JobKind(job.kind), job_id, in_s=error.in_s)
        return
    except StoppedError:
        state = JobState.STOPPED
    except OrchardError as error:
        state, error_text = JobState.FAILED, str(error)
    # A defect of ours must end the job with words too; the trace goes to the log.
    except Exception as error:
        log.exception("A job failed unexpectedly.", action="job_broke")
        state = JobState.FAILED
        error_text = (
            f"Something went wrong in the program itself ({type(error).__name__}: {error}). See the worker's log."
        )
    with context.database.session() as session:
        end_job(session, job_id, owner, state, error_text)
    log.info("A job ended.", action="job_ended", state=state.value)
    if job.kind == JobKind.TRAIN:
        # Whoever dies before this leaves it to the sweep.
        with context.database.session() as session:
            advance_after(session, job.subject_id, context.settings, context.store)
