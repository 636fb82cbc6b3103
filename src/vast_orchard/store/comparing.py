"""What several models said of the same pictures."""

from collections.abc import Sequence
from typing import NamedTuple

from sqlalchemy import select
from sqlalchemy.orm import Session

from vast_orchard.store.schema import Prediction
from vast_orchard.store.splits import copy_keys

__all__ = ["SaidOfOne", "common_answers"]


class SaidOfOne(NamedTuple):
    """A picture that every one of the models was asked about."""

    picture_id: int
    copy_group: int | None  # as of today
    true: list[int]  # the label that each model was judged against; they differ where it was mended since
    predicted: list[int]  # by each model


def common_answers(session: Session, project_id: int, model_ids: Sequence[int], set_name: str) -> Sequence[SaidOfOne]:
    """Pictures of a set of each model's own division, by their ids: none of the models has learnt from them."""
    said: list[dict[int, tuple[int, int]]] = []
    for model_id in model_ids:
        rows = session.execute(
            select(Prediction.picture_id, Prediction.true_class, Prediction.predicted_class).where(
                Prediction.model_id == model_id, Prediction.set_name == set_name
            )
        )
        said.append({picture: (true or 0, predicted) for picture, true, predicted in rows})
    common = sorted(set.intersection(*(set(one) for one in said)))
    groups = copy_keys(session, project_id)
    return [
        SaidOfOne(
            picture_id=picture,
            copy_group=groups.get(picture),
            true=[one[picture][0] for one in said],
            predicted=[one[picture][1] for one in said],
        )
        for picture in common
    ]
