"""Runs one job from taking to ending it, whatever happens in between."""

import uuid
from collections.abc import Callable

import structlog

from vast_orchard.errors import DatabaseGoneError, LeaseLostError, OrchardError, StoppedError
from vast_orchard.jobs.bringing_back import bring_back
from vast_orchard.jobs.context import Progress, WorkContext
from vast_orchard.jobs.copies import find_copies
from vast_orchard.jobs.emptying import empty_bin
from vast_orchard.jobs.exporting import make_export
from vast_orchard.jobs.importing import import_pictures, read_for_plan
from vast_orchard.jobs.judging import judge_set
from vast_orchard.jobs.taking_out import make_parcel
from vast_orchard.jobs.training import train_run
from vast_orchard.store.jobs import end_job, take_job
from vast_orchard.store.schema import JobKind, JobState
from vast_orchard.types import SetName

__all__ = ["perform"]

_log = structlog.get_logger()


def _judge_test(context: WorkContext, run_id: int, progress: Progress) -> None:
    judge_set(context, run_id, SetName.TEST, progress)


_WORK: dict[JobKind, Callable[[WorkContext, int, Progress], None]] = {
    JobKind.READ: read_for_plan,
    JobKind.IMPORT: import_pictures,
    JobKind.TAKE_OUT: make_parcel,
    JobKind.BRING_BACK: bring_back,
    JobKind.EMPTY: empty_bin,
    JobKind.COPIES: find_copies,
    JobKind.TRAIN: train_run,
    JobKind.JUDGE: _judge_test,
    JobKind.EXPORT: make_export,
}


def perform(context: WorkContext, job_id: int) -> None:
    """Do a job that waits or was abandoned; one that has ended is left alone, so delivering twice is harmless.

    A database that goes away raises: the job stays running in the records and is taken up again.
    """
    owner = uuid.uuid4().hex
    with context.database.session() as session:
        job = take_job(session, job_id, owner)
    if job is None:
        return
    log = _log.bind(job=job_id, kind=job.kind, subject=job.subject_id)
    log.info("A job was taken.", action="job_taken")
    state, error_text = JobState.DONE, None
    try:
        _WORK[JobKind(job.kind)](context, job.subject_id, Progress(context.database, job_id, owner))
    except LeaseLostError:
        log.warning("A job was given up to another worker.", action="job_lost")
        return
    except DatabaseGoneError:
        raise
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
