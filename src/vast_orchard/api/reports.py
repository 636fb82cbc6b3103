"""Reports over HTTP: one file for people, and the same as JSON."""

import datetime as dt
from typing import Annotated, Any

from fastapi import APIRouter, Query, Response

from vast_orchard.api.dependencies import LARGEST_ID, ModelOf, PartsOf, SessionOf
from vast_orchard.at_once.reporting import report_facts

__all__ = ["router"]

router = APIRouter(prefix="/api", tags=["models"])

LookQuery = Annotated[int | None, Query(ge=1, le=LARGEST_ID, description="With the figures of the test set.")]


@router.get("/models/{model_id}/report.json", response_model=dict[str, Any])
def report(session: SessionOf, model: ModelOf, look: LookQuery = None) -> dict[str, Any]:
    """Pictures, recipe, curves, scores with intervals, calibration, worst errors, slices, lookouts, looks, digests."""
    return report_facts(session, model, dt.datetime.now(dt.UTC), look)


@router.get("/models/{model_id}/report.html", response_class=Response, responses={200: {"content": {"text/html": {}}}})
def report_file(session: SessionOf, parts: PartsOf, model: ModelOf, look: LookQuery = None) -> Response:
    """The same as one HTML file without any outside address."""
    # Imported here: templates take memory that nothing else of this process needs.
    from vast_orchard.at_once.report_file import report_as_html

    page = report_as_html(report_facts(session, model, dt.datetime.now(dt.UTC), look), parts.store)
    return Response(
        page,
        media_type="text/html; charset=utf-8",
        headers={"Content-Disposition": f'attachment; filename="run-{model.run_number}-report.html"'},
    )
