"""Models and what they say of pictures, over HTTP; the test set only by a counted look."""

import re
from collections.abc import Sequence
from typing import Annotated, Any, Literal

from fastapi import APIRouter, Query, Response
from fastapi import status as http
from sqlalchemy.orm import Session

from vast_orchard.api.dependencies import LookQuery, ModelOf, ProjectOf, SessionOf, WindowOf
from vast_orchard.api.schemas.base import JudgedSet
from vast_orchard.api.schemas.jobs import JobRead
from vast_orchard.api.schemas.mending import ActionRead
from vast_orchard.api.schemas.models import (
    AnswerProposalRead,
    JudgedRead,
    JudgementCreate,
    JudgementRead,
    LookCreate,
    LookRead,
    ModelRead,
    OutcomeRead,
    OutsideRead,
    ProposalsAccept,
    SentenceRead,
    SliceRead,
    SurenessRead,
    UnsureUpdate,
)
from vast_orchard.at_once.in_short import in_short
from vast_orchard.at_once.scores_as_csv import answers_as_csv, matrix_as_csv, scores_as_csv
from vast_orchard.at_once.slicing import find_slices
from vast_orchard.at_once.today import judge_by_today
from vast_orchard.at_once.unsure import below_for_aim
from vast_orchard.errors import ConflictError, InputError, MissingError
from vast_orchard.jobs.queue import start_job
from vast_orchard.store import models, outside, predictions, proposals
from vast_orchard.store.jobs import get_job, job_of
from vast_orchard.store.runs import get_run
from vast_orchard.store.schema import JobKind, JobState
from vast_orchard.store.values import ActionValue, JobValue, ModelValue, OutcomeValue, ProposalCount
from vast_orchard.types import JudgedSet as Sets

__all__ = ["router"]

router = APIRouter(prefix="/api", tags=["models"])

LabelsQuery = Annotated[Literal["then", "today"], Query(description="As they were when it was judged, or now.")]


@router.get("/projects/{project_id}/models", response_model=list[ModelRead])
def list_models(session: SessionOf, project: ProjectOf) -> Sequence[ModelValue]:
    """Everything that can be judged, tried and exported, newest first."""
    return models.list_models(session, project.id)


@router.get("/models/{model_id}", response_model=ModelRead)
def read_model(model: ModelOf) -> ModelValue:
    """One model."""
    return model


def _check_set(session: Session, model: ModelValue, name: str) -> None:
    """That the set is there, and the model will not change under its judgement."""
    models.check_may_be_tested(session, model.id)
    model.check_weights()  # asking it needs them
    if name == Sets.OUTSIDE:
        if not any(outside.count_outside(session, model).values()):
            raise ConflictError("No picture lies outside the sets of this run.", "Bring in more, or judge a set.")
    elif not get_run(session, model.run_id or 0).counts.get(name):
        raise ConflictError(f"The split of this run has no {name} pictures.", f"Divide with a share for {name}.")


def _judge(session: Session, model: ModelValue, name: str) -> int:
    """Have a set judged; the job that does it, or does it already."""
    present = job_of(session, JobKind.JUDGE, model.id, name)
    if present and present.state in (JobState.WAITING, JobState.RUNNING):
        return present.id
    where = "pictures in no set" if name == Sets.OUTSIDE else f"its {name} set"
    title = f"Judge run {model.run_number} on {where}"
    return start_job(session, model.project_id, JobKind.JUDGE, title, model.id, name)


@router.get("/models/{model_id}/judgements", response_model=list[JudgedRead])
def list_judgements(session: SessionOf, model: ModelOf) -> list[JudgedRead]:
    """The sets that a model was judged on."""
    counts = models.judged_counts(session, model.id)
    return [
        JudgedRead.model_validate({"set": name.value, "count": counts[name][0], "sure": counts[name][1]})
        for name in Sets
        if name in counts
    ]


@router.get("/models/{model_id}/outside", response_model=OutsideRead)
def count_outside(session: SessionOf, model: ModelOf) -> dict[str, int]:
    """How many pictures in no set of its run it could be asked about now."""
    return {name.value: count for name, count in outside.count_outside(session, model).items()}


