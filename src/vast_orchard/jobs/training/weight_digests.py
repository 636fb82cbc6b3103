"""Reads the weights of models of earlier versions once, and says what they are."""

import structlog
from safetensors.numpy import load

from vast_orchard.errors import OrchardError
from vast_orchard.formats.model_file import weights_digest
from vast_orchard.jobs.context import WorkContext
from vast_orchard.store.models import models_without_digest, set_digest

__all__ = ["fill_digests"]

_log = structlog.get_logger()


def fill_digests(context: WorkContext, project_id: int | None = None) -> int:
    """Compute the digests that are missing; returns how many.

    Parameters
    ----------
    project_id : int, optional
        Only those of a project that has just come back.
    """
    with context.database.session() as session:
        missing = models_without_digest(session, project_id)
    filled = 0
    for model_id, path in missing:
        try:
            digest = weights_digest(load(context.store.read(path)))
        except (OrchardError, ValueError, OSError) as error:
            # A model whose file is gone stays without; whoever uses it is told.
            _log.warning("A model's weights cannot be read.", action="weights_unread", model=model_id, error=str(error))
            continue
        with context.database.session() as session:
            set_digest(session, model_id, digest)
        filled += 1
    return filled
