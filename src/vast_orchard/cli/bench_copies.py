"""The part of `orchard bench rows` that looks for copies, and counts what it finds against what was planted."""

import json
import time
from collections import defaultdict
from multiprocessing.context import SpawnContext
from pathlib import Path
from typing import Any

from sqlalchemy import text

from vast_orchard.cli.bench_import import bring_in_once
from vast_orchard.demo.write import PICTURES_FOLDER, PLANTED_FILE, write_collection
from vast_orchard.jobs.context import open_context
from vast_orchard.jobs.run_job import run_job
from vast_orchard.logs import set_up_logs
from vast_orchard.settings import Settings

__all__ = ["copies_figures"]


def _search(settings: Settings, project: int, answer: Any) -> None:
    """The job that the import left waiting, in a process as a worker is; seconds from taking to ending it."""
    set_up_logs()
    context = open_context(settings)
    with context.database.session() as session:
        job = session.scalar(
            text("select id from job where kind = 'copies' and project_id = :p and state = 'waiting'"), {"p": project}
        )
    began = time.perf_counter()
    run_job(context, int(job or 0))
    answer.put(time.perf_counter() - began)


def _pairs_found(settings: Settings, project: int) -> set[frozenset[str]]:
    groups = defaultdict(set)
    with open_context(settings).database.session() as session:
        rows = session.execute(
            text("select copy_group, name from picture where project_id = :p and copy_group is not null"),
            {"p": project},
        )
        for group, name in rows:
            groups[group].add(name)
    return {frozenset(members) for members in groups.values()}


def copies_figures(processes: SpawnContext, settings: Settings, place: Path, count: int) -> dict[str, float]:
    """Draw crystals of 64 to 128 pixels with their copies, bring them in, and look for copies."""
    write_collection(place, count)
    project = bring_in_once(processes, settings, place / PICTURES_FOLDER).project_id
    answer = processes.SimpleQueue()
    process = processes.Process(target=_search, args=(settings, project, answer))
    process.start()
    process.join()
    seconds: float = answer.get()
    planted = json.loads((place / PLANTED_FILE).read_text())["pictures"]
    names = {entry["number"]: Path(entry["path"]).name for entry in planted}
    near = {
        frozenset((names[entry["of"]], names[entry["number"]])) for entry in planted if entry["fault"] == "near_copy"
    }
    found = _pairs_found(settings, project)
    right = len(found & near)
    return {
        "copies_s": round(seconds, 1),
        "copies_recall": round(right / max(1, len(near)), 3),
        "copies_precision": round(right / max(1, len(found)), 3),
    }
