"""`orchard bench import`: how fast pictures come in, beside a plain loop, and what memory it takes."""

import io
import json
import os
import secrets
import sys
import tempfile
import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from multiprocessing import get_context
from multiprocessing.context import SpawnContext
from pathlib import Path
from statistics import median
from types import ModuleType
from typing import Annotated, Any

import typer
from PIL import Image

from vast_orchard.cli.terminal import AsJson, console
from vast_orchard.demo.write import PICTURES_FOLDER, write_collection
from vast_orchard.errors import ServiceError
from vast_orchard.jobs.bringing_in.opened_files import stand_ready
from vast_orchard.jobs.context import WorkContext, open_context
from vast_orchard.jobs.queue import start_job
from vast_orchard.jobs.run_job import run_job
from vast_orchard.logs import set_up_logs
from vast_orchard.settings import Settings
from vast_orchard.store.database import Database
from vast_orchard.store.imports import choose_reading, create_import, get_import
from vast_orchard.store.migrate import migrate
from vast_orchard.store.projects import create_project
from vast_orchard.store.schema import JobKind
from vast_orchard.store.values import ImportValue
from vast_orchard.supervision.postgres import open_cluster

__all__ = ["OneImport", "anonymous_mb", "bench_import", "bring_in_once", "draw_many"]

_REPEATS = 5
_READY_S = 2.0
_SAMPLE_S = 0.01
_BEFORE = 200  # pictures that are brought in uncounted
_LOOP_SIDE = 208  # of the plain loop's thumbnails: the same as an import's


def anonymous_mb() -> float:
    """Memory of this process that stands in no file, now."""
    for line in Path("/proc/self/status").read_text().splitlines():
        if line.startswith("RssAnon:"):
            return int(line.split()[1]) / 1024
    raise ServiceError("This system does not tell a process's anonymous memory.", "Measure on Linux.")


@contextmanager
def _peak() -> Iterator[list[float]]:
    """The largest anonymous memory while the block runs, as the last of a list."""
    found, done = [anonymous_mb()], threading.Event()

    def sample() -> None:
        while not done.wait(_SAMPLE_S):
            found[0] = max(found[0], anonymous_mb())

    sampler = threading.Thread(target=sample)
    sampler.start()
    try:
        yield found
    finally:
        done.set()
        sampler.join()


def _upload(settings: Settings, pictures: Path) -> str:
    """Files as if they had been uploaded."""
    upload = secrets.token_hex(8)
    for path in pictures.rglob("*"):
        if path.is_file():
            target = settings.data_dir / "uploads" / upload / path.relative_to(pictures)
            target.parent.mkdir(parents=True, exist_ok=True)
            os.link(path, target)
    return upload


def _bring_in(settings: Settings, uploads: list[str], planned: bool, answer: Any) -> None:
    """In a fresh process, like a worker: imports into new projects; tells seconds, pictures and the peak of the last.

    The seconds are of the whole way: reading the source, trying readings, and bringing in.
    """
    # As in a worker: what opens files is ready, and a package's main module is not loaded again by its processes.
    sys.modules["__main__"] = ModuleType("__main__")
    stand_ready()
    time.sleep(_READY_S)
    set_up_logs()
    context = open_context(settings)
    for upload in uploads:
        with context.database.session() as session:
            project = create_project(session, f"Bench {upload}")
            entry = create_import(session, project.id, "bench", upload)
        with _peak() as peak:
            began = time.perf_counter()
            if planned:
                _do(context, JobKind.READ, entry)
                with context.database.session() as session:
                    survey = get_import(session, entry.id).survey or {}
                    choose_reading(session, entry.id, survey["readings"][0]["choice"])
            _do(context, JobKind.IMPORT, entry)
            spent = time.perf_counter() - began
    with context.database.session() as session:
        report = get_import(session, entry.id).report or {}
    answer.put(OneImport(seconds=spent, added=int(report["added"]), peak_mb=peak[0], project_id=project.id))


def _do(context: WorkContext, kind: JobKind, entry: ImportValue) -> None:
    with context.database.session() as session:
        job = start_job(session, entry.project_id, kind, "Bench", entry.id)
    run_job(context, job)


@dataclass(frozen=True, kw_only=True)
class OneImport:
    """What one import took."""

    seconds: float
    added: int
    peak_mb: float
    project_id: int


def bring_in_once(
    processes: SpawnContext, settings: Settings, source: Path, before: Path | None = None, *, planned: bool = False
) -> OneImport:
    """One import into a new project, by a process of its own.

    Parameters
    ----------
    before : Path, optional
        What the process brings in first, uncounted, so that the import finds it as a worker that has worked already.
    planned : bool
        As a person brings in who decides at once: a job reads for the plan, another one brings in.

    Raises
    ------
    ServiceError
    """
    answer = processes.SimpleQueue()
    uploads = [_upload(settings, pictures) for pictures in (before, source) if pictures]
    process = processes.Process(target=_bring_in, args=(settings, uploads, planned, answer))
    process.start()
    process.join()
    if process.exitcode:
        raise ServiceError(f"The import ended with code {process.exitcode}.", "See its words above.")
    found: OneImport = answer.get()
    return found


