"""The Run sheet, runs, their groups and the Ledger over HTTP."""

from collections.abc import Sequence
from dataclasses import replace
from typing import Annotated, Any, Literal

from fastapi import APIRouter, Path, Query, Response
from fastapi import status as http

from vast_orchard.api.dependencies import LARGEST_ID, PartsOf, ProjectOf, RunOf, SessionOf
from vast_orchard.api.schemas.recipes import (
    EndingTrialCreate,
    EndingTrialRead,
    RateLineCreate,
    RecipeRead,
    SettingRead,
)
from vast_orchard.api.schemas.runs import (
    EpochRead,
    FootingRead,
    LedgerRead,
    RunCreate,
    RunGroupCreate,
    RunGroupRead,
    RunHoldingsRead,
    RunRead,
    RunUpdate,
)
from vast_orchard.api.starts import ordered
from vast_orchard.at_once.catalogue import (
    default_recipe,
    expected_intervals,
    rate_line,
    training_settings,
)
from vast_orchard.at_once.ending_trial import try_endings
from vast_orchard.at_once.figures_as_csv import figures_as_csv
from vast_orchard.at_once.holdings import weighed_holdings
from vast_orchard.jobs.training.starting import go_on, start_run
from vast_orchard.store import binned_runs, ledger, run_groups, runs
from vast_orchard.store.projects import get_project
from vast_orchard.store.schema import GroupKind
from vast_orchard.store.values import EpochValue, Footing, LedgerPage, RunGroupValue, RunValue

__all__ = ["router"]

router = APIRouter(prefix="/api", tags=["runs"])

_Order = Literal[
    "number", "validation_accuracy", "validation_loss", "validation_macro_f1", "training_accuracy", "training_loss",
    "train_s", "parameters", "epochs_done",
]  # fmt: skip
_Number = Annotated[int | None, Query(ge=1, le=LARGEST_ID)]


@router.get("/training-settings", response_model=list[SettingRead])
def list_settings() -> list[dict[str, Any]]:
    """Every setting of training, with its range, default and meaning."""
    return training_settings()


@router.get("/intervals", response_model=list[tuple[float, float]])
def read_intervals(
    count: Annotated[list[Annotated[int, Query(ge=0, le=10**9)]], Query(max_length=20)],
    accuracy: Annotated[float, Query(ge=0, le=1)] = 0.9,
) -> list[tuple[float, float]]:
    """Between which ends an accuracy would be known (95 %) by sets of so many pictures."""
    return expected_intervals(count, accuracy)


@router.post("/rate-line", response_model=list[float])
def read_rate_line(body: RateLineCreate) -> list[float]:
    """The learning rate over a training with these settings, first step to last."""
    return rate_line(body.model_dump(exclude_none=True)["settings"], body.steps, body.new_epochs)


@router.post("/projects/{project_id}/ending-trial", response_model=EndingTrialRead)
def read_ending_trial(session: SessionOf, project: ProjectOf, body: EndingTrialCreate) -> dict[str, Any]:
    """What the conditions of an end would have done to the project's last runs, and what is doubtful about them."""
    return try_endings(session, project.id, body.model_dump(exclude_none=True)["settings"], body.new_epochs)


@router.get("/recipe", response_model=RecipeRead)
def recipe(
    pictures: Annotated[int, Query(ge=0, le=10**9, description="Of the training set; 0 if not known.")] = 0,
) -> dict[str, Any]:
    """What *Train* uses when nothing was changed."""
    return default_recipe(pictures)


@router.get("/projects/{project_id}/runs", response_model=LedgerRead)
def list_runs(
    session: SessionOf,
    project: ProjectOf,
    order: _Order = "number",
    falling: bool = True,
    group: Annotated[_Number, Query(description="Runs of that group; without, those of none.")] = None,
    number: Annotated[_Number, Query(description="Only the run of that number.")] = None,
    after: Annotated[str | None, Query(max_length=400, description="What the page before named.")] = None,
    limit: Annotated[int, Query(ge=1, le=500)] = 50,
) -> LedgerPage:
    """A page of the Ledger, newest first unless asked otherwise."""
    return ledger.list_runs(
        session,
        project.id,
        order=order,
        falling=falling,
        group_id=group,
        number=number,
        after=after,
        limit=limit,
    )


