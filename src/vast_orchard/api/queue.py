"""The queue of trainings over HTTP."""

from typing import Any

from fastapi import APIRouter

from vast_orchard.api.dependencies import PartsOf, RunOf, SessionOf
from vast_orchard.api.schemas.queue import QueuedRunRead, QueueMove
from vast_orchard.at_once.network_times import pace_here
from vast_orchard.at_once.queue_times import timed_queue
from vast_orchard.jobs.queue import enqueue
from vast_orchard.store.schema import JobKind
from vast_orchard.store.training_queue import Move, change_queue, training_queue

__all__ = ["router"]

router = APIRouter(prefix="/api", tags=["runs"])


@router.get("/queue", response_model=list[QueuedRunRead])
def read_queue(session: SessionOf, parts: PartsOf) -> list[dict[str, Any]]:
    """What trains and what waits, of all projects, in the order of their turns, with expected times."""
    return timed_queue(training_queue(session), pace_here(parts.settings), parts.settings.trainings_at_once)


@router.post("/runs/{run_id}/queue", response_model=list[QueuedRunRead])
def move_run(session: SessionOf, parts: PartsOf, run: RunOf, body: QueueMove) -> list[dict[str, Any]]:
    """Move a run that waits, hold it, or let it go; the queue as it is then."""
    job_id = change_queue(session, run.id, body.move)
    if body.move in (Move.LET_GO, Move.NEXT):
        # While it was held, what was to wake a worker for it may have gone by.
        enqueue(session, JobKind.TRAIN, job_id)
    return timed_queue(training_queue(session), pace_here(parts.settings), parts.settings.trainings_at_once)
