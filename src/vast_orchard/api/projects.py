"""Projects over HTTP."""

from collections.abc import Sequence
from typing import Annotated

from fastapi import APIRouter, Path
from fastapi import status as http

from vast_orchard.api.dependencies import LARGEST_ID, ProjectOf, SessionOf, WindowOf
from vast_orchard.api.schemas import ActionRead, ClassRead, ClassWrite, ProjectRead, ProjectWrite, UndoRead
from vast_orchard.store import actions, classes, projects
from vast_orchard.store.values import ActionValue, ClassValue, ProjectValue, UndoResult

__all__ = ["router"]

router = APIRouter(prefix="/api/projects", tags=["projects"])


@router.get("", response_model=list[ProjectRead])
def list_all(session: SessionOf, deleted: bool = False) -> Sequence[ProjectValue]:
    """Projects, newest first, or those in the bin."""
    return projects.list_projects(session, deleted=deleted)


@router.post("", response_model=ProjectRead, status_code=http.HTTP_201_CREATED)
def create(session: SessionOf, body: ProjectWrite) -> ProjectValue:
    """A new, empty project."""
    return projects.create_project(session, body.name)


@router.get("/{project_id}", response_model=ProjectRead)
def read(project: ProjectOf) -> ProjectValue:
    """One project."""
    return project


@router.patch("/{project_id}", response_model=ProjectRead)
def rename(session: SessionOf, project: ProjectOf, body: ProjectWrite) -> ProjectValue:
    """Another name."""
    return projects.rename_project(session, project.id, body.name)


@router.delete("/{project_id}", status_code=http.HTTP_204_NO_CONTENT)
def delete(session: SessionOf, project: ProjectOf) -> None:
    """Into the bin."""
    projects.delete_project(session, project.id)


@router.post("/{project_id}/restore", response_model=ProjectRead)
def restore(session: SessionOf, project_id: Annotated[int, Path(ge=1, le=LARGEST_ID)]) -> ProjectValue:
    """Out of the bin."""
    return projects.restore_project(session, project_id)


@router.get("/{project_id}/classes", response_model=list[ClassRead])
def list_classes(session: SessionOf, project: ProjectOf) -> Sequence[ClassValue]:
    """Classes in their order, with counts."""
    return classes.list_classes(session, project.id)


def _read(session: SessionOf, project_id: int, class_id: int) -> ClassValue:
    return next(entry for entry in classes.list_classes(session, project_id) if entry.id == class_id)


@router.post("/{project_id}/classes", response_model=ClassRead, status_code=http.HTTP_201_CREATED)
def create_class(session: SessionOf, project: ProjectOf, window: WindowOf, body: ClassWrite) -> ClassValue:
    """A new class at the end of the order."""
    return _read(session, project.id, actions.create_class(session, project.id, window, body.name).id)


@router.patch("/{project_id}/classes/{class_id}", response_model=ClassRead)
def rename_class(
    session: SessionOf,
    project: ProjectOf,
    class_id: Annotated[int, Path(ge=1, le=LARGEST_ID)],
    window: WindowOf,
    body: ClassWrite,
) -> ClassValue:
    """Another name; pictures and sign stay."""
    actions.rename_class(session, project.id, window, class_id, body.name)
    return _read(session, project.id, class_id)


@router.get("/{project_id}/actions", response_model=list[ActionRead])
def list_actions(session: SessionOf, project: ProjectOf) -> Sequence[ActionValue]:
    """The newest hundred steps."""
    return actions.list_actions(session, project.id)


@router.post("/{project_id}/undo", response_model=UndoRead)
def undo(session: SessionOf, project: ProjectOf, window: WindowOf) -> UndoResult:
    """Take back this window's last step."""
    return actions.undo(session, project.id, window)
