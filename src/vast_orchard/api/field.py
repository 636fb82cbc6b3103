"""The picture field over HTTP: rows and counts, records, sheets of tiles, and help with writing a Sift."""

import base64
import datetime as dt
from collections.abc import Sequence
from typing import Annotated, Any

from fastapi import APIRouter, Depends, Query, Response

from vast_orchard.api.dependencies import LARGEST_ID, PartsOf, ProjectOf, SessionOf
from vast_orchard.api.schemas.pictures import CompletionRead, FieldRead, SheetCreate
from vast_orchard.store import field, field_scope
from vast_orchard.store.pictures import pictures_by_id
from vast_orchard.store.sift.completion import complete
from vast_orchard.store.sift.scope import SiftScope

__all__ = ["ScopeOf", "SiftQuery", "router"]

router = APIRouter(prefix="/api/projects/{project_id}", tags=["field"])

_Id = Query(ge=1, le=LARGEST_ID)
SiftQuery = Annotated[str, Query(max_length=4000, description="Which pictures, and in which order; see docs/sift.md.")]
FigureQuery = Annotated[bool, Query(description="With the number that the Sift is ordered by, in 4 bytes more.")]
AnswersQuery = Annotated[bool, Query(description="With the next class of the run's answer, in 4 bytes more.")]
GroupQuery = Annotated[field.Grouping, Query(description="What the rows stand for.")]


def _scope(
    session: SessionOf,
    project: ProjectOf,
    split: Annotated[int | None, _Id] = None,
    run: Annotated[int | None, _Id] = None,
    look: Annotated[int | None, _Id] = None,
    like: Annotated[int | None, Query(ge=1, le=2**62, description="The picture that order:like compares with.")] = None,
) -> SiftScope:
    now = dt.datetime.now().astimezone()
    return field_scope.scope_of(session, project.id, split_id=split, run_id=run, look_id=look, like_id=like, now=now)


ScopeOf = Annotated[SiftScope, Depends(_scope)]


@router.get("/field", response_model=FieldRead)
def rows(
    session: SessionOf,
    scope: ScopeOf,
    sift: SiftQuery = "",
    group: GroupQuery = field.Grouping.CLASS,
    first: Annotated[int, Query(ge=0, le=100_000, description="So many records come along, from the first on.")] = 0,
    figure: FigureQuery = False,
    answers: AnswersQuery = False,
) -> dict[str, Any]:
    """The rows of the field with their counts, and the first records if they are wanted."""
    found = field.field_rows(session, scope, sift, group)
    records = b""
    if first and found:
        records = field.field_records(
            session, scope, sift, group, count=first, rows=found, figured=figure, answered=answers
        )
    return {
        "total": sum(row.count for row in found),
        "rows": found,
        "first": base64.b64encode(records),
        "figure": field.figure_name(sift, scope) if figure else None,
    }


@router.get("/field/records", response_class=Response)
def records(
    session: SessionOf,
    scope: ScopeOf,
    sift: SiftQuery = "",
    group: GroupQuery = field.Grouping.CLASS,
    start: Annotated[int, Query(ge=0, le=10**9)] = 0,
    count: Annotated[int | None, Query(ge=1, le=10**9)] = None,
    figure: FigureQuery = False,
    answers: AnswersQuery = False,
) -> Response:
    """Pictures in the order of the field, 16 bytes each: id × 256 + flags, class id, predicted class id, big-endian.

    With a figure 4 more, the number as a float behind them; with answers 4 more, the id of the next class, its highest
    bit set where the model says "unsure".
    """
    found = field.field_records(session, scope, sift, group, start=start, count=count, figured=figure, answered=answers)
    return Response(found, media_type="application/octet-stream")


@router.post("/sheets", response_class=Response)
def sheet(session: SessionOf, project: ProjectOf, parts: PartsOf, body: SheetCreate) -> Response:
    """Many tiles in one picture, in the order of the ids; those that are gone leave their place grey."""
    found = {entry.id: entry.sha256 for entry in pictures_by_id(session, project.id, body.picture_ids)}
    session.commit()  # the connection is free while the sheet is drawn
    data: Any = parts.quick.run(
        "sheet",
        pictures=[(picture, found.get(picture, "")) for picture in body.picture_ids],
        side=body.side,
        columns=body.columns,
    )
    return Response(data, media_type="image/png" if data[:1] == b"\x89" else "image/jpeg")


@router.get("/sift/completions", response_model=list[CompletionRead])
def completions(
    session: SessionOf,
    scope: ScopeOf,
    sift: SiftQuery = "",
    at: Annotated[
        int | None, Query(ge=0, le=4000, description="Where the cursor stands; at the end by default.")
    ] = None,
) -> Sequence[Any]:
    """What could stand where the cursor is, with how many pictures each would find."""
    return complete(session, scope, sift, len(sift) if at is None else at)
