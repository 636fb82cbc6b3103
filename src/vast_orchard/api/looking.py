"""Where a model looks in a picture, and what lies nearest to it; of a test picture by a counted look only."""

from collections.abc import Sequence
from typing import Annotated, Any, Literal

from fastapi import APIRouter, Path, Query, UploadFile
from sqlalchemy.orm import Session

from vast_orchard.api.dependencies import LARGEST_ID, LookQuery, ModelOf, Parts, PartsOf, SessionOf
from vast_orchard.api.schemas.models import HeatmapRead, NearestRead
from vast_orchard.errors import InputError, MissingError
from vast_orchard.store.areas import areas_for
from vast_orchard.store.models import check_shown
from vast_orchard.store.pictures import picture_detail
from vast_orchard.store.pooled import answering_model
from vast_orchard.store.snapshots import learnt_as, set_then
from vast_orchard.store.values import ModelValue

__all__ = ["router"]

router = APIRouter(prefix="/api", tags=["models"])

_LookedForQuery = Annotated[
    int | None, Query(ge=1, le=LARGEST_ID, description="The class that it says by default.")
]  # fmt: skip
_LayerQuery = Annotated[str | None, Query(max_length=200, description="For gradients.")]


@router.get("/models/{model_id}/pictures/{picture_id}/heatmap", response_model=HeatmapRead)
def heatmap(
    session: SessionOf,
    model: ModelOf,
    parts: PartsOf,
    picture_id: Annotated[int, Path(ge=1, le=2**62)],
    class_id: _LookedForQuery = None,
    way: Literal["gradients", "covering"] = "gradients",
    layer: _LayerQuery = None,
    look: LookQuery = None,
) -> dict[str, Any]:
    """Where the model looks in a picture; in one of its test pictures by a counted look.

    Of the answers of folds: where the one looked that answered this picture.
    """
    picture = picture_detail(session, model.project_id, picture_id, None).picture
    check_shown(session, model.id, set_then(session, model.snapshot_id, picture_id), look)
    model = answering_model(session, model, picture_id)
    place = _place_of_class(model, class_id)
    area = areas_for(session, model.project_id, [picture_id], model).get(picture_id)
    session.commit()  # the connection is free while the picture is looked at
    found: dict[str, Any] = parts.quick.run(
        "heatmap",
        model_path=model.weights_path,
        sha256=picture.sha256,
        class_place=place,
        layer=layer,
        way=way,
        area=area,
    )
    return {**found, "class_id": model.classes[found["class_place"]]["id"]}


@router.post("/models/{model_id}/try/heatmap", response_model=HeatmapRead)
def tried_heatmap(
    session: SessionOf,
    model: ModelOf,
    parts: PartsOf,
    file: UploadFile,
    class_id: _LookedForQuery = None,
    way: Literal["gradients", "covering"] = "gradients",
    layer: _LayerQuery = None,
) -> dict[str, Any]:
    """Where the model looks in a picture file; nothing is stored."""
    place = _place_of_class(model, class_id)
    session.commit()  # the connection is free while the picture is looked at
    data = file.file.read(parts.settings.picture_limit_mb * 2**20 + 1)
    found: dict[str, Any] = parts.quick.run(
        "tried_heatmap", model_path=model.weights_path, data=data, class_place=place, layer=layer, way=way
    )
    return {**found, "class_id": model.classes[found["class_place"]]["id"]}


def _place_of_class(model: ModelValue, class_id: int | None) -> int | None:
    ids = [entry["id"] for entry in model.classes]
    if class_id is None or class_id in ids:
        return None if class_id is None else ids.index(class_id)
    raise InputError(f"The model has no class {class_id}.", f"Take one of {', '.join(map(str, ids))}.")


@router.get("/models/{model_id}/pictures/{picture_id}/nearest", response_model=list[NearestRead])
def nearest(
    session: SessionOf,
    model: ModelOf,
    parts: PartsOf,
    picture_id: Annotated[int, Path(ge=1, le=2**62)],
    count: Annotated[int, Query(ge=1, le=50)] = 6,
    look: LookQuery = None,
) -> list[dict[str, Any]]:
    """The training pictures that lie nearest to one as the network sees them, with their labels then and now.

    To one of its test pictures by a counted look. Its training set must have been judged.
    """
    picture = picture_detail(session, model.project_id, picture_id, None).picture
    check_shown(session, model.id, set_then(session, model.snapshot_id, picture_id), look)
    path = _features_of(parts, model)
    area = areas_for(session, model.project_id, [picture_id], model).get(picture_id)
    session.commit()  # the connection is free meanwhile
    asked = {"sha256": picture.sha256, "picture_id": picture_id, "count": count, "area": area}
    found: list[tuple[int, float]] = parts.quick.run(
        "nearest", model_path=model.weights_path, features_path=path, **asked
    )
    return _labelled(session, model, found)


@router.post("/models/{model_id}/try/nearest", response_model=list[NearestRead])
def tried_nearest(
    session: SessionOf,
    model: ModelOf,
    parts: PartsOf,
    file: UploadFile,
    count: Annotated[int, Query(ge=1, le=50)] = 6,
) -> list[dict[str, Any]]:
    """The training pictures that lie nearest to a picture file, which is not stored."""
    path = _features_of(parts, model)
    session.commit()  # the connection is free meanwhile
    data = file.file.read(parts.settings.picture_limit_mb * 2**20 + 1)
    found: list[tuple[int, float]] = parts.quick.run(
        "tried_nearest", model_path=model.weights_path, features_path=path, data=data, count=count
    )
    return _labelled(session, model, found)


def _features_of(parts: Parts, model: ModelValue) -> str:
    """Where what the network makes of its training pictures lies."""
    path = parts.store.features_path(model.weights_path)
    if path is None or not parts.store.exists(path):
        raise MissingError(
            "What the network makes of its training pictures is not known yet.", "Judge it on its training set."
        )
    return path


def _labelled(session: Session, model: ModelValue, found: Sequence[tuple[int, float]]) -> list[dict[str, Any]]:
    labels = learnt_as(session, model, [near for near, _ in found])
    return [{"picture_id": near, "likeness": likeness, **labels[near]} for near, likeness in found if near in labels]
