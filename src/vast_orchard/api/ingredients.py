"""Variations, preprocessings and networks that are kept by name, over HTTP; operations, and sheets that show them."""

from collections.abc import Sequence
from typing import Annotated, Any, Literal

from fastapi import APIRouter, Path, Query
from fastapi import status as http

from vast_orchard.api.dependencies import LARGEST_ID, PartsOf, ProjectOf, SessionOf
from vast_orchard.api.schemas.ingredients import (
    ExtremesCreate,
    IngredientCreate,
    IngredientRead,
    IngredientsTakeOver,
    OperationRead,
    PreprocessingSheetCreate,
    SheetRead,
    SizeRead,
    VariationSheetCreate,
)
from vast_orchard.api.schemas.recipes import VariationRead
from vast_orchard.at_once.catalogue import (
    answered_variation,
    checked_preprocessing,
    checked_variation,
    input_size,
    operations,
)
from vast_orchard.at_once.networks import checked_network, checked_network_name
from vast_orchard.errors import ConflictError
from vast_orchard.store import ingredients
from vast_orchard.store.areas import areas_for
from vast_orchard.store.picture_shapes import odd_shapes, shorter_sides
from vast_orchard.store.pictures import pictures_by_id, sample_pictures
from vast_orchard.store.projects import get_project
from vast_orchard.store.schema import IngredientKind
from vast_orchard.store.splits import newest_split_id
from vast_orchard.store.values import IngredientValue, PictureValue

__all__ = ["router"]

router = APIRouter(prefix="/api", tags=["ingredients"])

_IngredientId = Annotated[int, Path(ge=1, le=LARGEST_ID)]
_CHECKED = {
    IngredientKind.VARIATION: checked_variation,
    IngredientKind.PREPROCESSING: checked_preprocessing,
    IngredientKind.NETWORK: checked_network,
}


@router.get("/operations", response_model=list[OperationRead])
def list_operations() -> Sequence[dict[str, Any]]:
    """Everything that a variation can be made of."""
    return operations()


@router.get("/variation-by-answers", response_model=VariationRead)
def by_answers(
    mirrored: Literal["no", "sideways", "both"] = "no",
    turned: Literal["no", "slightly", "quarters", "any"] = "slightly",
    size_is_clue: bool = False,
    colour_is_clue: bool = True,
    light_is_even: bool = True,
    sharp: bool = True,
    covered: bool = False,
    channels: Annotated[int, Query(ge=1, le=3)] = 3,
) -> dict[str, Any]:
    """What may happen to pictures of which this is true."""
    return answered_variation(
        {
            "mirrored": mirrored,
            "turned": turned,
            "size_is_clue": size_is_clue,
            "colour_is_clue": colour_is_clue,
            "light_is_even": light_is_even,
            "sharp": sharp,
            "covered": covered,
        },
        channels,
    )


@router.get("/projects/{project_id}/ingredients/{kind}", response_model=list[IngredientRead])
def list_ingredients(session: SessionOf, project: ProjectOf, kind: IngredientKind) -> Sequence[IngredientValue]:
    """What is kept by name, newest version first."""
    return ingredients.list_ingredients(session, project.id, kind)


@router.post("/projects/{project_id}/ingredients/take-over", response_model=list[IngredientRead])
def take_over(session: SessionOf, project: ProjectOf, body: IngredientsTakeOver) -> Sequence[IngredientValue]:
    """What another project keeps by name, newest versions; what is here already stays as it is."""
    source = get_project(session, body.from_project)
    return ingredients.take_over_ingredients(session, source.id, project.id)


@router.post(
    "/projects/{project_id}/ingredients/{kind}", response_model=IngredientRead, status_code=http.HTTP_201_CREATED
)
def save_ingredient(
    session: SessionOf, project: ProjectOf, kind: IngredientKind, body: IngredientCreate
) -> IngredientValue:
    """Keep a value under a name; the next version if a run has used the newest one."""
    name = checked_network_name(body.name) if kind == IngredientKind.NETWORK else body.name
    value = _CHECKED[kind](body.value)
    return ingredients.save_ingredient(session, project.id, kind, name, value, new=body.new, was=body.was)


