"""`orchard bench chaos`: kills parts of the application while it works, and counts what was lost by it."""

import hashlib
import json
import os
import random
import signal
import statistics
import time
import urllib.request
from collections import Counter
from collections.abc import Callable, Sequence
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Annotated, Any

import psutil
import psycopg
import typer

from vast_orchard.cli.chaos_work import (
    Importer,
    Labeller,
    Trainer,
    Worker,
    drawn_picture,
    patiently,
    short_recipe,
)
from vast_orchard.cli.started import StartedApplication
from vast_orchard.cli.terminal import AsJson, console
from vast_orchard.errors import ServiceError
from vast_orchard.supervision.postgres import running_url

__all__ = ["bench_chaos"]

_TARGETS = ("data worker", "training worker", "server", "quick process", "connections", "postmaster", "supervisor")
# After a kill everything must be at work again within this, or it counts as stuck.
_LIMIT_S = 90.0
_LOOK_EVERY_S = 0.1
# So often the next kill does not wait until the one before is got over.
_TWICE = 0.25


class _Killer:
    """Finds parts of the application, and kills them."""

    def __init__(self, application: StartedApplication) -> None:
        self._application = application

    def _children(self) -> dict[str, psutil.Process]:
        found: dict[str, psutil.Process] = {}
        try:
            for child in psutil.Process(self._supervisor).children():
                words = child.cmdline()
                if words and words[0].endswith("postgres"):
                    found["postmaster"] = child
                elif "worker" in words:
                    found["data worker" if "data" in words else "training worker"] = child
                elif "serve" in words:
                    found["server"] = child
        except psutil.Error:
            pass  # it ended while it was looked at
        return found

    @property
    def _supervisor(self) -> int:
        assert self._application.process is not None
        return self._application.process.pid

    def all_there(self) -> bool:
        """True while every part runs."""
        return len(self._children()) == 4

    def kill(self, target: str) -> bool:
        """Kill it; False if there is no such thing just now."""
        if target == "supervisor":
            os.kill(self._supervisor, signal.SIGKILL)
            assert self._application.process is not None
            self._application.process.wait()
            return True
        if target == "connections":
            return self._end_connections()
        try:
            found = self._children().get("server" if target == "quick process" else target)
            if found is not None and target == "quick process":
                found = next((child for child in found.children() if "spawn_main" in " ".join(child.cmdline())), None)
            if found is None:
                return False
            found.kill()
        except psutil.Error:
            return False
        return True

    def _end_connections(self) -> bool:
        url = running_url(self._application.data_dir)
        if url is None:
            return False
        try:
            with psycopg.connect(url, autocommit=True, connect_timeout=2) as connection:
                connection.execute(
                    "select pg_terminate_backend(pid) from pg_stat_activity where pid <> pg_backend_pid()"
                    " and backend_type = 'client backend'"
                )
        except psycopg.Error:
            return False
        return True

    def got_over(self, since: float) -> bool:
        """True when everything runs and answers, and all work under way has given a sign of life since that moment."""
        if not self.all_there() or not self._application.answers():
            return False
        url = running_url(self._application.data_dir)
        if url is None:
            return False
        try:
            with psycopg.connect(url, connect_timeout=2) as connection:
                silent = connection.execute(
                    "select count(*) from job where state = 'running' and sign_at < to_timestamp(%s)", (since,)
                ).fetchone()
        except psycopg.Error:
            return False
        return silent == (0,)


class _Scene:
    """Projects to work on, and what an undisturbed training gives."""

    def __init__(self, application: StartedApplication) -> None:
        self.application = application
        self.imports: int = self._project("Imports")
        self.labels: int = self._filled("Labels", 200, 5_000)
        self.training: int = self._filled("Training", 80, 9_000)
        application.ask("POST", f"/api/projects/{self.training}/splits", {"seed": 1})
        self.split: int = application.ask("GET", f"/api/projects/{self.training}/splits")[0]["id"]
        body = {"recipe": short_recipe(), "split_id": self.split}
        self.undisturbed: int = application.ask("POST", f"/api/projects/{self.training}/runs", body)["id"]
        application.wait_for_work()
        pictures = application.ask("GET", f"/api/projects/{self.labels}/pictures")["pictures"]
        self.pictures = {entry["id"]: entry["class_id"] for entry in pictures}
        self.classes = [entry["id"] for entry in application.ask("GET", f"/api/projects/{self.labels}/classes")]

    def _project(self, name: str) -> int:
        return int(self.application.ask("POST", "/api/projects", {"name": name})["id"])

    def _filled(self, name: str, count: int, first: int) -> int:
        project, upload = self._project(name), self.application.ask("POST", "/api/uploads")["id"]
        for n in range(count):
            data = drawn_picture(first + n)
            self.application.send_file(f"/api/uploads/{upload}/files", f"{'plate' if n % 2 else 'rime'}/{n}.png", data)
        self.application.ask("POST", f"/api/projects/{project}/uploads/{upload}/import", {"source_name": name})
        self.application.wait_for_work()
        return project


