"""Which models can answer together, and on which pictures that may be judged."""

from collections.abc import Sequence
from typing import Any

from sqlalchemy.orm import Session

from vast_orchard.errors import ConflictError
from vast_orchard.store.models import get_model
from vast_orchard.store.snapshots import snapshot_pictures
from vast_orchard.store.values import ModelValue, SnapshotPictureValue
from vast_orchard.types import SetName

__all__ = ["check_members", "unlearnt_sets"]


def check_members(session: Session, project_id: int, model_ids: Sequence[int]) -> list[ModelValue]:
    """The models, if they can answer together.

    Raises
    ------
    MissingError
        One is not there.
    ConflictError
        They are of other classes, see pictures in another way, or one has not ended, or has no
        weights of its own.
    """
    if len(set(model_ids)) < len(model_ids):
        raise ConflictError("A model is named twice.", "Name each once; a weight says how much it counts.")
    models = [get_model(session, model_id) for model_id in model_ids]
    first = models[0]
    for model in models:
        if model.project_id != project_id:
            raise ConflictError(f"Model {model.id} is of another project.", "Choose models of this one.")
        model.check_weights()
        if not model.frozen:
            raise ConflictError(f"Run {model.run_number} has not ended.", "Wait for it, or stop it.")
        if {entry["id"] for entry in model.classes} != {entry["id"] for entry in first.classes}:
            raise ConflictError(
                f"Runs {first.run_number} and {model.run_number} tell other classes apart.",
                "Choose models with the same classes.",
            )
        differs = _differences(first.preprocessing, model.preprocessing)
        if differs:
            raise ConflictError(
                f"Runs {first.run_number} and {model.run_number} see pictures otherwise: {', '.join(differs)}.",
                "Choose models with the same preprocessing.",
            )
    return models


def _differences(one: dict[str, Any], two: dict[str, Any]) -> list[str]:
    return sorted(key for key in one.keys() | two.keys() if one.get(key) != two.get(key))


def unlearnt_sets(session: Session, models: Sequence[ModelValue]) -> dict[int, tuple[SnapshotPictureValue, SetName]]:
    """The pictures of the first member's run with the set that each is in for all members together.

    What any member learnt from is training. Of the rest, what was in test for one is in test; what is left may judge.

    Raises
    ------
    ConflictError
        Some member or other learnt from every picture outside test.
    """
    found: dict[int, tuple[SnapshotPictureValue, SetName]] = {}
    rank = {SetName.VALIDATION: 0, SetName.TEST: 1, SetName.TRAINING: 2}
    for model in models:
        for picture in snapshot_pictures(session, model.snapshot_id or 0):
            own = SetName(picture.set_name)
            known = found.get(picture.picture_id)
            if known is None and model is not models[0]:
                continue
            if known is None or rank[own] > rank[known[1]]:
                found[picture.picture_id] = (picture, own)
    if sum(1 for _, name in found.values() if name is SetName.VALIDATION) < 2:
        numbers = ", ".join(str(model.run_number) for model in models)
        raise ConflictError(
            f"No picture is left by which runs {numbers} may be judged together: one or another has learnt from each.",
            "Choose runs of the same split; a final training has learnt from all.",
        )
    return found
