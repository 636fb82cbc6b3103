"""Working areas over HTTP: the rules, a picture's own, and previews of both."""

import datetime as dt
from collections.abc import Sequence
from typing import Annotated, Any

from fastapi import APIRouter, Query

from vast_orchard.api.dependencies import PartsOf, ProjectOf, SessionOf, WindowOf
from vast_orchard.api.mending import named_pictures
from vast_orchard.api.schemas.areas import (
    AreaCountsRead,
    AreaRulesRead,
    AreaRulesUpdate,
    AreaSampleRead,
    AreasCreate,
    FoundAreaRead,
    FoundAreasCreate,
)
from vast_orchard.api.schemas.mending import ActionRead
from vast_orchard.at_once.areas import checked_area, checked_search, fresh_area
from vast_orchard.store import area_actions, areas, field, field_scope
from vast_orchard.store.pictures import pictures_by_id
from vast_orchard.store.values import ActionValue, AreaCounts, AreaRulesValue

__all__ = ["router"]

router = APIRouter(prefix="/api/projects/{project_id}", tags=["areas"])


@router.get("/area-rules", response_model=AreaRulesRead)
def read_rules(session: SessionOf, project: ProjectOf) -> AreaRulesValue:
    """The rules that hold."""
    return areas.rules_now(session, project.id)


@router.get("/area-rules/versions", response_model=list[AreaRulesRead])
def list_versions(session: SessionOf, project: ProjectOf) -> Sequence[AreaRulesValue]:
    """Their versions, newest first; none of them ever changes."""
    return areas.list_rules(session, project.id)


@router.put("/area-rules", response_model=ActionRead)
def set_rules(session: SessionOf, project: ProjectOf, window: WindowOf, body: AreaRulesUpdate) -> ActionValue:
    """Make the next version, as one step; it touches no picture, however many there are."""
    rules = [(rule.sift, checked_area(rule.area.model_dump()) or {}) for rule in body.rules]
    return area_actions.set_rules(
        session,
        project.id,
        window,
        rules,
        fresh_by=body.fresh_by,
        fresh=fresh_area(rules, body.fresh_by, body.margin),
        was=body.was,
    )


@router.get("/area-counts", response_model=AreaCountsRead)
def count_areas(session: SessionOf, project: ProjectOf) -> AreaCounts:
    """How many pictures have an area of their own, one by a rule, and none."""
    return areas.area_counts(session, project.id)


@router.post("/areas", response_model=ActionRead)
def give_area(session: SessionOf, project: ProjectOf, window: WindowOf, body: AreasCreate) -> ActionValue:
    """Give pictures a working area of their own, which goes before every rule, or take it away."""
    area = checked_area(body.area.model_dump() if body.area else None)
    ids = named_pictures(session, project.id, body)
    return area_actions.give_area(session, project.id, window, ids, area)


@router.get("/area-sample", response_model=list[AreaSampleRead])
def sample(
    session: SessionOf,
    project: ProjectOf,
    sift: Annotated[str, Query(max_length=4000, description="Which pictures; empty: all.")] = "",
    count: Annotated[int, Query(ge=1, le=600)] = 12,
    turn: Annotated[int, Query(ge=0, le=1_000_000, description="Other ones with each.")] = 0,
    picture: Annotated[list[int] | None, Query(description="These instead.")] = None,
    rule: Annotated[bool, Query(description="Refuse what a rule may not ask.")] = False,
) -> list[dict[str, Any]]:
    """Some of the pictures, spread evenly over all that the Sift lets through, with the area that each has now."""
    if rule and sift.strip():
        areas.check_rules_sift(session, project.id, sift)
    if picture:
        ids: Sequence[int] = picture[:count]
    else:
        scope = field_scope.scope_of(session, project.id, now=dt.datetime.now().astimezone())
        found = sorted(field.sifted_ids(session, scope, sift))
        some = min(count, len(found))
        ids = [found[(place * len(found) // some + turn) % len(found)] for place in range(some)]
    values = areas.areas_for(session, project.id, ids)
    return [
        {
            "id": entry.id,
            "sha256": entry.sha256,
            "name": entry.name,
            "width": entry.width,
            "height": entry.height,
            "own": entry.own_area,
            "area": values.get(entry.id),
        }
        for entry in pictures_by_id(session, project.id, ids)
    ]


@router.post("/found-areas", response_model=list[FoundAreaRead])
def find_areas(session: SessionOf, project: ProjectOf, parts: PartsOf, body: FoundAreasCreate) -> list[dict[str, Any]]:
    """What stands out of pictures, before any of it is taken."""
    area = checked_search(body.area.model_dump())
    pictures = [(entry.id, entry.sha256) for entry in pictures_by_id(session, project.id, body.picture_ids)]
    session.commit()  # the connection is free while the pictures are looked at
    found: list[dict[str, Any]] = parts.quick.run("found_areas", pictures=pictures, area=area, ground=(0, 0, 0))
    return found