@router.post("/projects/{project_id}/runs", response_model=RunRead, status_code=http.HTTP_202_ACCEPTED)
def create_run(session: SessionOf, parts: PartsOf, project: ProjectOf, body: RunCreate) -> RunValue:
    """Train, as a job. Without a split the newest is used, or one is made."""
    order = replace(
        ordered(session, parts, project.id, body.recipe),
        split_id=body.split_id,
        group_id=body.group_id,
        name=body.name,
        note=body.note,
    )
    return start_run(session, project.id, order, parts.store)


@router.get("/projects/{project_id}/run-groups", response_model=list[RunGroupRead])
def list_groups(session: SessionOf, project: ProjectOf) -> Sequence[RunGroupValue]:
    """Groups of runs, newest first."""
    return run_groups.list_groups(session, project.id)


@router.post("/projects/{project_id}/run-groups", response_model=RunGroupRead, status_code=http.HTTP_201_CREATED)
def create_group(session: SessionOf, project: ProjectOf, body: RunGroupCreate) -> RunGroupValue:
    """A group that runs can be started in."""
    return run_groups.create_group(session, project.id, GroupKind(body.kind), body.question, body.budget)


@router.get("/runs/{run_id}", response_model=RunRead)
def read_run(run: RunOf) -> RunValue:
    """One run."""
    return run


@router.patch("/runs/{run_id}", response_model=RunRead)
def describe_run(session: SessionOf, run: RunOf, body: RunUpdate) -> RunValue:
    """Another name or note, whether it has ended or not."""
    return runs.describe_run(session, run.id, name=body.name, note=body.note)


@router.delete("/runs/{run_id}", status_code=http.HTTP_204_NO_CONTENT)
def bin_run(session: SessionOf, run: RunOf) -> None:
    """Into the bin, with its model and all that hangs on that."""
    binned_runs.bin_run(session, run.id)


@router.post("/runs/{run_id}/restore", response_model=RunRead)
def restore_run(session: SessionOf, run_id: Annotated[int, Path(ge=1, le=LARGEST_ID)]) -> RunValue:
    """Out of the bin, as it was."""
    run = binned_runs.restore_run(session, run_id)
    get_project(session, run.project_id)
    return run


@router.post("/runs/{run_id}/go-on", response_model=RunRead, status_code=http.HTTP_202_ACCEPTED)
def go_on_with(session: SessionOf, run: RunOf) -> RunValue:
    """Let a run that was stopped or failed go on from where it is."""
    return go_on(session, run)


@router.get("/runs/{run_id}/holdings", response_model=RunHoldingsRead)
def holdings(session: SessionOf, run: RunOf, parts: PartsOf) -> dict[str, Any]:
    """What hangs on a run: its files, packs, judgements and looks."""
    return weighed_holdings(binned_runs.holdings_of(session, run.id), parts.store)


@router.get("/runs/{run_id}/epochs", response_model=list[EpochRead])
def read_epochs(session: SessionOf, run: RunOf) -> Sequence[EpochValue]:
    """Its figures, epoch by epoch."""
    return runs.list_epochs(session, run.id)


@router.get("/runs/{run_id}/epochs.csv", response_class=Response, responses={200: {"content": {"text/csv": {}}}})
def read_epoch_table(session: SessionOf, run: RunOf) -> Response:
    """Its figures and the recall of every class as a table, an epoch a row."""
    return Response(
        figures_as_csv(session, run),
        media_type="text/csv; charset=utf-8",
        headers={"Content-Disposition": f'attachment; filename="run-{run.number}-epochs.csv"'},
    )


@router.get("/runs/{run_id}/footing", response_model=FootingRead)
def footing(session: SessionOf, run: RunOf) -> Footing:
    """What the run stands on, and what has changed since."""
    return runs.footing(session, run.id)