@router.post("/models/{model_id}/judgements", response_model=JobRead, status_code=http.HTTP_202_ACCEPTED)
def create_judgement(session: SessionOf, model: ModelOf, body: JudgementCreate) -> JobValue:
    """Judge the model on its training or validation set, or on what lies in no set, as a job."""
    _check_set(session, model, body.set)
    return get_job(session, _judge(session, model, body.set))


@router.post("/models/{model_id}/looks", response_model=LookRead, status_code=http.HTTP_201_CREATED)
def look(session: SessionOf, model: ModelOf, body: LookCreate) -> LookRead:
    """Count a look at the test set; judges it first if that was never done."""
    _check_set(session, model, "test")
    look_id = models.add_look(session, model.id, body.place)
    judged = models.sureness_of(session, model.id, "test") is not None
    job_id = None if judged else _judge(session, model, "test")
    return LookRead(id=look_id, looks=models.get_model(session, model.id).looks, job_id=job_id)


@router.get("/models/{model_id}/judgement", response_model=JudgementRead | None)
def judgement(
    session: SessionOf,
    model: ModelOf,
    set: JudgedSet = "validation",
    look: LookQuery = None,
    labels: LabelsQuery = "then",
) -> dict[str, Any] | None:
    """Scores on a set; the test set needs a counted look.

    By the labels of today null means that no picture of the set has one which the model knows. Unlabelled pictures
    have scores by these only: of those that somebody has labelled since.
    """
    if labels == "today":
        _check_answered(session, model, set, look)
        return judge_by_today(session, model, set)
    return _judged(session, model, set, look)


@router.get("/models/{model_id}/proposals", response_model=list[AnswerProposalRead])
def list_proposals(
    session: SessionOf, model: ModelOf, least: Annotated[float, Query(ge=0, le=1)] = 0.95
) -> Sequence[ProposalCount]:
    """Of each class how many unlabelled pictures the model proposes it for, and for how many with this certainty."""
    return proposals.count_proposals(session, model, least)


@router.post("/models/{model_id}/proposals", response_model=ActionRead)
def accept(session: SessionOf, model: ModelOf, window: WindowOf, body: ProposalsAccept) -> ActionValue:
    """Give unlabelled pictures the label that the model proposes, as one step."""
    return proposals.accept_proposals(
        session, model, window, least=body.least, class_id=body.class_id, picture_ids=body.picture_ids
    )


@router.get("/models/{model_id}/in-short", response_model=list[SentenceRead])
def sentences(
    session: SessionOf, model: ModelOf, set: JudgedSet = "validation", look: LookQuery = None
) -> list[dict[str, Any]]:
    """A judged set in a few sentences: what is confused, where errors are, what would help most next."""
    models.check_shown(session, model.id, set, look)
    return in_short(session, model, set)


def _judged(session: Session, model: ModelValue, name: str, look: int | None) -> dict[str, Any]:
    """Scores on a set as it was judged."""
    _check_answered(session, model, name, look)
    if name == Sets.UNLABELLED:
        raise ConflictError("These pictures had no label, so there are answers without scores.", "Ask by labels=today.")
    return models.judgement_of(session, model.id, name) or {}


def _check_answered(session: Session, model: ModelValue, name: str, look: int | None) -> None:
    """That a set was judged, and may be shown."""
    models.check_shown(session, model.id, name, look)
    if models.judgement_of(session, model.id, name) is None:
        raise MissingError(
            f"The model of run {model.run_number} was not judged on {name} yet.",
            "Judge it (POST …/judgements) when its run has ended."
            if name != "test"
            else "Wait for the judging that the look started.",
        )


@router.get("/models/{model_id}/scores.csv", response_class=Response, responses={200: {"content": {"text/csv": {}}}})
def score_file(session: SessionOf, model: ModelOf, set: JudgedSet = "validation", look: LookQuery = None) -> Response:
    """The same with intervals as a table, a figure a row."""
    table = scores_as_csv(session, model, set, _judged(session, model, set, look))
    return _csv(table, f"run-{model.run_number}-{set}-scores")


