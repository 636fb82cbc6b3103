"""What handlers are given: a transaction, the window that asks, and the application's parts."""

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Annotated

from fastapi import Depends, Header, Path, Query, Request
from sqlalchemy.orm import Session

from vast_orchard.api.upload_space import UploadSpace
from vast_orchard.jobs.quick.process import QuickProcess
from vast_orchard.settings import Settings
from vast_orchard.store.bytes import ByteStore
from vast_orchard.store.data_folder import DataFolder
from vast_orchard.store.database import Database
from vast_orchard.store.models import get_model
from vast_orchard.store.projects import get_project
from vast_orchard.store.runs import get_run
from vast_orchard.store.values import ModelValue, ProjectName, RunValue

__all__ = ["LARGEST_ID", "LookQuery", "ModelOf", "Parts", "PartsOf", "ProjectOf", "RunOf", "SessionOf", "WindowOf"]

LARGEST_ID = 2**31 - 1


@dataclass(frozen=True, kw_only=True)
class Parts:
    """Made once for the process."""

    settings: Settings
    database: Database
    store: ByteStore
    quick: QuickProcess
    space: UploadSpace

    @property
    def folder(self) -> DataFolder:
        """Where files of our own lie."""
        return DataFolder(self.settings.data_dir)


def _parts(request: Request) -> Parts:
    parts: Parts = request.app.state.parts
    return parts


PartsOf = Annotated[Parts, Depends(_parts)]


def _session(parts: PartsOf) -> Iterator[Session]:
    with parts.database.session() as session:
        yield session


# Committed before the answer is sent ("function" scope), so that an answer is never about what may still fail.
SessionOf = Annotated[Session, Depends(_session, scope="function")]

LookQuery = Annotated[int | None, Query(ge=1, le=LARGEST_ID, description="Needed for the test set.")]

WindowOf = Annotated[str, Header(alias="X-Window", min_length=1, max_length=64, description="Id of the window.")]


def _project(session: SessionOf, project_id: Annotated[int, Path(ge=1, le=LARGEST_ID)]) -> ProjectName:
    return get_project(session, project_id)


def _run(session: SessionOf, run_id: Annotated[int, Path(ge=1, le=LARGEST_ID)]) -> RunValue:
    run = get_run(session, run_id)
    get_project(session, run.project_id)  # a run of a project in the bin is not shown
    return run


def _model(session: SessionOf, model_id: Annotated[int, Path(ge=1, le=LARGEST_ID)]) -> ModelValue:
    model = get_model(session, model_id)
    get_project(session, model.project_id)
    return model


ModelOf = Annotated[ModelValue, Depends(_model)]
ProjectOf = Annotated[ProjectName, Depends(_project)]
RunOf = Annotated[RunValue, Depends(_run)]
