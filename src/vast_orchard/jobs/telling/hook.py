"""The web hook: an address that is told of what happened to trainings, in JSON and signed.

Headers and signature are those of the open specification of Standard Webhooks: `webhook-id`, `webhook-timestamp` in
Unix seconds, and `webhook-signature`, which is `v1,` and the base64 of HMAC-SHA-256 over `id.timestamp.body`.
"""

import base64
import datetime as dt
import hashlib
import hmac
import json
from contextlib import suppress
from typing import Any

from sqlalchemy.orm import Session

from vast_orchard import __version__
from vast_orchard.errors import ConflictError, LaterError, OutgoingError
from vast_orchard.jobs.context import Progress, WorkContext
from vast_orchard.jobs.queue import start_job
from vast_orchard.jobs.telling.outgoing import allowed_hosts, request
from vast_orchard.settings import Settings
from vast_orchard.store.jobs import get_job
from vast_orchard.store.projects import get_project
from vast_orchard.store.runs import get_run
from vast_orchard.store.schema import JobKind
from vast_orchard.store.values import RunValue

__all__ = ["ENDED", "FOUND", "give_word", "send_word", "signature"]

ENDED, FOUND = "run.ended", "run.lookout"

# It is tried again after as long as it has been tried for, within these ends, and given up after an hour.
_FIRST_S, _LAST_S, _GIVE_UP_S = 5, 600, 3600


def give_word(session: Session, settings: Settings, run: RunValue, event: str, **facts: Any) -> None:
    """Have the web hook told, if there is one, once this transaction is through.

    Parameters
    ----------
    session : Session
    settings : Settings
    run : RunValue
    event : str
        `ENDED` or `FOUND`.
    facts : Any
        Of a lookout: `id`, `words`, `why`, `since` and `where`.
    """
    if not settings.hook_url:
        return
    part = hashlib.sha256(facts.get("id", "").encode()).hexdigest()[:10]
    # One that is still under way says how the run stands when it is sent.
    with suppress(ConflictError):
        start_job(
            session, run.project_id, JobKind.TELL, f"Word of run {run.number}", run.id, part,
            {"event": event, "lookout": facts},
        )  # fmt: skip


def signature(secret: str, word_id: str, timestamp: int, body: bytes) -> str:
    """Of the header `webhook-signature`."""
    made = hmac.new(secret.encode(), f"{word_id}.{timestamp}.".encode() + body, hashlib.sha256)
    return "v1," + base64.b64encode(made.digest()).decode()


def _body(context: WorkContext, run_id: int, event: str, lookout: dict[str, Any]) -> dict[str, Any]:
    with context.database.session() as session:
        run = get_run(session, run_id)
        project = get_project(session, run.project_id)
    ending = run.ending or {}
    return {
        "type": event,
        "project": {"id": project.id, "name": project.name},
        "run": {
            "id": run.id, "number": run.number, "name": run.name, "state": run.state, "ended_by": run.ended_by,
            "why": ending.get("what", ""), "epochs_done": run.epochs_done,
            "epochs": run.recipe["settings"]["epochs"], "figures": run.figures, "train_s": run.train_s,
        },
        **({"lookout": lookout} if lookout else {}),
    }  # fmt: skip


def send_word(context: WorkContext, job_id: int, progress: Progress) -> None:
    """Tell the web hook.

    Raises
    ------
    LaterError
        It could not be told, and is tried again.
    OutgoingError
        It could not be told for an hour.
    SettingError
        The address is none.
    """
    settings = context.settings
    if not settings.hook_url:
        return
    progress.stage("Telling", 1)
    with context.database.session() as session:
        job = get_job(session, job_id)
    now = dt.datetime.now(dt.UTC)
    told = _body(context, job.subject_id, job.options["event"], job.options["lookout"])
    body = json.dumps({**told, "timestamp": now.isoformat()}).encode()
    word_id, timestamp = f"word-{job.id}", int(now.timestamp())
    headers = {
        "Content-Type": "application/json", "User-Agent": f"vast-orchard/{__version__}",
        "webhook-id": word_id, "webhook-timestamp": str(timestamp),
    }  # fmt: skip
    if settings.hook_secret:
        headers["webhook-signature"] = signature(settings.hook_secret, word_id, timestamp, body)
    try:
        answer = request(
            "POST", settings.hook_url, headers=headers, body=body, allowed=allowed_hosts(settings.outgoing_allowed)
        )
        if not 200 <= answer.status < 300:
            what = "a redirect, which is not followed" if 300 <= answer.status < 400 else "a refusal"
            raise OutgoingError(f"The web hook answers with {what} ({answer.status}).", "See what is there.")
    except OutgoingError as error:
        age = (now - job.created_at).total_seconds()
        if age > _GIVE_UP_S:
            raise
        wait = int(min(_LAST_S, max(_FIRST_S, age)))
        raise LaterError(f"{error.what} It is tried again in {wait} s.", error.mend, in_s=wait) from error
    progress.advance()
