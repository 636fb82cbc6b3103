"""Makes a project's duplicate: its records under fresh ids, its weights and packs as files of their own.

Picture bytes are kept by content and shared, so nothing of them is copied.
"""

from collections.abc import Iterable, Iterator
from itertools import islice
from typing import Any

from sqlalchemy.orm import Session

from vast_orchard.jobs.after_failure import after_failure
from vast_orchard.jobs.context import Progress, WorkContext
from vast_orchard.jobs.new_files import NewFiles
from vast_orchard.store.bin import project_contents, project_files
from vast_orchard.store.locks import holding_bytes
from vast_orchard.store.projects import delete_project, get_project
from vast_orchard.store.splits import looks_on
from vast_orchard.store.transfer import Loader, at_one_moment, check_at_rest, dump_records
from vast_orchard.store.transfer_kinds import RECORDS

__all__ = ["duplicate_project"]

_ROWS_AT_ONCE = 1000


def duplicate_project(context: WorkContext, source: int, target: int, progress: Progress, *, with_runs: bool) -> None:
    """Fill an empty project with what another holds: all of it, or nothing.

    Parameters
    ----------
    source, target : int
        Projects.
    with_runs : bool
        Otherwise runs, models and packs stay out of it; looks at a test set stay counted all the same.

    Raises
    ------
    ConflictError
        The other project changes by itself just now.
    """
    with context.database.session() as session:
        if project_contents(session, target):
            return  # a worker that died after its last step did everything already

    def forget() -> None:
        with context.database.session() as session:
            delete_project(session, target)

    with (
        after_failure(forget),
        holding_bytes(context.database),
        NewFiles(context.store) as made,
        context.database.session() as read,
        context.database.session() as session,
    ):
        at_one_moment(read)
        check_at_rest(read, source)
        files = project_files(read, source)
        copied = [*files.weights, *files.exports] if with_runs else []
        progress.stage("Duplicating the project", len(RECORDS) + len(copied))
        loader = Loader(session, target)
        for name, rows in dump_records(read, source, with_runs=with_runs):
            loader.load(name, _batches(read, name, rows, with_runs=with_runs))
            progress.advance()
        for path in copied:
            made.write(loader.new_path(path), context.store.read(path))
            progress.advance()
        loader.place_files(copied)
        context.store.settle()
        loader.finish(get_project(session, target).name, get_project(read, source).description)


def _batches(
    session: Session, name: str, rows: Iterable[dict[str, Any]], *, with_runs: bool
) -> Iterator[list[dict[str, Any]]]:
    left = iter(rows)
    while some := list(islice(left, _ROWS_AT_ONCE)):
        if name == "split" and not with_runs:
            yield [{**row, "past_looks": looks_on(session, row["id"])} for row in some]
        else:
            yield some
