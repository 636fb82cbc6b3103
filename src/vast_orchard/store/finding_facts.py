"""Facts of a project's pictures by which findings are looked for, read at once: a row a picture."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from vast_orchard.store.areas import area_now
from vast_orchard.store.schema import (
    Import,
    Judgement,
    Model,
    ModelKind,
    Picture,
    PictureMeasure,
    Prediction,
    Run,
    RunEnding,
    SplitMember,
)
from vast_orchard.store.values import JudgedPictureValue

__all__ = ["Answerer", "PictureFacts", "answerer_of", "picture_facts", "standing_pictures", "stored_answers_of"]

_MEASURES = ("light", "span", "blur", "noise", "cut", "frame")


@dataclass(frozen=True, kw_only=True)
class PictureFacts:
    """Of one picture that takes part: not excluded, not unsure, not in the bin."""

    id: int
    sha256: str
    class_id: int | None
    copy_group: int | None
    width: int
    height: int
    format: str
    mode: str
    day: str  # brought in
    source: str  # with which it came
    set_name: str | None  # in the split that is looked at
    measures: dict[str, float | None]


@dataclass(frozen=True, kw_only=True)
class Answerer:
    """Whose answers labels are held against."""

    model_id: int
    run_id: int
    run_number: int
    by_folds: bool
    classes: list[int]  # in the order of the outputs


def _standing(project_id: int) -> tuple[Any, ...]:
    return Picture.project_id == project_id, Picture.deleted_at.is_(None), ~Picture.excluded, ~Picture.unsure


def standing_pictures(session: Session, project_id: int) -> Sequence[JudgedPictureValue]:
    """The pictures that take part, each with its working area, in the order of their ids."""
    columns = Picture.id, Picture.sha256, Picture.class_id, area_now(session, project_id)
    rows = session.execute(select(*columns).where(*_standing(project_id)).order_by(Picture.id))
    return [
        JudgedPictureValue(picture_id=number, sha256=sha256, class_id=label, area_id=area)
        for number, sha256, label, area in rows
    ]


def picture_facts(session: Session, project_id: int, split_id: int | None) -> Sequence[PictureFacts]:
    """All that take part, in the order of their ids."""
    measures = [getattr(PictureMeasure, name) for name in _MEASURES]
    member = (SplitMember.picture_id == Picture.id) & (SplitMember.split_id == (split_id or 0))
    rows = session.execute(
        select(
            Picture.id, Picture.sha256, Picture.class_id, Picture.copy_group, Picture.width, Picture.height,
            Picture.format, Picture.mode, func.to_char(Picture.came_at, "YYYY-MM-DD").label("day"),
            func.coalesce(Import.source_name, "").label("source"), SplitMember.set_name, *measures,
        )
        .outerjoin(Import, Import.id == Picture.import_id)
        .outerjoin(SplitMember, member)
        .outerjoin(PictureMeasure, PictureMeasure.picture_id == Picture.id)
        .where(*_standing(project_id))
        .order_by(Picture.id)
    )  # fmt: skip
    return [
        PictureFacts(
            id=row.id, sha256=row.sha256, class_id=row.class_id, copy_group=row.copy_group, width=row.width,
            height=row.height, format=row.format, mode=row.mode, day=row.day, source=row.source,
            set_name=row.set_name, measures={name: getattr(row, name) for name in _MEASURES},
        )
        for row in rows
    ]  # fmt: skip


def answerer_of(session: Session, project_id: int) -> Answerer | None:
    """The newest answers of folds; without any, the newest run of the Ledger that was judged on validation."""
    query = (
        select(Model.id, Model.classes, Run.id, Run.number, Run.ended_by)
        .join(Run, Run.id == Model.run_id)
        .join(Judgement, (Judgement.model_id == Model.id) & (Judgement.set_name == "validation"))
        .where(Model.project_id == project_id, Model.kind == ModelKind.RUN, Run.deleted_at.is_(None))
    )
    folds = query.where(Run.ended_by == RunEnding.POOLED).order_by(Run.id.desc())
    plain = query.where(Run.group_id.is_(None) | Run.listed, Model.frozen_at.is_not(None)).order_by(Run.id.desc())
    row = session.execute(folds.limit(1)).first() or session.execute(plain.limit(1)).first()
    if row is None:
        return None
    return Answerer(
        model_id=row[0],
        classes=[entry["id"] for entry in row[1]],
        run_id=row[2],
        run_number=row[3],
        by_folds=row[4] == RunEnding.POOLED,
    )


def stored_answers_of(session: Session, answerer: Answerer) -> Sequence[tuple[int, int, list[float]]]:
    """Picture, label then and probabilities of what it was judged on and had not learnt from, but for the test set.

    Only pictures that take part and still have the label that they had then.
    """
    rows = session.execute(
        select(Prediction.picture_id, Prediction.true_class, Prediction.probabilities)
        .join(Picture, Picture.id == Prediction.picture_id)
        .where(
            Prediction.model_id == answerer.model_id,
            Prediction.set_name.in_(["validation", "outside"]),
            Prediction.true_class == Picture.class_id,
            Picture.deleted_at.is_(None),
            ~Picture.excluded,
            ~Picture.unsure,
        )
        .order_by(Prediction.picture_id)
    )
    return [(picture, label or 0, list(probabilities)) for picture, label, probabilities in rows]
