"""The Run sheet, runs and their outcomes over HTTP."""

import re
from collections.abc import Sequence
from typing import Annotated, Any

from fastapi import APIRouter, Query
from fastapi import status as http

from vast_orchard.api.dependencies import LARGEST_ID, ProjectOf, RunOf, SessionOf
from vast_orchard.api.run_schemas import (
    FootingRead,
    JudgementRead,
    LookCreate,
    LookRead,
    NetworkRead,
    OutcomeRead,
    RecipeBody,
    RunCreate,
    RunRead,
)
from vast_orchard.api.schemas import SetName
from vast_orchard.errors import ConflictError, InputError, MissingError
from vast_orchard.jobs.catalogue import PROGRAM, checked_recipe, default_recipe, networks, parameter_count
from vast_orchard.jobs.dividing import split_for_training
from vast_orchard.jobs.queue import start_job
from vast_orchard.store import predictions, runs
from vast_orchard.store.classes import list_classes
from vast_orchard.store.ingredients import get_ingredient
from vast_orchard.store.jobs import job_of
from vast_orchard.store.schema import IngredientKind, JobKind, JobState
from vast_orchard.store.values import Footing, OutcomeValue, RunValue

__all__ = ["router"]

router = APIRouter(prefix="/api", tags=["runs"])

LookQuery = Annotated[int | None, Query(ge=1, le=LARGEST_ID, description="Needed for the test set.")]


@router.get("/projects/{project_id}/networks", response_model=list[NetworkRead])
def list_networks(
    session: SessionOf,
    project: ProjectOf,
    size: Annotated[int, Query(ge=8, le=512)] = 48,
    channels: Annotated[int, Query(ge=1, le=3)] = 3,
) -> list[dict[str, Any]]:
    """The ready networks for this project's classes."""
    classes = [entry for entry in list_classes(session, project.id) if entry.count]
    return networks(size, channels, max(2, len(classes)))


@router.get("/recipe", response_model=RecipeBody)
def recipe() -> dict[str, Any]:
    """What *Train* uses when nothing was changed."""
    return default_recipe()


@router.get("/projects/{project_id}/runs", response_model=list[RunRead])
def list_runs(session: SessionOf, project: ProjectOf) -> Sequence[RunValue]:
    """The Ledger, newest first."""
    return runs.list_runs(session, project.id)


@router.post("/projects/{project_id}/runs", response_model=RunRead, status_code=http.HTTP_202_ACCEPTED)
def create_run(session: SessionOf, project: ProjectOf, body: RunCreate) -> RunValue:
    """Train, as a job. Without a split the newest is used, or one is made."""
    wanted = body.recipe.model_dump() if body.recipe else default_recipe()
    named = {"variation": body.variation_id, "preprocessing": body.preprocessing_id}
    for kind, ingredient in named.items():
        if ingredient:
            wanted[kind] = get_ingredient(session, project.id, IngredientKind(kind), ingredient).value
    wanted = checked_recipe(wanted)
    classes = [entry for entry in list_classes(session, project.id) if entry.count]
    if len(classes) < 2:
        raise ConflictError(
            f"There are pictures of {len(classes)} class{'' if len(classes) == 1 else 'es'} only.",
            "A network tells at least two classes apart: bring in or label pictures of another.",
        )
    split_id = split_for_training(session, project.id, body.split_id, wanted["settings"]["seed"])
    run = runs.create_run(
        session,
        project.id,
        split_id,
        wanted,
        program=PROGRAM,
        variation_id=body.variation_id,
        preprocessing_id=body.preprocessing_id,
    )
    runs.set_parameters(session, run.id, parameter_count(wanted, len(run.classes)))
    start_job(session, project.id, JobKind.TRAIN, f"Run {run.number}", run.id)
    return runs.get_run(session, run.id)


@router.get("/runs/{run_id}", response_model=RunRead)
def read_run(run: RunOf) -> RunValue:
    """One run with its epochs."""
    return run


@router.get("/runs/{run_id}/footing", response_model=FootingRead)
def footing(session: SessionOf, run: RunOf) -> Footing:
    """What the run stands on, and what has changed since."""
    return runs.footing(session, run.id)


@router.post("/runs/{run_id}/looks", response_model=LookRead, status_code=http.HTTP_201_CREATED)
def look(session: SessionOf, run: RunOf, body: LookCreate) -> LookRead:
    """Count a look at the test set; judges it first if that was never done."""
    if not run.counts.get("test"):
        raise ConflictError("The split of this run has no test pictures.", "Divide with a share for testing.")
    if run.kept_epoch is None:
        raise ConflictError("This run has kept nothing yet.", "Wait for its first epoch.")
    look_id = runs.add_look(session, run.id, body.place)
    job_id = None
    if runs.judgement_of(session, run.id, "test") is None:
        present = job_of(session, JobKind.JUDGE, run.id)
        if present and present.state in (JobState.WAITING, JobState.RUNNING):
            job_id = present.id
        else:
            title = f"Judge run {run.number} on its test set"
            job_id = start_job(session, run.project_id, JobKind.JUDGE, title, run.id)
    return LookRead(id=look_id, looks=runs.count_looks(session, run.id), job_id=job_id)


@router.get("/runs/{run_id}/judgement", response_model=JudgementRead)
def judgement(session: SessionOf, run: RunOf, set: SetName = "validation", look: LookQuery = None) -> dict[str, Any]:
    """Scores on a set; the test set needs a counted look."""
    if set == "test":
        runs.check_look(session, run.id, look)
    found = runs.judgement_of(session, run.id, set)
    if found is None:
        raise MissingError(f"Run {run.number} was not judged on {set} yet.", "It is judged when its training ends.")
    return found


@router.get("/runs/{run_id}/outcomes", response_model=list[OutcomeRead])
def outcomes(
    session: SessionOf,
    run: RunOf,
    set: SetName = "validation",
    cells: Annotated[str, Query(max_length=4000, description="true.predicted class ids, joined by commas")] = "",
    wrong: bool = True,
    look: LookQuery = None,
    limit: Annotated[int, Query(ge=1, le=5000)] = 1000,
) -> Sequence[OutcomeValue]:
    """Pictures of a set with what was said of them, the most surprising first; without cells the wrong ones."""
    if set == "test":
        runs.check_look(session, run.id, look)
    if cells and not re.fullmatch(r"[0-9]{1,9}\.[0-9]{1,9}(,[0-9]{1,9}\.[0-9]{1,9})*", cells):
        raise InputError(f"cells is {cells!r}.", "Give pairs like 3.4,4.3: true and predicted class ids.")
    pairs = [(int(t), int(p)) for t, p in (part.split(".") for part in cells.split(",") if part)]
    return predictions.list_outcomes(session, run.id, set, pairs, wrong_only=wrong, limit=limit)
