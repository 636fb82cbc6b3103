"""Splits over HTTP: dividing, checks, moves by hand, topping up, folds, comparison."""

from collections.abc import Sequence
from typing import Annotated, Any

from fastapi import APIRouter, Path, Query
from fastapi import status as http

from vast_orchard.api.dependencies import LARGEST_ID, ProjectOf, SessionOf, WindowOf
from vast_orchard.api.mending import named_pictures
from vast_orchard.api.schemas.splits import (
    ComparisonRead,
    DivisionAheadRead,
    FoldsRead,
    MovedRead,
    MovesCreate,
    ProposalRead,
    SplitChecksRead,
    SplitCreate,
    SplitRead,
)
from vast_orchard.at_once import dividing, split_checks
from vast_orchard.store import splits
from vast_orchard.store.values import ActionValue, SplitValue
from vast_orchard.types import SetName

__all__ = ["router"]

router = APIRouter(prefix="/api/projects/{project_id}/splits", tags=["splits"])

_SplitId = Annotated[int, Path(ge=1, le=LARGEST_ID)]


@router.get("", response_model=list[SplitRead])
def list_splits(session: SessionOf, project: ProjectOf) -> Sequence[SplitValue]:
    """Splits, newest first."""
    return splits.list_splits(session, project.id)


@router.get("/ahead", response_model=DivisionAheadRead)
def ahead(
    session: SessionOf, project: ProjectOf, seed: Annotated[int, Query(ge=0, le=2**32 - 1)] = 1
) -> dividing.DivisionAhead:
    """How a training would divide the pictures if no split is named and there is none."""
    return dividing.division_ahead(session, project.id, seed)


@router.get("/proposal", response_model=ProposalRead)
def proposal(session: SessionOf, project: ProjectOf) -> dict[str, Any]:
    """Shares that suit the number of labelled pictures."""
    labelled, shares = dividing.proposal(session, project.id)
    return {"labelled": labelled, "shares": shares}


@router.post("", response_model=SplitRead, status_code=http.HTTP_201_CREATED)
def create_split(session: SessionOf, project: ProjectOf, body: SplitCreate) -> SplitValue:
    """Divide all labelled pictures."""
    wanted = body.model_dump(exclude={"name"})
    return dividing.divide(session, project.id, dividing.DivideRule(**wanted), body.name)


@router.get("/{split_id}/checks", response_model=SplitChecksRead)
def checks(session: SessionOf, project: ProjectOf, split_id: _SplitId) -> split_checks.SplitChecks:
    """What is worth knowing before a training."""
    return split_checks.check_split(session, project.id, split_id)


@router.post("/{split_id}/moves", response_model=MovedRead)
def move(
    session: SessionOf, project: ProjectOf, window: WindowOf, split_id: _SplitId, body: MovesCreate
) -> dict[str, Any]:
    """Put pictures into a set, or into none."""
    target = SetName(body.set_name) if body.set_name else None
    wanted = dict.fromkeys(named_pictures(session, project.id, body), target)
    return _moved(dividing.move_to_set(session, project.id, window, split_id, wanted))


@router.post("/{split_id}/gather", response_model=MovedRead)
def gather(session: SessionOf, project: ProjectOf, window: WindowOf, split_id: _SplitId) -> dict[str, Any]:
    """Put each group of copies into one set."""
    return _moved(dividing.gather_copies(session, project.id, window, split_id))


@router.post("/{split_id}/top-up", response_model=MovedRead)
def top_up(session: SessionOf, project: ProjectOf, window: WindowOf, split_id: _SplitId) -> dict[str, Any]:
    """Draw pictures that are in no set into the split, without moving any other."""
    return _moved(dividing.top_up(session, project.id, window, split_id))


def _moved(result: tuple[ActionValue, SplitValue]) -> dict[str, Any]:
    action, split = result
    return {"action": action, "split": split}


@router.get("/{split_id}/folds", response_model=FoldsRead)
def folds(
    session: SessionOf,
    project: ProjectOf,
    split_id: _SplitId,
    count: Annotated[int, Query(ge=2, le=50)] = 5,
    seed: Annotated[int, Query(ge=0, le=2**32 - 1)] = 1,
) -> dict[str, Any]:
    """Stratified folds of the training and validation pictures."""
    return {"folds": dividing.folds_of(session, project.id, split_id, count, seed)}


@router.get("/{split_id}/beside/{other_id}", response_model=ComparisonRead)
def compare(session: SessionOf, project: ProjectOf, split_id: _SplitId, other_id: _SplitId) -> dict[str, Any]:
    """In which sets the pictures stand here and there."""
    for entry in (split_id, other_id):
        splits.get_split(session, entry, project.id)
    pairs = splits.compare_splits(session, split_id, other_id)
    return {"pairs": [{"first": a, "second": b, "count": count} for (a, b), count in pairs.items()]}