@router.get("/models/{model_id}/matrix.csv", response_class=Response, responses={200: {"content": {"text/csv": {}}}})
def matrix_file(
    session: SessionOf,
    model: ModelOf,
    set: JudgedSet = "validation",
    look: LookQuery = None,
    labels: LabelsQuery = "then",
) -> Response:
    """The confusion matrix as a table, a true class a row."""
    scores = judgement(session, model, set, look, labels)
    if scores is None:
        raise ConflictError("No picture of this set has a label today that the model knows.", "Ask by labels=then.")
    table = matrix_as_csv(model, scores)
    return _csv(table, f"run-{model.run_number}-{set}-matrix")


@router.get("/models/{model_id}/answers.csv", response_class=Response, responses={200: {"content": {"text/csv": {}}}})
def answer_file(session: SessionOf, model: ModelOf, set: JudgedSet = "validation", look: LookQuery = None) -> Response:
    """Every answer on a set beside the truth, the most surprising first."""
    _check_answered(session, model, set, look)
    return _csv(answers_as_csv(session, model, set), f"run-{model.run_number}-{set}-answers")


def _csv(table: str, name: str) -> Response:
    return Response(
        table,
        media_type="text/csv; charset=utf-8",
        headers={"Content-Disposition": f'attachment; filename="{name}.csv"'},
    )


@router.get("/models/{model_id}/sureness", response_model=SurenessRead)
def sureness(
    session: SessionOf, model: ModelOf, set: JudgedSet = "validation", look: LookQuery = None
) -> dict[str, Any]:
    """How sure the figures on a set are: intervals, calibration, answering or not; the test set by a counted look."""
    models.check_shown(session, model.id, set, look)
    found = models.sureness_of(session, model.id, set)
    if found is None:
        raise MissingError(
            f"How sure the model of run {model.run_number} is on {set} was not computed yet.",
            "Judge it (POST …/judgements)." if set != "test" else "Look at the test set again.",
        )
    return found


@router.get("/models/{model_id}/slices", response_model=list[SliceRead])
def slices(
    session: SessionOf, model: ModelOf, set: JudgedSet = "validation", look: LookQuery = None
) -> list[dict[str, Any]]:
    """Facts of pictures that go with errors; the surest first."""
    models.check_shown(session, model.id, set, look)
    return find_slices(session, model, set)


@router.put("/models/{model_id}/unsure", response_model=ModelRead)
def set_unsure(session: SessionOf, model: ModelOf, body: UnsureUpdate) -> ModelValue:
    """Say under which calibrated probability the model is "unsure"."""
    below: Sequence[float | None] | None = None
    if body.wanted is not None:
        known = models.sureness_of(session, model.id, "validation")
        below = below_for_aim(known, len(model.classes), body.wanted, by_class=body.by_class)
    elif body.below is not None:
        below = [body.below] * len(model.classes)
    return models.set_unsure(session, model.id, below)


@router.get("/models/{model_id}/outcomes", response_model=list[OutcomeRead])
def outcomes(
    session: SessionOf,
    model: ModelOf,
    set: JudgedSet = "validation",
    cells: Annotated[str, Query(max_length=4000, description="true.predicted class ids, joined by commas")] = "",
    wrong: bool = True,
    look: LookQuery = None,
    limit: Annotated[int, Query(ge=1, le=5000)] = 1000,
) -> Sequence[OutcomeValue]:
    """Pictures of a set with what was said of them, the most surprising first; without cells the wrong ones."""
    models.check_shown(session, model.id, set, look)
    if cells and not re.fullmatch(r"[0-9]{1,9}\.[0-9]{1,9}(,[0-9]{1,9}\.[0-9]{1,9})*", cells):
        raise InputError(f"cells is {cells!r}.", "Give pairs like 3.4,4.3: true and predicted class ids.")
    pairs = [(int(t), int(p)) for t, p in (part.split(".") for part in cells.split(",") if part)]
    return predictions.list_outcomes(session, model, set, pairs, wrong_only=wrong, limit=limit)
