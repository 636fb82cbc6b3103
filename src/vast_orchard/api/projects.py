"""Projects over HTTP."""

from collections.abc import Sequence
from typing import Annotated

from fastapi import APIRouter, Path, Query
from fastapi import status as http

from vast_orchard.api.dependencies import LARGEST_ID, PartsOf, ProjectOf, SessionOf
from vast_orchard.api.schemas.classes import ClassRead
from vast_orchard.api.schemas.projects import (
    ProjectCreate,
    ProjectDuplicate,
    ProjectGlimpseRead,
    ProjectRead,
    ProjectUpdate,
    PutAway,
)
from vast_orchard.jobs.queue import start_job
from vast_orchard.store import classes, projects
from vast_orchard.store.imports import create_import
from vast_orchard.store.schema import JobKind
from vast_orchard.store.transfer import check_at_rest
from vast_orchard.store.values import ClassValue, ProjectGlimpse, ProjectValue

__all__ = ["router"]

router = APIRouter(prefix="/api/projects", tags=["projects"])


@router.get("", response_model=list[ProjectRead])
def list_all(session: SessionOf, deleted: bool = False) -> Sequence[ProjectValue]:
    """Projects, newest first, or those in the bin."""
    return projects.list_projects(session, deleted=deleted)


@router.post("", response_model=ProjectRead, status_code=http.HTTP_201_CREATED)
def create(session: SessionOf, parts: PartsOf, body: ProjectCreate) -> ProjectValue:
    """A new project: empty, or with a made-up collection that a job draws and brings in."""
    made = projects.create_project(session, body.name, body.description)
    if body.sample:
        name = "made-up snow crystals"
        entry = create_import(session, made.id, name, parts.folder.new_upload())
        options = body.sample.model_dump()
        start_job(session, made.id, JobKind.SAMPLE, f"Draw {name}", entry.id, options=options)
    return made


@router.get("/{project_id}", response_model=ProjectRead)
def read(session: SessionOf, project: ProjectOf) -> ProjectValue:
    """One project."""
    return projects.count_project(session, project.id)


@router.patch("/{project_id}", response_model=ProjectRead)
def describe(session: SessionOf, project: ProjectOf, body: ProjectUpdate) -> ProjectValue:
    """Another name or description."""
    return projects.describe_project(session, project.id, name=body.name, description=body.description)


@router.delete("/{project_id}", status_code=http.HTTP_204_NO_CONTENT)
def delete(session: SessionOf, project: ProjectOf) -> None:
    """Into the bin."""
    projects.delete_project(session, project.id)


@router.post("/{project_id}/restore", response_model=ProjectRead)
def restore(session: SessionOf, project_id: Annotated[int, Path(ge=1, le=LARGEST_ID)]) -> ProjectValue:
    """Out of the bin."""
    return projects.restore_project(session, project_id)


@router.post("/{project_id}/duplicate", response_model=ProjectRead, status_code=http.HTTP_202_ACCEPTED)
def duplicate(session: SessionOf, project: ProjectOf, body: ProjectDuplicate) -> ProjectValue:
    """A project of its own with the same pictures, splits and named ingredients, filled by a job."""
    check_at_rest(session, project.id)
    made = projects.create_project(session, body.name)
    options = {"with_runs": body.with_runs}
    start_job(session, made.id, JobKind.DUPLICATE, f"Duplicate {project.name}", project.id, options=options)
    return made


@router.put("/{project_id}/put-away", response_model=ProjectRead)
def put_away(session: SessionOf, project: ProjectOf, body: PutAway) -> ProjectValue:
    """Apart from the others in the list, or among them again."""
    return projects.put_away(session, project.id, away=body.away)


@router.get("/{project_id}/glimpse", response_model=ProjectGlimpseRead)
def glimpse(
    session: SessionOf, project: ProjectOf, pictures: Annotated[int, Query(ge=0, le=40)] = 12
) -> ProjectGlimpse:
    """A few pictures of it, and its newest result."""
    return projects.glimpse_of(session, project.id, pictures)


@router.get("/{project_id}/classes", response_model=list[ClassRead])
def list_classes(session: SessionOf, project: ProjectOf) -> Sequence[ClassValue]:
    """Classes in their order, with counts."""
    return classes.list_classes(session, project.id)
