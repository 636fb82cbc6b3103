"""`orchard bench rows`: how fast a large project is seen, sifted and mended, and what memory the API takes."""

import json
import statistics
import time
from dataclasses import asdict
from multiprocessing import get_context
from pathlib import Path
from typing import Annotated, Any

import numpy as np
import typer
from sqlalchemy import text

from vast_orchard.cli.bench_browser import open_browser
from vast_orchard.cli.bench_copies import copies_figures
from vast_orchard.cli.bench_project import empty_split, ended_run, large_project
from vast_orchard.cli.served_api import ApiClient, served_api
from vast_orchard.cli.terminal import AsJson, console
from vast_orchard.core.judging.scores import judge
from vast_orchard.errors import ServiceError
from vast_orchard.store.database import Database
from vast_orchard.store.models import store_judgement
from vast_orchard.types import SetName

__all__ = ["EXPRESSIONS", "bench_rows"]

# Fixed, so that figures can be compared from version to version.
EXPRESSIONS = (
    "",
    "class:plate",
    "class:plate,column,needle",
    "class:none",
    "not class:graupel",
    "set:training",
    "set:validation class:stellar",
    "set:none",
    "name:99",
    "name:1*7.jpg",
    'name:"0.jpg"',
    "plate",
    "noted",
    "unlabelled or excluded",
    "unsure",
    "two-labels",
    "width<96",
    "side>100 shape>1",
    "size>4kB",
    "format:png",
    "mode:RGB brightness<0.1",
    "came:today",
    "came<2020-01-01",
    "changed:today",
    "changed:7d class:plate",
    "wrong",
    "wrong p<0.6",
    "predicted:plate class:column",
    "loss>2 order:-loss",
    "judged order:p",
    "order:name",
    "order:-brightness",
    "order:-size,name",
    "class:dendrite order:-side",
    "(class:plate or class:column) and not (set:training or excluded) order:name",
)
_REPEATS = 10
_FIRST_RECORDS = 6000  # as the page asks for them
_RELABELLED = 10_000
_SCROLLED = 20_000
_SIZES = (12, 24, 56, 104, 200)

# Follows the frames while the field scrolls 60 pixels in each; answers with the times between them.
_SCROLL = """
const [most, done] = arguments;
const field = document.querySelector('[data-testid=field]');
const gaps = [];
let before = performance.now();
function frame(now) {
  gaps.push(now - before);
  before = now;
  field.scrollTop += 60;
  if (field.scrollTop + field.clientHeight >= field.scrollHeight - 1 || gaps.length > most) done(gaps.slice(1));
  else requestAnimationFrame(frame);
}
requestAnimationFrame(frame);
"""


def _fill(database: Database, project: int) -> tuple[int, int]:
    """A split, and a run with predictions on its validation set; ids of both."""
    with database.session() as session:
        split = empty_split(session, project)
        session.execute(
            text(
                "insert into split_member select :s, id, case when id % 20 < 14 then 'training'"
                " when id % 20 < 17 then 'validation' else 'test' end from picture"
                " where project_id = :p and id % 20 < 19"
            ),
            {"s": split, "p": project},
        )
        session.execute(text("delete from split_member using picture where picture_id = id and class_id is null"))
        model = ended_run(session, project, split, "0" * 64)
        kinds = len(model.classes)
        scores = asdict(judge(np.eye(kinds, dtype=np.float32), np.arange(kinds)))
        store_judgement(session, model, SetName.VALIDATION, scores)
        session.execute(
            text(
                "insert into prediction"
                " (model_id, picture_id, set_name, true_class, predicted_class, p, loss, probabilities)"
                " select :m, p.id, 'validation', p.class_id, case when p.id % 11 = 0 then"
                " (select min(id) from class where project_id = :p) else p.class_id end, 0.5 + (p.id % 500) / 1000.0,"
                " (p.id % 300) / 100.0, '{0.5}' from picture p join split_member m on m.picture_id = p.id"
                " where m.split_id = :s and m.set_name = 'validation' and p.class_id is not null"
            ),
            {"m": model.id, "p": project, "s": split},
        )
        session.execute(text("analyze"))
    return split, model.run_id or 0


def _peak_mb(pid: int) -> float:
    for line in Path(f"/proc/{pid}/status").read_text().splitlines():
        if line.startswith("VmHWM:"):
            return int(line.split()[1]) / 1024
    raise ServiceError("This system does not tell a process's peak of memory.", "Measure on Linux.")


def _percentile(values: list[float], share: float) -> float:
    return sorted(values)[min(len(values) - 1, int(len(values) * share))]


