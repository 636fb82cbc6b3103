"""Measures pictures before they are judged, once for each: what goes with errors is asked of them afterwards."""

import io
from collections.abc import Sequence
from dataclasses import asdict

import numpy as np
from PIL import Image

from vast_orchard.core.findings.seeing import seeing
from vast_orchard.core.pictures.measures import measure
from vast_orchard.errors import OrchardError
from vast_orchard.jobs.context import Progress, WorkContext
from vast_orchard.store.measures import add_measures, unmeasured
from vast_orchard.store.values import JudgedPictureValue

__all__ = ["measure_pictures"]

_AT_ONCE = 500


def measure_pictures(context: WorkContext, pictures: Sequence[JudgedPictureValue], progress: Progress) -> None:
    """Measure those of the pictures that were never measured, by their thumbnails of at most 208 pixels."""
    with context.database.session() as session:
        waiting = unmeasured(session, [picture.picture_id for picture in pictures])
    if not waiting:
        return
    progress.stage("Measuring pictures", len(waiting))
    wanted = [picture for picture in pictures if picture.picture_id in waiting]
    for start in range(0, len(wanted), _AT_ONCE):
        found: dict[int, dict[str, float | None]] = {}
        for picture in wanted[start : start + _AT_ONCE]:
            try:
                data = context.store.read_thumbnail(picture.sha256)
                with Image.open(io.BytesIO(data)) as image:
                    found[picture.picture_id] = _measures(image)
            except (OrchardError, OSError, ValueError):
                continue  # a thumbnail that is lost is no reason not to judge
        with context.database.session() as session:
            add_measures(session, found)
        progress.advance(len(found))


def _measures(image: Image.Image) -> dict[str, float | None]:
    brightness = np.asarray(image.convert("L"))
    return {**asdict(measure(brightness)), **asdict(seeing(brightness))}