class _Account:
    """What is there in the end, held against what was acknowledged."""

    def __init__(self, scene: _Scene, importer: Importer, trainer: Trainer, labellers: Sequence[Labeller]) -> None:
        self._scene, self._importer, self._trainer, self._labellers = scene, importer, trainer, labellers
        self.lost, self.doubled, self.stuck = Counter[str](), Counter[str](), Counter[str]()

    def _ask(self, path: str) -> Any:
        return patiently(path, lambda: self._scene.application.ask("GET", path))

    def settle(self) -> None:
        """Go through everything."""
        self._imports()
        self._runs()
        self._labels()

    def _imports(self) -> None:
        project = f"/api/projects/{self._scene.imports}"
        found: list[str] = []
        after: int | None = 0
        while after is not None:
            page = self._ask(f"{project}/pictures?after={after}")
            found += [entry["sha256"] for entry in page["pictures"]]
            after = page["next"]
        self.lost["pictures"] = len(self._importer.contents - set(found))
        self.doubled["pictures"] = len(found) - len(set(found))
        for sha256 in found:
            url = f"http://127.0.0.1:{self._scene.application.port}/api/originals/{sha256}"
            with urllib.request.urlopen(url, timeout=30) as answer:
                self.lost["files"] += hashlib.sha256(answer.read()).hexdigest() != sha256
        steps = Counter(
            step["summary"] for step in self._ask(f"{project}/actions?limit=1000") if step["kind"] == "import"
        )
        self.doubled["imports"] = sum(count - 1 for count in steps.values())

    def _steps(self, project: str) -> list[Any]:
        found: list[Any] = []
        while part := self._ask(f"{project}/actions?limit=1000" + (f"&before={found[-1]['id']}" if found else "")):
            found += part
        return found

    def _figures(self, run_id: int) -> tuple[Any, ...]:
        run = self._ask(f"/api/runs/{run_id}")
        model = run["model"] or {}
        return self._ask(f"/api/runs/{run_id}/epochs"), run["validation"], model.get("epoch"), model.get("digest")

    def _runs(self) -> None:
        whole = self._figures(self._scene.undisturbed)
        runs = self._ask(f"/api/projects/{self._scene.training}/runs?limit=500")["runs"]
        for run in runs:
            self.stuck["runs"] += run["state"] != "ended"
            self.lost["runs"] += run["ended_by"] != "epochs" or self._figures(run["id"]) != whole
        known = {run["id"] for run in runs}
        self.lost["runs"] += len(set(self._trainer.runs) - known)

    def _labels(self) -> None:
        project = f"/api/projects/{self._scene.labels}"
        history = {step["id"] for step in self._steps(project)}
        steps = sorted((step for window in self._labellers for step in window.steps), key=lambda step: step.action)
        for window in self._labellers:
            self.lost["steps"] += len(window.acknowledged - history)
            for what in window.asked.unexplained:
                (self.doubled if "twice" in what else self.lost)[what] += 1
        expected = dict(self._scene.pictures)
        for step in steps:
            if step.stands:
                expected.update(dict.fromkeys(step.pictures, step.class_id))
        now = {entry["id"]: entry["class_id"] for entry in self._ask(f"{project}/pictures")["pictures"]}
        self.lost["labels"] = sum(now.get(picture) != label for picture, label in expected.items())


def _wait(what: Callable[[], bool], limit_s: float) -> float | None:
    """Seconds until it is so; None if it never is."""
    began = time.monotonic()
    while not what():
        if time.monotonic() - began > limit_s:
            return None
        time.sleep(_LOOK_EVERY_S)
    return time.monotonic() - began