def _sift_times(client: ApiClient, database: Database, project: int, split: int, run: int) -> dict[str, float]:
    """Milliseconds of rows, counts and the first page together: the median of the repeats for each expression.

    Between them a plain count over the same table tells how the machine stands just then.
    """
    found: dict[str, list[float]] = {}
    counts = []
    for _ in range(_REPEATS):
        for sift in EXPRESSIONS:
            query = {"sift": sift, "split": split, "run": run, "first": _FIRST_RECORDS}
            spent = client.seconds(f"/api/projects/{project}/field", query)
            found.setdefault(sift, []).append(1000 * spent)
            counts.append(_plain_count_ms(database, project))
    return {sift: statistics.median(times) for sift, times in found.items()} | {
        "p95": _percentile([one for times in found.values() for one in times], 0.95),
        "count": statistics.median(counts),
    }


def _plain_count_ms(database: Database, project: int) -> float:
    with database.session() as session:
        began = time.perf_counter()
        # Of a column that no index holds, so that every row is read.
        session.scalar(text("select count(brightness) from picture where project_id = :p"), {"p": project})
        return 1000 * (time.perf_counter() - began)


def _action_times(client: ApiClient, database: Database, project: int) -> tuple[float, float]:
    with database.session() as session:
        picked = session.execute(
            text("select id from picture where project_id = :p and class_id is not null order by sha256 limit :n"),
            {"p": project, "n": _RELABELLED},
        ).all()
        other = session.scalar(text("select max(id) from class where project_id = :p"), {"p": project})
    relabelled, undone = [], []
    for _ in range(3):
        body = {"picture_ids": [row.id for row in picked], "class_id": other}
        relabelled.append(client.seconds(f"/api/projects/{project}/labels", body=body))
        undone.append(client.seconds(f"/api/projects/{project}/undo", body={}))
    return statistics.median(relabelled), statistics.median(undone)


def _wait_painted(browser: Any) -> float:
    """Seconds from navigation to the first screen with every tile."""
    found: float = browser.execute_async_script(
        "const done = arguments[0];"
        "const look = () => document.querySelector('canvas[data-painted=whole]')"
        " ? done(performance.now() / 1000) : requestAnimationFrame(look); look();"
    )
    return found


def _screen_times(address: str, project: int) -> dict[str, Any]:
    browser = open_browser()
    if browser is None:
        return {"first_screen_s": None, "frame_p95_ms": None}
    try:
        firsts = []
        for _ in range(_REPEATS):
            browser.get(f"{address}/p/{project}/rows")
            firsts.append(_wait_painted(browser))
        gaps: list[float] = []
        by_size = {}
        for size in _SIZES:
            browser.get(f"{address}/p/{project}/rows?tile={size}")
            _wait_painted(browser)
            columns = max(1, (1265 - 176) // (size + 4))
            most = min(600, _SCROLLED // columns * (size + 4) // 60)
            here = browser.execute_async_script(_SCROLL, most)
            # A few pictures fit on one screen when they are small: then there is nothing to scroll.
            by_size[str(size)] = round(_percentile(here, 0.95), 1) if here else None
            gaps += here
        return {
            "first_screen_s": round(statistics.median(firsts), 2),
            "frame_p95_ms": round(_percentile(gaps, 0.95), 1),
            "frame_p95_ms_by_size": by_size,
        }
    finally:
        browser.quit()


def bench_rows(
    as_json: AsJson = False,
    count: Annotated[int, typer.Option(help="Pictures.")] = 100_000,
    copies: Annotated[int, typer.Option(help="Pictures of the collection in which copies are looked for.")] = 10_000,
) -> None:
    """First screen, Sift, labels and undo, frames while scrolling, copies, and the API's peak memory."""
    words, processes = console(), get_context("spawn")
    with large_project(count) as large:
        database, project = large.database, large.id
        split, run = _fill(database, project)
        with served_api(large.settings) as (client, pid):
            words.print("Sifting")
            sifts = _sift_times(client, database, project, split, run)
            words.print("Labelling and taking back")
            relabel_s, undo_s = _action_times(client, database, project)
            words.print("Looking and scrolling")
            screen = _screen_times(client.address, project)
            peak = _peak_mb(pid)
        words.print(f"Looking for copies among {copies:,} others")
        found_copies = copies_figures(processes, large.settings, large.folder / "others", copies)
    slowest = sorted(((ms, sift) for sift, ms in sifts.items() if sift not in ("p95", "count")), reverse=True)[:3]
    found = {
        "count": count,
        **screen,
        "sift_p95_ms": round(sifts["p95"], 1),
        "plain_count_ms": round(sifts["count"], 1),
        "sift_p95_over_count": round(sifts["p95"] / sifts["count"], 2),
        "sift_slowest_ms": {sift: round(ms, 1) for ms, sift in slowest},
        "relabel_10k_s": round(relabel_s, 3),
        "undo_10k_s": round(undo_s, 3),
        "api_peak_mb": round(peak, 1),
        **found_copies,
    }
    if as_json:
        print(json.dumps(found))
        return
    for name, value in found.items():
        print(f"{name}: {value}")
