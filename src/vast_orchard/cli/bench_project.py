"""A large project in a database of its own, for measuring what people do with one."""

from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from multiprocessing import get_context
from pathlib import Path

from sqlalchemy import text
from sqlalchemy.orm import Session

from vast_orchard.cli.bench_database import own_database
from vast_orchard.cli.bench_import import bring_in_once, draw_many
from vast_orchard.cli.terminal import console
from vast_orchard.core.training.recipe import Recipe
from vast_orchard.demo.write import PICTURES_FOLDER, write_collection
from vast_orchard.jobs.training.starting import RunOrder, start_run
from vast_orchard.settings import Settings
from vast_orchard.store.database import Database
from vast_orchard.store.models import keep_state, model_of_run
from vast_orchard.store.run_states import end_run
from vast_orchard.store.schema import RunEnding
from vast_orchard.store.values import ModelValue

__all__ = ["LargeProject", "empty_split", "ended_run", "large_project"]


@dataclass(frozen=True, kw_only=True)
class LargeProject:
    """Where it is; gone when its measuring ends."""

    id: int
    database: Database
    settings: Settings
    folder: Path


@contextmanager
def large_project(count: int) -> Iterator[LargeProject]:
    """Draw snow crystals and bring them in, by the way that people go."""
    with own_database() as own:
        console().print(f"Drawing and bringing in {count:,} snow crystals")
        write_collection(own.folder / "crystals", min(count, 2_000))
        draw_many(own.folder / "crystals" / PICTURES_FOLDER, own.folder / "many", count)
        project = bring_in_once(get_context("spawn"), own.settings, own.folder / "many").project_id
        yield LargeProject(id=project, database=own.database, settings=own.settings, folder=own.folder)


def empty_split(session: Session, project_id: int) -> int:
    """A split without members yet; its id."""
    made = session.scalar(
        text(
            "insert into split (project_id, number, method, shares, seed) values (:p, 1, 'random', '{}', 1)"
            " returning id"
        ),
        {"p": project_id},
    )
    return int(made or 0)


def ended_run(session: Session, project_id: int, split_id: int, digest: str) -> ModelValue:
    """What a run has kept that ended at once, without having been trained."""
    run = start_run(session, project_id, RunOrder(recipe=Recipe(), split_id=split_id)).id
    keep_state(session, run, epoch=1, digest=digest, path="bench")
    end_run(session, run, RunEnding.EPOCHS)
    session.execute(text("update job set state = 'done' where subject_id = :r and kind = 'train'"), {"r": run})
    return model_of_run(session, run)
