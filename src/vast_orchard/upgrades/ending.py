"""Why runs of versions up to 0.7 ended, which was stored in words, as data."""

import re
from collections.abc import Mapping
from typing import Any

__all__ = ["former_ending"]

_KEPT = re.compile(r" (Epoch [0-9]+ is kept: .*|No epoch was finished, so nothing is kept\.)$", re.DOTALL)
_UNKNOWN = "How this run ended was not recorded."


def former_ending(
    words: str | None, job: Mapping[str, Any] | None, *, done: int, epochs: int
) -> tuple[str, str | None, dict[str, Any] | None]:
    """State, what ended it, and the numbers beside that.

    Parameters
    ----------
    words : str or None
        As stored; None for a run that did not say.
    job : mapping or None
        State and error of its newest job.
    done, epochs : int
        Epochs that were done, and asked for.
    """
    facts: dict[str, Any] = {"done": done, "epochs": epochs}
    state = job["state"] if job else None
    if words:
        told = _KEPT.sub("", words)
        if told.startswith("All "):
            return "ended", "epochs", facts
        if told.startswith("Stopped by hand"):
            return "ended", "stopped", facts
        what = re.sub(r"^(Ended by itself|Not begun): ", "", told)
        return "ended", "failed", {**facts, "what": what, "mend": ""}
    match state:
        case "waiting" | "running":
            return ("training" if done or state == "running" else "waiting"), None, None
        case "done":
            return "ended", "epochs", facts
        case "stopped":
            return "ended", "stopped", facts
        case _:
            return "ended", "failed", {**facts, "what": (job or {}).get("error") or _UNKNOWN, "mend": ""}