def _disturb(
    application: StartedApplication, kills: int, seed: int, say: Callable[[str], None]
) -> tuple[Counter[str], list[float], int, int]:
    """Kill at random moments; what was killed, seconds until that was got over, how often it never was, own ends."""
    killer, drawn = _Killer(application), random.Random(seed)
    killed, recovered, stuck, ended = Counter[str](), list[float](), 0, 0
    order = [_TARGETS[n % len(_TARGETS)] for n in range(kills)]
    drawn.shuffle(order)
    while order:
        time.sleep(drawn.uniform(0.2, 3.0))
        if not application.runs():
            ended += 1
            application.launch()
        target, since = order.pop(), time.time()
        if not killer.kill(target):
            order.insert(0, target)  # it is not there just now: later
            if target == "quick process":
                _wake_quick(application)
            continue
        killed[target] += 1
        if not application.runs():
            application.launch()
        if order and drawn.random() < _TWICE:
            continue
        took = _wait(lambda since=since: killer.got_over(since), _LIMIT_S)  # type: ignore[misc]
        stuck += took is None
        recovered.append(_LIMIT_S if took is None else took)
        say(f"{killed.total()} of {kills}: {target}, {recovered[-1]:.1f} s")
    return killed, recovered, stuck, ended


def _wake_quick(application: StartedApplication) -> None:
    """Ask for a sheet, so that the quick process is there."""
    try:
        application.ask("POST", "/api/projects/2/sheets", {"picture_ids": [1], "side": 12, "columns": 1}, limit_s=5)
    except (OSError, ServiceError, ValueError):
        return


def _finish(application: StartedApplication, workers: Sequence[Worker]) -> tuple[int, int]:
    """Let all work end; jobs that do not, and jobs that ended by themselves in another way than well."""
    for worker in workers:
        worker.over.set()
    for worker in workers:
        worker.join(180)

    def over() -> bool:
        found = patiently("The tray", lambda: application.ask("GET", "/api/jobs"))
        return not any(job["state"] in ("waiting", "running") for job in found)

    stuck = 0
    if _wait(over, 240) is None:
        stuck = sum(job["state"] in ("waiting", "running") for job in application.ask("GET", "/api/jobs"))
    failed = [job for job in application.ask("GET", "/api/jobs") if job["state"] in ("failed", "stopped")]
    return stuck, len(failed)


def bench_chaos(
    kills: Annotated[int, typer.Option(min=1, help="How many times something is killed.")] = 60,
    seed: Annotated[int, typer.Option(help="Of what is killed, when, and of what goes on.")] = 1,
    as_json: AsJson = False,
) -> None:
    """Imports, trainings and two windows that label, while workers, server, connections and supervisor are killed."""
    words = console()
    with TemporaryDirectory() as place:
        Path(place).chmod(0o755)  # the database may run as another user
        with StartedApplication(Path(place) / "data") as application:
            words.print("Setting the scene")
            scene = _Scene(application)
            pictures = list(scene.pictures)
            importer = Importer(application, seed + 1, scene.imports)
            trainer = Trainer(application, seed + 2, scene.training, scene.split)
            labellers = [Labeller(application, seed + 3 + n, scene.labels, pictures, scene.classes) for n in range(2)]
            workers: list[Worker] = [importer, trainer, *labellers]
            for worker in workers:
                worker.start()
            killed, recovered, never, ended = _disturb(application, kills, seed, words.print)
            words.print("Letting all work end")
            stuck, failed = _finish(application, workers)
            account = _Account(scene, importer, trainer, labellers)
            account.settle()
    account.stuck.update(
        {"jobs": stuck, "kills": never, "clients": sum(worker.broke is not None for worker in workers)}
    )
    found = {
        "kills": killed.total(),
        "lost": account.lost.total(),
        "doubled": account.doubled.total(),
        "stuck": account.stuck.total(),
        "ended_by_itself": ended + failed,
        "recover_p95_s": round(statistics.quantiles(recovered, n=20)[-1] if len(recovered) > 1 else recovered[0], 2),
        "recover_median_s": round(statistics.median(recovered), 2),
        "what": {name: dict(+counts) for name, counts in
                 (("killed", killed), ("lost", account.lost), ("doubled", account.doubled), ("stuck", account.stuck))},
        "done": {"imports": len(importer.jobs), "pictures": len(importer.contents), "runs": len(trainer.runs),
                 "steps": sum(len(window.steps) for window in labellers)},
    }  # fmt: skip
    if as_json:
        print(json.dumps(found))
        return
    for name, value in found.items():
        print(f"{name}: {value}")