@router.delete("/projects/{project_id}/ingredients/{kind}/{ingredient_id}", status_code=http.HTTP_204_NO_CONTENT)
def delete_ingredient(
    session: SessionOf, project: ProjectOf, kind: IngredientKind, ingredient_id: _IngredientId
) -> None:
    """Take a name out of the list; runs keep what they used."""
    ingredients.delete_ingredient(session, project.id, kind, ingredient_id)


def _chosen(session: SessionOf, project_id: int, picture_ids: Sequence[int], count: int) -> Sequence[PictureValue]:
    if picture_ids:
        by_id = {entry.id: entry for entry in pictures_by_id(session, project_id, picture_ids)}
        found: Sequence[PictureValue] = [by_id[n] for n in picture_ids if n in by_id]
    else:
        found = sample_pictures(session, project_id, count)
    if not found:
        raise ConflictError("There are no pictures to show yet.", "Bring in pictures first.")
    return found


def _of_pictures(answer: dict[str, Any], chosen: Sequence[PictureValue]) -> dict[str, Any]:
    return {
        **answer,
        "picture_ids": [entry.id for entry in chosen],
        "class_ids": [entry.class_id for entry in chosen],
    }


@router.post("/projects/{project_id}/variation-sheet", response_model=SheetRead)
def variation_sheet(
    session: SessionOf, project: ProjectOf, parts: PartsOf, body: VariationSheetCreate
) -> dict[str, Any]:
    """A row a picture: as the network sees it, then as training shows it in its first epochs."""
    chosen = _chosen(session, project.id, body.picture_ids, body.pictures)
    preprocessing = checked_preprocessing(body.preprocessing.model_dump())
    variation = checked_variation(body.variation.model_dump(), preprocessing)
    split_id = body.split_id or newest_split_id(session, project.id)
    areas = areas_for(session, project.id, [entry.id for entry in chosen])
    session.commit()  # the connection is free while the sheet is drawn
    answer: dict[str, Any] = parts.quick.run(
        "variation_sheet",
        pictures=[(entry.sha256, entry.class_id, areas.get(entry.id)) for entry in chosen],
        preprocessing=preprocessing,
        variation=variation,
        seed=body.seed,
        variants=body.variants,
        split_id=split_id,
    )
    return _of_pictures(answer, chosen)


@router.post("/projects/{project_id}/operation-extremes", response_model=SheetRead)
def operation_extremes(session: SessionOf, project: ProjectOf, parts: PartsOf, body: ExtremesCreate) -> dict[str, Any]:
    """A row an operation: a picture as it is, and with that operation alone at both ends of its range."""
    chosen = _chosen(session, project.id, body.picture_ids[:1], 1)
    preprocessing = checked_preprocessing(body.preprocessing.model_dump())
    variation = checked_variation(body.variation.model_dump(), preprocessing)
    area = areas_for(session, project.id, [chosen[0].id]).get(chosen[0].id)
    session.commit()
    answer: dict[str, Any] = parts.quick.run(
        "operation_extremes", sha256=chosen[0].sha256, area=area, preprocessing=preprocessing, variation=variation
    )
    return _of_pictures(answer, chosen)


@router.post("/projects/{project_id}/preprocessing-sheet", response_model=SheetRead)
def preprocessing_sheet(
    session: SessionOf, project: ProjectOf, parts: PartsOf, body: PreprocessingSheetCreate
) -> dict[str, Any]:
    """A row a picture, the oddest shapes first: the original, then as the network sees it in each way to fit.

    By steps: as it is after each of them.
    """
    ids = body.picture_ids or odd_shapes(session, project.id, body.pictures)
    chosen = _chosen(session, project.id, ids, body.pictures)
    preprocessing = checked_preprocessing(body.preprocessing.model_dump())
    areas = areas_for(session, project.id, [entry.id for entry in chosen])
    session.commit()
    answer: dict[str, Any] = parts.quick.run(
        "steps_sheet" if body.steps else "preprocessing_sheet",
        pictures=[(entry.sha256, areas.get(entry.id)) for entry in chosen],
        preprocessing=preprocessing,
    )
    return _of_pictures(answer, chosen)


@router.get("/projects/{project_id}/input-size", response_model=SizeRead)
def propose_size(session: SessionOf, project: ProjectOf) -> dict[str, Any]:
    """An input size that fits the project's pictures, and why."""
    sides = shorter_sides(session, project.id)
    if not sides:
        raise ConflictError("There are no pictures to go by.", "Bring in pictures first.")
    return input_size(sides)
