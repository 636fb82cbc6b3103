"""`orchard bench area`: a rule for a large collection set and taken back, and parts that are found by themselves."""

import io
import json
import statistics
import time
from typing import Annotated

import numpy as np
import typer

from vast_orchard.cli.bench_database import own_database
from vast_orchard.cli.bench_records import fill_pictures
from vast_orchard.cli.served_api import served_api
from vast_orchard.cli.terminal import AsJson, console
from vast_orchard.core.pictures.area import Area, Box
from vast_orchard.core.pictures.found import found_part
from vast_orchard.demo.picture import photographed
from vast_orchard.demo.shapes import CLASSES
from vast_orchard.formats.picture_file import read_picture, what_stands_out

__all__ = ["bench_area"]

_TURNS = 11
_MARGIN = 0.08  # as the page proposes it
_SEED = 2101  # nothing was tuned on these crystals
_RULE = {"keep": [0.1, 0.1, 0.9, 0.9], "covered": [[[0.1, 0.8], [0.3, 0.8], [0.3, 0.9], [0.1, 0.9]]]}


def bench_area(
    as_json: AsJson = False,
    pictures: Annotated[int, typer.Option(help="Of the collection that a rule is set for.")] = 100_000,
    crystals: Annotated[int, typer.Option(help="Drawn, each with the box around it.")] = 500,
) -> None:
    """A rule for all pictures set and taken back, and how well and fast the part that stands out is found."""
    found_ms, share = _found(crystals)
    set_s, undo_s, by_sift_s, sample_s = _rule_times(pictures)
    found = {
        "rule_100k_s": round(_worse(set_s), 3),
        "undo_100k_s": round(_worse(undo_s), 3),
        "rule_by_sift_100k_s": round(_worse(by_sift_s), 3),
        "sheet_100k_s": round(_worse(sample_s), 3),
        "found_ms": round(statistics.median(found_ms), 1),
        "found_p95_ms": round(statistics.quantiles(found_ms, n=20)[-1], 1),
        "found_share": round(share, 4),
    }
    if as_json:
        print(json.dumps(found))
        return
    for name, value in found.items():
        print(f"{name}: {value}")


def _found(crystals: int) -> tuple[list[float], float]:
    """Milliseconds for each, its file read included, and the share that is kept whole in less than twice its box."""
    area, good, times = Area(margin=_MARGIN), 0, []
    for number in range(crystals):
        image, box = photographed(CLASSES[number % len(CLASSES)], np.random.default_rng([_SEED, number]))
        buffer = io.BytesIO()
        image.save(buffer, "JPEG", quality=90)
        began = time.perf_counter()
        kept = found_part(what_stands_out(read_picture(buffer.getvalue()).upright, area), _MARGIN).box
        times.append(1000 * (time.perf_counter() - began))
        good += kept is not None and _holds(kept, box) and _size(kept) < 2 * _size(box)
    return times, good / crystals


def _holds(kept: Box, box: Box) -> bool:
    return kept[0] <= box[0] and kept[1] <= box[1] and kept[2] >= box[2] and kept[3] >= box[3]


def _size(box: Box) -> float:
    return (box[2] - box[0]) * (box[3] - box[1])


def _rule_times(pictures: int) -> tuple[list[float], list[float], list[float], list[float]]:
    """Seconds until a rule for all is set and the counts by it are there, until it is taken back, and by a Sift; and
    until the pictures of the sheet are known.
    """
    words = console()
    set_s: list[float] = []
    undo_s: list[float] = []
    by_sift_s: list[float] = []
    sample_s: list[float] = []
    with own_database() as own:
        words.print(f"Making {pictures:,} pictures")
        project = f"/api/projects/{fill_pictures(own.database, 'Many pictures', pictures)}"
        with served_api(own.settings) as (client, _):
            number = 0
            for _ in range(_TURNS):
                for times, sift in ((set_s, ""), (by_sift_s, "name:7 width>20")):
                    rule = {"rules": [{"sift": sift, "area": _RULE}], "was": number}
                    times.append(client.seconds(f"{project}/area-rules", body=rule, method="PUT"))
                    times[-1] += client.seconds(f"{project}/area-counts")
                    back = client.seconds(f"{project}/undo", body={})
                    if not sift:
                        undo_s.append(back + client.seconds(f"{project}/area-counts"))
                    number += 2
                sample_s.append(client.seconds(f"{project}/area-sample", {"count": 12}))
    return set_s, undo_s, by_sift_s, sample_s


def _worse(times: list[float]) -> float:
    """The worse quartile."""
    return statistics.quantiles(times, n=4)[2]
