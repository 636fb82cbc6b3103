"""What goes on while `orchard bench chaos` kills: imports, trainings, and windows that label and take back.

Each keeps a record of what was acknowledged to it, and settles what it asked for without an answer by the history.
"""

import hashlib
import io
import random
import threading
import time
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from http.client import HTTPException
from typing import Any

import numpy as np
from PIL import Image

from vast_orchard.at_once.catalogue import default_recipe
from vast_orchard.cli.started import StartedApplication
from vast_orchard.errors import ServiceError

__all__ = ["Importer", "Labeller", "Trainer", "Worker", "drawn_picture", "patiently", "short_recipe"]

# What a client meets while something is killed.
LOST_TOUCH = (OSError, ServiceError, HTTPException, ValueError)
_PATIENCE_S = 120.0
_PAUSE_S = 0.3


def drawn_picture(number: int) -> bytes:
    """A PNG of noise that no other number has."""
    pixels = np.random.default_rng(number).integers(0, 256, (40, 40, 3), dtype=np.uint8)
    out = io.BytesIO()
    Image.fromarray(pixels).save(out, "PNG")
    return out.getvalue()


def short_recipe() -> dict[str, Any]:
    """A training of some seconds."""
    recipe = default_recipe()
    recipe["network"] = "plain 4"
    recipe["preprocessing"]["size"] = 16
    recipe["settings"].update(epochs=60, seed=1, batch_size=16)
    return recipe


def patiently(what: str, ask: Callable[[], Any]) -> Any:
    """Ask for something that changes nothing until there is an answer.

    Raises
    ------
    ServiceError
        There is none for two minutes.
    """
    deadline = time.monotonic() + _PATIENCE_S
    while True:
        try:
            return ask()
        except LOST_TOUCH as error:
            if time.monotonic() > deadline:
                raise ServiceError(f"{what} is not answered any more ({error}).", "See the logs.") from error
        time.sleep(_PAUSE_S)


class Worker(threading.Thread):
    """Something that goes on until it is told to end."""

    def __init__(self, application: StartedApplication, seed: int) -> None:
        super().__init__(daemon=True)
        self.application, self.random = application, random.Random(seed)
        self.over = threading.Event()
        self.broke: str | None = None

    def run(self) -> None:
        """One piece of work after the other."""
        try:
            while not self.over.is_set():
                self.step()
        except ServiceError as error:
            self.broke = str(error)

    def step(self) -> None:
        """One piece of work."""
        raise NotImplementedError


class Importer(Worker):
    """Brings new pictures in, some of them twice."""

    def __init__(self, application: StartedApplication, seed: int, project: int) -> None:
        super().__init__(application, seed)
        self._project, self._first = project, seed * 1_000_000
        self.contents: set[str] = set()  # of imports that were acknowledged
        self.jobs: list[int] = []

    def step(self) -> None:
        """One upload, and its import."""
        numbers = range(self._first, self._first + self.random.randint(20, 60))
        self._first = numbers.stop
        pictures = [drawn_picture(number) for number in numbers]
        application = self.application
        try:
            upload = application.ask("POST", "/api/uploads")["id"]
            for n, data in enumerate([*pictures, pictures[0]]):
                application.send_file(f"/api/uploads/{upload}/files", f"{'plate' if n % 2 else 'rime'}/{n}.png", data)
            job = application.ask(
                "POST", f"/api/projects/{self._project}/uploads/{upload}/import", {"source_name": upload}
            )
        except LOST_TOUCH:
            # Not acknowledged: begun anew with the same pictures, so that it does no harm if it was taken all the same.
            self._first = numbers.start
            time.sleep(_PAUSE_S)
            return
        self.contents |= {hashlib.sha256(data).hexdigest() for data in pictures}
        self.jobs.append(job["id"])
        while not self.over.is_set():
            found = patiently("The tray", lambda: application.ask("GET", "/api/jobs"))
            if not any(entry["id"] == job["id"] and entry["state"] in ("waiting", "running") for entry in found):
                return
            time.sleep(_PAUSE_S)


class Trainer(Worker):
    """Trains the same thing again and again."""

    def __init__(self, application: StartedApplication, seed: int, project: int, split: int) -> None:
        super().__init__(application, seed)
        self._project, self._split = project, split
        self.runs: list[int] = []

    def step(self) -> None:
        """One training, to its end."""
        body = {"recipe": short_recipe(), "split_id": self._split}
        try:
            run = self.application.ask("POST", f"/api/projects/{self._project}/runs", body)["id"]
        except LOST_TOUCH:
            time.sleep(_PAUSE_S)
            return
        self.runs.append(run)
        while not self.over.is_set():
            found = patiently("The run", lambda: self.application.ask("GET", f"/api/runs/{run}"))
            if found["state"] == "ended":
                return
            time.sleep(_PAUSE_S)


@dataclass
class _Step:
    """A label that was given."""

    action: int
    pictures: Sequence[int]
    class_id: int | None
    stands: bool = True


@dataclass
class _Asked:
    """What the labeller is at."""

    summary: str = ""
    known: int = 0  # the newest action of this window that it knows
    unexplained: list[str] = field(default_factory=list)


class Labeller(Worker):
    """A window that labels pictures and takes some of it back."""

    def __init__(
        self, application: StartedApplication, seed: int, project: int, pictures: Sequence[int], classes: Sequence[int]
    ) -> None:
        super().__init__(application, seed)
        self._project, self._pictures, self._classes = project, pictures, classes
        self.window = f"chaos-{seed}"
        self.steps: list[_Step] = []
        self.acknowledged: set[int] = set()
        self.asked = _Asked()

    def step(self) -> None:
        """One label, or one taking back."""
        path = f"/api/projects/{self._project}"
        if self.random.random() < 0.3 and any(step.stands for step in self.steps):
            self._settle(self._try(f"{path}/undo", None), None)
        else:
            chosen = sorted(self.random.sample(self._pictures, self.random.randint(1, 6)))
            label = self.random.choice([*self._classes, None])
            answer = self._try(f"{path}/labels", {"picture_ids": chosen, "class_id": label})
            if answer:
                self.acknowledged.add(answer["id"])
            self._settle(answer, _Step(0, chosen, label))
        time.sleep(self.random.uniform(0.02, 0.2))

    def _try(self, path: str, body: Any) -> Any:
        try:
            return self.application.ask("POST", path, body, window=self.window)
        except LOST_TOUCH:
            return None

    def _settle(self, answer: Any, asked: _Step | None) -> None:
        """Read from the history what became of what was asked for, also where the answer was lost."""
        path = f"/api/projects/{self._project}/actions?limit=400"
        newest = patiently("The history", lambda: self.application.ask("GET", path))
        mine = [entry for entry in newest if entry["window"] == self.window and entry["id"] > self.asked.known]
        if not mine:
            if answer is not None:
                self.asked.unexplained.append("an acknowledged step is not in the history")
            return
        self.asked.known = mine[0]["id"]
        self.asked.unexplained += ["a step was done twice"] * (len(mine) - 1)
        if asked is not None:
            asked.action = mine[0]["id"]
            self.steps.append(asked)
            return
        undone = next((step for step in self.steps if step.action == mine[0]["undoes"]), None)
        if undone is None:
            self.asked.unexplained.append("something else was taken back")
        else:
            undone.stands = False
