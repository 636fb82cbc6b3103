"""The whole application as a person starts it, for tests that kill parts of it or look at its page."""

import os
import signal
import subprocess
import sys
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any, TypeVar

import httpx2

from vast_orchard.settings import PREFIX
from vast_orchard.supervision.postgres import free_port

__all__ = ["Running", "until"]

T = TypeVar("T")
_LIMIT_S = 90.0


def until(what: str, found: Callable[[], T | None], limit_s: float = _LIMIT_S) -> T:
    """Ask until the answer is neither None nor False; fails the test when that never happens."""
    deadline = time.monotonic() + limit_s
    while True:
        answer = found()
        if answer:
            return answer
        assert time.monotonic() < deadline, f"never: {what}"
        time.sleep(0.25)


class Running:
    """`orchard up` on a free port of loopback."""

    def __init__(self, data_dir: Path, *words: str, **settings: str) -> None:
        self.data_dir = data_dir
        self.port = free_port()
        self.address = f"http://127.0.0.1:{self.port}"
        self._output = data_dir.parent / f"{data_dir.name}-output.txt"
        self._words = words
        self.serving_port = free_port()
        self._settings = {PREFIX + name.upper(): value for name, value in settings.items()}
        self._settings.setdefault(PREFIX + "SERVING_PORT", str(self.serving_port))
        self.process = self._start()

    def _start(self) -> "subprocess.Popen[bytes]":
        self._said_before = len(self.said())
        with self._output.open("ab") as output:
            return subprocess.Popen(
                [
                    sys.executable, "-m", "vast_orchard.cli", "up", "--no-demo",
                    "--data", str(self.data_dir), "--port", str(self.port), *self._words,
                ],
                stdout=output, stderr=output,
                # Two heartbeats and a bit: a killed worker's job is taken over sooner than people need it.
                env={**os.environ, "VAST_ORCHARD_STALLED_AFTER_S": "5", **self._settings},
            )  # fmt: skip

    def said(self) -> str:
        """Everything it printed."""
        return self._output.read_text() if self._output.exists() else ""

    def wait_ready(self) -> None:
        """Until it printed its address."""

        def ready() -> bool:
            assert self.process.poll() is None, self.said()
            return "Vast Orchard is at" in self.said()[self._said_before :]

        until("the address is printed", ready)

    def start_again(self) -> None:
        """After it ended, however that was."""
        self.process = self._start()
        self.wait_ready()

    def stop(self) -> None:
        """As Ctrl-C does."""
        if self.process.poll() is None:
            self.process.send_signal(signal.SIGTERM)
            self.process.wait(60)

    def kill(self) -> None:
        """As a power cut does, but for the disk."""
        self.process.kill()
        self.process.wait()

    def offspring(self, name: str) -> set[int]:
        """Every process below one of its own, however deep."""
        parents = {}
        for place in Path("/proc").iterdir():
            if place.name.isdigit():
                try:
                    parents[int(place.name)] = int((place / "stat").read_text().rsplit(")", 1)[1].split()[1])
                except (OSError, IndexError, ValueError):
                    continue
        found = {self.children()[name]}
        while more := {pid for pid, parent in parents.items() if parent in found} - found:
            found |= more
        return found - {self.children()[name]}

    def children(self) -> dict[str, int]:
        """Process ids by what they are: postgres, data, train, serve."""
        found = {}
        for place in Path("/proc").iterdir():
            if not place.name.isdigit():
                continue
            try:
                words = (place / "cmdline").read_bytes().decode(errors="replace").split("\0")
                parent = int((place / "stat").read_text().rsplit(")", 1)[1].split()[1])
            except (OSError, IndexError, ValueError):
                continue
            if parent != self.process.pid:
                continue
            if words[0].endswith("postgres"):
                found["postgres"] = int(place.name)
            elif "worker" in words:
                found[words[words.index("--queue") + 1]] = int(place.name)
            elif "serve" in words:
                found["serve"] = int(place.name)
        return found

    def kill_child(self, name: str) -> None:
        """End one of its processes at once, and wait until another stands in its place."""
        before = until(f"{name} runs", lambda: self.children().get(name))
        os.kill(before, signal.SIGKILL)
        until(f"{name} runs again", lambda: self.children().get(name, before) != before)

    def ask(self, method: str, path: str, **more: Any) -> Any:
        """The JSON answer of the API; fails the test on a refusal."""
        answer = httpx2.request(method, self.address + path, headers={"X-Window": "test"}, timeout=30, **more)
        assert answer.status_code < 400, answer.text
        return answer.json() if answer.content else None

    def raw(self, path: str) -> bytes:
        """The bytes of an answer."""
        answer = httpx2.get(self.address + path, timeout=30)
        assert answer.status_code == 200, answer.text
        return answer.content

    def answers(self) -> bool:
        """True while API and database do."""
        try:
            return httpx2.get(self.address + "/api/health", timeout=5).status_code == 200
        except httpx2.HTTPError:
            return False

    def bring_in(self, name: str, archive: bytes) -> int:
        """A new project with the pictures of a zip; its id."""
        project: int = self.ask("POST", "/api/projects", json={"name": name})["id"]
        self.bring_in_more(project, archive)
        return project

    def bring_in_more(self, project: int, archive: bytes) -> None:
        """The pictures of a zip into a project that is there."""
        upload = self.ask("POST", "/api/uploads")["id"]
        self.ask("PUT", f"/api/uploads/{upload}/files", data={"path": "in.zip"}, files={"file": ("file", archive)})
        job = self.ask("POST", f"/api/projects/{project}/uploads/{upload}/import", json={"source_name": "in.zip"})
        self.wait_job(job["id"])

    def job(self, job_id: int) -> Any:
        """A job of the tray."""
        return next(entry for entry in self.ask("GET", "/api/jobs") if entry["id"] == job_id)

    def wait_job(self, job_id: int) -> Any:
        """Until it ended, which must be well."""
        until("the job ends", lambda: self.job(job_id)["state"] not in ("waiting", "running"))
        ended = self.job(job_id)
        assert ended["state"] == "done", ended["error"]
        return ended
