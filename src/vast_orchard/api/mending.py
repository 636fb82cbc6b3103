"""What a person does to pictures and classes, over HTTP: each one step that can be taken back."""

import datetime as dt
from collections.abc import Sequence
from typing import Annotated

from fastapi import APIRouter, Path, Query
from fastapi import status as http
from sqlalchemy.orm import Session

from vast_orchard.api.dependencies import LARGEST_ID, ProjectOf, SessionOf, WindowOf
from vast_orchard.api.schemas.classes import ClassMerge, ClassOrder, ClassRead, ClassSplit, ClassUpdate, ClassWrite
from vast_orchard.api.schemas.mending import ActionRead, LabelsCreate, MarksCreate, NotesCreate, UndoRead, Which
from vast_orchard.api.schemas.projects import BinMove
from vast_orchard.errors import MissingError
from vast_orchard.store import actions, classes, field, field_scope, history, told_steps
from vast_orchard.store.values import ActionValue, ClassValue, UndoResult

__all__ = ["named_pictures", "router"]

router = APIRouter(prefix="/api/projects/{project_id}", tags=["mending"])

ClassId = Annotated[int, Path(ge=1, le=LARGEST_ID)]


def named_pictures(session: Session, project_id: int, which: Which) -> Sequence[int]:
    """The ids of the pictures that are meant.

    Raises
    ------
    SiftError
    MissingError
        The Sift lets none through.
    """
    if which.sift is None:
        return which.picture_ids or []
    now = dt.datetime.now().astimezone()
    scope = field_scope.scope_of(
        session, project_id, split_id=which.split, run_id=which.run, look_id=which.look, now=now
    )
    found = field.sifted_ids(session, scope, which.sift)
    if not found:
        raise MissingError("The Sift lets no picture through.", "Nothing was changed; write it wider.")
    return found


@router.post("/labels", response_model=ActionRead)
def label(session: SessionOf, project: ProjectOf, window: WindowOf, body: LabelsCreate) -> ActionValue:
    """Label pictures."""
    return actions.label_pictures(session, project.id, window, named_pictures(session, project.id, body), body.class_id)


@router.post("/marks", response_model=ActionRead)
def mark(session: SessionOf, project: ProjectOf, window: WindowOf, body: MarksCreate) -> ActionValue:
    """Exclude pictures or mark them as unsure, or take that back."""
    ids = named_pictures(session, project.id, body)
    return actions.mark_pictures(session, project.id, window, ids, body.flag, body.value)


@router.post("/bin", response_model=ActionRead)
def move(session: SessionOf, project: ProjectOf, window: WindowOf, body: BinMove) -> ActionValue:
    """Move pictures into the bin or out of it."""
    ids = named_pictures(session, project.id, body)
    return actions.bin_pictures(session, project.id, window, ids, back=body.back)


@router.post("/notes", response_model=ActionRead)
def write_notes(session: SessionOf, project: ProjectOf, window: WindowOf, body: NotesCreate) -> ActionValue:
    """Write the note of pictures anew."""
    ids = named_pictures(session, project.id, body)
    return actions.note_pictures(session, project.id, window, ids, body.note.strip())


@router.post("/classes", response_model=ClassRead, status_code=http.HTTP_201_CREATED)
def create_class(session: SessionOf, project: ProjectOf, window: WindowOf, body: ClassWrite) -> ClassValue:
    """A new class at the end of the order."""
    return _read(session, project.id, actions.create_class(session, project.id, window, body.name).id)


@router.put("/classes", response_model=ActionRead)
def order_classes(session: SessionOf, project: ProjectOf, window: WindowOf, body: ClassOrder) -> ActionValue:
    """Put the classes into another order."""
    return actions.order_classes(session, project.id, window, body.class_ids)


@router.patch("/classes/{class_id}", response_model=ClassRead)
def change_class(
    session: SessionOf, project: ProjectOf, class_id: ClassId, window: WindowOf, body: ClassUpdate
) -> ClassValue:
    """Another name, sign or colour; its pictures stay."""
    actions.change_class(session, project.id, window, class_id, body.model_dump(exclude_unset=True))
    return _read(session, project.id, class_id)


@router.delete("/classes/{class_id}", response_model=ActionRead)
def delete_class(session: SessionOf, project: ProjectOf, class_id: ClassId, window: WindowOf) -> ActionValue:
    """Delete a class; its pictures are unlabelled."""
    return actions.delete_class(session, project.id, window, class_id)


@router.post("/classes/{class_id}/merge", response_model=ActionRead)
def merge_class(
    session: SessionOf, project: ProjectOf, class_id: ClassId, window: WindowOf, body: ClassMerge
) -> ActionValue:
    """Give its pictures the label of another class, and delete it."""
    return actions.merge_classes(session, project.id, window, class_id, body.into)


@router.post("/split-off", response_model=ActionRead, status_code=http.HTTP_201_CREATED)
def split_off(session: SessionOf, project: ProjectOf, window: WindowOf, body: ClassSplit) -> ActionValue:
    """A new class with these pictures, as one step."""
    ids = named_pictures(session, project.id, body)
    return actions.split_off_class(session, project.id, window, body.name, ids)


def _read(session: Session, project_id: int, class_id: int) -> ClassValue:
    return next(entry for entry in classes.list_classes(session, project_id) if entry.id == class_id)


@router.get("/actions", response_model=list[ActionRead])
def list_actions(
    session: SessionOf,
    project: ProjectOf,
    limit: Annotated[int, Query(ge=1, le=1000)] = 100,
    before: Annotated[int | None, Query(ge=1, le=2**62, description="Only older steps.")] = None,
    picture: Annotated[int | None, Query(ge=1, le=2**62, description="Only steps that changed this one.")] = None,
    class_: Annotated[
        int | None,
        Query(alias="class", ge=1, le=LARGEST_ID, description="Only steps into it, out of it, or on it itself."),
    ] = None,
) -> Sequence[ActionValue]:
    """The history, newest first."""
    return told_steps.list_actions(session, project.id, limit, before=before, picture_id=picture, class_id=class_)


@router.post("/undo", response_model=UndoRead)
def undo(session: SessionOf, project: ProjectOf, window: WindowOf) -> UndoResult:
    """Take back this window's last step."""
    return history.undo(session, project.id, window)


@router.post("/redo", response_model=UndoRead)
def redo(session: SessionOf, project: ProjectOf, window: WindowOf) -> UndoResult:
    """Do again what this window took back last."""
    return history.redo(session, project.id, window)
