"""What a job does when it fails for good, and not when its work is merely interrupted."""

from collections.abc import Callable, Iterator
from contextlib import contextmanager

from vast_orchard.errors import DatabaseGoneError, DiskFullError, LeaseLostError

__all__ = ["after_failure"]


@contextmanager
def after_failure(undo: Callable[[], object]) -> Iterator[None]:
    """Take back what was begun when the work within fails, or is stopped by a person.

    Work that will be done again needs what it has begun: after the database went away, while the disk is full, and when
    another worker took the job, to whom all of it belongs now.
    """
    try:
        yield
    except (DatabaseGoneError, DiskFullError, LeaseLostError):
        raise
    except Exception:
        undo()
        raise
