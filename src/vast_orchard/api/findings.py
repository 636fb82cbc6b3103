"""Findings over HTTP: looked for, read as lines, settled one by one or all at once, dismissed for good."""

from collections.abc import Sequence
from typing import Annotated, Any, Literal

from fastapi import APIRouter, Path, Query
from fastapi import status as http
from sqlalchemy.orm import Session

from vast_orchard.api.dependencies import Parts, PartsOf, ProjectOf, SessionOf, WindowOf
from vast_orchard.api.schemas.findings import (
    FactDismiss,
    FindingsDismiss,
    FindingsPutRight,
    FindingsRead,
    HistogramRead,
    PictureFindingRead,
)
from vast_orchard.api.schemas.mending import ActionRead
from vast_orchard.at_once.findings import ASKED_NETWORK, finding_lines, finding_titles, folds_to_ask
from vast_orchard.at_once.network_times import pace_here
from vast_orchard.at_once.planning.sketch import plan_sketch
from vast_orchard.errors import InputError
from vast_orchard.jobs.planning.creating import begin_plan
from vast_orchard.jobs.queue import look_for_findings
from vast_orchard.settings import trainings_at_once
from vast_orchard.store import findings
from vast_orchard.store.histograms import measure_histogram
from vast_orchard.store.plans import list_plans
from vast_orchard.store.schema import FindingKind, PlanState
from vast_orchard.store.values import ActionValue

__all__ = ["router"]

router = APIRouter(prefix="/api/projects/{project_id}/findings", tags=["findings"])

_NEAR = 4


def _kind(name: str) -> FindingKind:
    try:
        return FindingKind(name)
    except ValueError as error:
        known = ", ".join(FindingKind)
        raise InputError(f"There is no finding {name!r}.", f"There are: {known}.") from error


@router.get("", response_model=FindingsRead)
def read(session: SessionOf, parts: PartsOf, project: ProjectOf) -> dict[str, Any]:
    """Everything that turned up when somebody looked last, as it stands now."""
    return {**finding_lines(session, project.id), "folds": _folds(session, parts, project.id)}


def _folds(session: Session, parts: Parts, project_id: int) -> dict[str, Any]:
    """What folds would cost, and whether some are under way."""
    settings, order = parts.settings, folds_to_ask(session, project_id)
    cost = plan_sketch(session, project_id, order, pace_here(settings), trainings_at_once(settings))["cost"]
    under_way = [
        plan.id
        for plan in list_plans(session, project_id)
        if plan.state != PlanState.ENDED and plan.question == order.question
    ]
    return {
        "network": ASKED_NETWORK, "trainings": cost["trials"], "epochs": cost["epochs"], "seconds": cost["seconds"],
        "plan_id": under_way[0] if under_way else None,
    }  # fmt: skip


@router.post("/look", status_code=http.HTTP_202_ACCEPTED)
def look(session: SessionOf, project: ProjectOf) -> None:
    """Look at everything again, as a job; what was dismissed stays so."""
    look_for_findings(session, project.id)


@router.post("/folds", response_model=FindingsRead, status_code=http.HTTP_202_ACCEPTED)
def ask_folds(session: SessionOf, parts: PartsOf, project: ProjectOf) -> dict[str, Any]:
    """Have folds of a small network answer about every picture; when they have, labels are held against that."""
    if findings.finding_report(session, project.id) is None:
        look_for_findings(session, project.id)
    begin_plan(session, project.id, folds_to_ask(session, project.id), parts.settings, parts.store)
    return read(session, parts, project)


@router.post("/dismiss", response_model=ActionRead)
def dismiss(session: SessionOf, project: ProjectOf, window: WindowOf, body: FindingsDismiss) -> ActionValue:
    """Say that pictures have no such fault, for good, as one step."""
    return findings.dismiss_findings(session, project.id, window, _kind(body.kind), body.picture_ids)


@router.post("/put-right", response_model=ActionRead)
def put_right(session: SessionOf, project: ProjectOf, window: WindowOf, body: FindingsPutRight) -> ActionValue:
    """Give pictures the class that they probably are of, as one step."""
    return findings.put_right(session, project.id, window, body.picture_ids)


@router.post("/hide", response_model=FindingsRead)
def hide(session: SessionOf, parts: PartsOf, project: ProjectOf, body: FactDismiss) -> dict[str, Any]:
    """Say of what is no matter of single pictures that it is no fault, or that it is one after all."""
    findings.set_dismissed_facts(session, project.id, body.name, dismissed=body.hidden)
    return read(session, parts, project)


@router.get("/pictures/{picture_id}", response_model=list[PictureFindingRead])
def of_picture(
    session: SessionOf, project: ProjectOf, picture_id: Annotated[int, Path(ge=1, le=2**62)]
) -> Sequence[dict[str, Any]]:
    """What waits to be settled of one picture; of a doubted label the most alike pictures of both classes."""
    titles = finding_titles()
    return [
        {
            "kind": row.kind,
            "title": titles[row.kind],
            "weight": row.weight,
            "doubt": _doubt(session, row) if row.kind is FindingKind.LABEL else None,
        }
        for row in findings.findings_of(session, project.id, picture_id)
    ]


def _doubt(session: Session, row: findings.FoundPicture) -> dict[str, Any]:
    def near(class_id: int | None) -> list[dict[str, Any]]:
        found = findings.nearest_of_class(session, row.picture_id, class_id or 0, _NEAR)
        return [{"picture_id": number, "sha256": sha256} for number, sha256 in found]

    return {
        "class_id": row.class_id, "proposal": row.proposal, "p_label": row.p_label, "p_proposal": row.p_proposal,
        "of_label": near(row.class_id), "of_proposal": near(row.proposal),
    }  # fmt: skip


@router.get("/histogram", response_model=HistogramRead)
def histogram(
    session: SessionOf,
    project: ProjectOf,
    measure: Annotated[Literal["light", "span", "blur", "noise", "cut", "side", "shape"], Query()],
    kind: Annotated[str, Query(max_length=10)] = "",
) -> dict[str, Any]:
    """How a measure is distributed over the project's pictures, and how many are named in each bar."""
    return {"measure": measure, **measure_histogram(session, project.id, measure, _kind(kind) if kind else None)}
