"""A worker process: takes jobs of one queue, one at a time, and takes over those of workers that died."""

import asyncio
import datetime as dt
import os
import signal

import structlog
from procrastinate import App, PsycopgConnector
from procrastinate.exceptions import ConnectorException

from vast_orchard.errors import OrchardError
from vast_orchard.jobs.bringing_in.opened_files import stand_ready
from vast_orchard.jobs.clearing_up.given_up_uploads import sweep_uploads
from vast_orchard.jobs.context import WorkContext, open_context
from vast_orchard.jobs.planning.advancing import advance_idle
from vast_orchard.jobs.queue import QUEUES, kinds_of, requeue_lost
from vast_orchard.jobs.run_job import run_job
from vast_orchard.jobs.training.weight_digests import fill_digests
from vast_orchard.settings import Settings
from vast_orchard.store.jobs import end_deaf
from vast_orchard.store.schema import JobKind

__all__ = ["run_worker"]

_log = structlog.get_logger()
_HEARTBEAT_S = 2.0
_SWEEP_S = 1.5
_SWEEP_UPLOADS_S = 900.0


def _make_app(context: WorkContext, queue: str) -> App:
    app = App(connector=PsycopgConnector(conninfo=context.database.plain_url))
    for kind, name in QUEUES.items():
        if name == queue:
            # Each job is delivered once more after a failure of the database; its own records decide what is left.
            @app.task(name=kind.value, queue=queue, retry=3)
            def work(job_id: int, kind: JobKind = kind) -> None:
                run_job(
                    context, job_id, when_stuck=lambda: os._exit(1), alive_s=context.settings.stalled_after_s / 2,
                    by_turn=kind is JobKind.TRAIN,
                )  # fmt: skip

    return app


async def _sweep(app: App, context: WorkContext, queue: str) -> None:
    """Hand out again what dead workers held, and what the queue has lost."""
    while True:
        try:
            for job in await app.job_manager.get_stalled_jobs(
                queue=queue, seconds_since_heartbeat=context.settings.stalled_after_s
            ):
                _log.warning("A stalled job is handed out again.", action="job_taken_over", queue_job=job.id)
                await app.job_manager.retry_job(job)
            await asyncio.to_thread(_requeue, context, queue)
        except (OrchardError, ConnectorException) as error:
            _log.warning("Lost work could not be looked for.", action="sweep_failed", error=str(error))
        # Whatever else goes wrong here must not end the looking.
        except Exception:  # noqa: BLE001 - and it is told
            _log.exception("Lost work could not be looked for.", action="sweep_failed")
        await asyncio.sleep(_SWEEP_S)


def _requeue(context: WorkContext, queue: str) -> None:
    with context.database.session() as session:
        end_deaf(session, kinds_of(queue), context.settings.stop_limit_s)
        lost = requeue_lost(session, queue, context.settings.stalled_after_s)
    if queue == QUEUES[JobKind.TRAIN]:
        with context.database.session() as session:
            advance_idle(session, context.settings, context.store)
    if lost:
        _log.warning("Work without a sign of life is handed out again.", action="job_taken_over", jobs=lost)


async def _sweep_uploads(context: WorkContext) -> None:
    """Remove what was sent and given up, at the start and from time to time."""
    while True:
        try:
            await asyncio.to_thread(sweep_uploads, context, dt.datetime.now(dt.UTC))
        except (OrchardError, OSError) as error:
            _log.warning("Given-up uploads could not be removed.", action="sweep_failed", error=str(error))
        await asyncio.sleep(_SWEEP_UPLOADS_S)


async def _fill_digests(context: WorkContext) -> None:
    """Once, for what an earlier version left; nothing else waits for it."""
    try:
        await asyncio.to_thread(fill_digests, context)
    except OrchardError as error:
        _log.warning("Weights of an earlier version could not be read.", action="weights_unread", error=str(error))


async def _main(app: App, context: WorkContext, queue: str) -> None:
    async with app.open_async():
        sweepers = [asyncio.create_task(_sweep(app, context, queue))]
        if queue == QUEUES[JobKind.IMPORT]:
            sweepers += [asyncio.create_task(_sweep_uploads(context)), asyncio.create_task(_fill_digests(context))]
        try:
            await app.run_worker_async(
                queues=[queue],
                name=f"{queue}-{os.getpid()}",
                concurrency=1,
                fetch_job_polling_interval=2.0,
                install_signal_handlers=False,
                update_heartbeat_interval=_HEARTBEAT_S,
                stalled_worker_timeout=float(context.settings.stalled_after_s),
                delete_jobs="always",
            )
        finally:
            for sweeper in sweepers:
                sweeper.cancel()


def run_worker(settings: Settings, queue: str) -> None:
    """Work until the process is ended.

    A signal ends it at once: every job must survive a crash anyway, so stopping is made the same thing, and there is
    one path to get right instead of two.
    """
    for sign in (signal.SIGTERM, signal.SIGINT):
        signal.signal(sign, lambda *_: os._exit(0))
    context = open_context(settings)
    if queue == QUEUES[JobKind.IMPORT]:
        stand_ready()
    _log.info("A worker is ready.", action="worker_ready", queue=queue)
    asyncio.run(_main(_make_app(context, queue), context, queue))