@dataclass(frozen=True, kw_only=True)
class _Turn:
    """The same pictures in every way, one after the other."""

    warm: OneImport
    planned: OneImport
    first: OneImport
    loop_s: float


def _loop(paths: list[str], out: str) -> None:
    """What anyone would write: decode, reduce, save."""
    for number, path in enumerate(paths):
        try:
            with Image.open(path) as image:
                small = image.convert("RGB")
        except OSError:
            continue
        small.thumbnail((_LOOP_SIDE, _LOOP_SIDE), Image.Resampling.BILINEAR)
        small.save(f"{out}/{os.getpid()}-{number}.jpg", "JPEG", quality=85)


def _loop_s(pool: Any, pictures: Path) -> float:
    paths = [str(path) for path in pictures.rglob("*") if path.is_file()]
    with tempfile.TemporaryDirectory() as out:
        began = time.perf_counter()
        pool.starmap(_loop, [(paths[::2], out), (paths[1::2], out)], chunksize=1)
        return time.perf_counter() - began


def draw_many(few: Path, target: Path, count: int) -> None:
    """`count` pictures of different content: the drawn ones, each with some bytes behind its end."""
    paths = sorted(path for path in few.rglob("*.jpg") if path.is_file())
    for number in range(count):
        path = paths[number % len(paths)]
        place = target / path.parent.name / f"{number}.jpg"
        place.parent.mkdir(parents=True, exist_ok=True)
        buffer = io.BytesIO(path.read_bytes())
        buffer.seek(0, io.SEEK_END)
        buffer.write(f"#{number}".encode())
        place.write_bytes(buffer.getvalue())


def bench_import(
    as_json: AsJson = False,
    many: Annotated[int, typer.Option(help="Pictures of the second memory figure.")] = 50_000,
) -> None:
    """Pictures a second of an import over those of a plain loop in two processes, and the worker's peak memory."""
    words, processes = console(), get_context("spawn")
    os.environ.setdefault("MALLOC_ARENA_MAX", "2")  # as the supervisor starts its workers
    with tempfile.TemporaryDirectory(prefix="vast-orchard-bench-") as folder:
        place = Path(folder)
        place.chmod(0o755)  # PostgreSQL may have to run as another user
        words.print("Drawing 2,000 snow crystals")
        write_collection(place / "crystals", 2_000)
        pictures = place / "crystals" / PICTURES_FOLDER
        (place / "cluster").mkdir()
        cluster = open_cluster(place / "cluster")
        cluster.start()
        try:
            database = Database(cluster.url)
            migrate(database)
            database.close()

            def bring_in(source: Path, before: Path | None = None, *, planned: bool = False) -> OneImport:
                # Into a folder of its own each time: what is stored already would not be written again.
                settings = Settings(data_dir=place / f"data-{secrets.token_hex(4)}", database_url=cluster.url)
                return bring_in_once(processes, settings, source, before, planned=planned)

            draw_many(pictures, place / "before", _BEFORE)
            with processes.Pool(2) as pool:
                # Once before it counts, like the imports it stands beside.
                _loop_s(pool, pictures)
                words.print("Importing in turns with a plain loop")
                turns = [
                    _Turn(
                        warm=bring_in(pictures, place / "before"),
                        planned=bring_in(pictures, place / "before", planned=True),
                        first=bring_in(pictures),
                        loop_s=_loop_s(pool, pictures),
                    )
                    for _ in range(_REPEATS)
                ]
            count, peak_few = turns[0].warm.added, max(turn.warm.peak_mb for turn in turns)
            words.print(f"Importing {many:,} pictures")
            draw_many(pictures, place / "many", many)
            large = bring_in(place / "many")
            many_s, peak_many = large.seconds, large.peak_mb
        finally:
            cluster.stop()
    found = {
        # By turns, because a machine that others use changes its pace between them.
        "import_ratio": round(median(turn.loop_s / turn.warm.seconds for turn in turns), 3),
        "import_ratios": [round(turn.loop_s / turn.warm.seconds, 3) for turn in turns],
        # By two jobs, with a decision in between that takes no time.
        "planned_ratio": round(median(turn.loop_s / turn.planned.seconds for turn in turns), 3),
        # The first import of a process, into an empty folder.
        "first_import_ratio": round(median(turn.loop_s / turn.first.seconds for turn in turns), 3),
        "import_pictures_per_s": round(median(count / turn.warm.seconds for turn in turns), 1),
        "loop_pictures_per_s": round(median(count / turn.loop_s for turn in turns), 1),
        "import_peak_mb": {"2000": round(peak_few, 1), str(many): round(peak_many, 1)},
        "many_pictures_per_s": round(many / many_s, 1),
    }
    if as_json:
        print(json.dumps(found))
        return
    print(
        f"{found['import_pictures_per_s']} pictures/s come in, "
        f"{found['import_ratio']} of a plain loop in two processes "
        f"({found['planned_ratio']} by a plan, {found['first_import_ratio']} in a process that has just begun); "
        f"{many:,} at {found['many_pictures_per_s']}/s. "
        f"Peak anonymous memory: {peak_few:.0f} MB with 2,000, {peak_many:.0f} MB with {many:,}."
    )
