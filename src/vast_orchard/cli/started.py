"""The whole application as a process of its own, for measurements that treat it as a person or a program would."""

import json
import os
import signal
import subprocess
import sys
import time
import urllib.error
import urllib.request
import uuid
from collections.abc import Mapping
from pathlib import Path
from types import TracebackType
from typing import Any

from vast_orchard.errors import ServiceError
from vast_orchard.settings import PREFIX
from vast_orchard.supervision.postgres import free_port

__all__ = ["StartedApplication"]

_READY_S = 120.0
_WORK_S = 600.0
_STOP_S = 60.0


class StartedApplication:
    """`orchard up` on a data folder and a free port, from entering to leaving."""

    def __init__(self, data_dir: Path, *, demo: bool = False, settings: Mapping[str, str] | None = None) -> None:
        self.data_dir, self.port = data_dir, free_port()
        self._demo = demo
        self._environment = {**os.environ, **{PREFIX + key.upper(): value for key, value in (settings or {}).items()}}
        self._output = data_dir.parent / f"{data_dir.name}.txt"
        self.process: subprocess.Popen[bytes] | None = None

    def __enter__(self) -> "StartedApplication":
        self.start()
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self.stop()

    def start(self) -> None:
        """Start it, and wait until it says where it is, which it does when all is made.

        Raises
        ------
        ServiceError
            It ends by itself, or does not answer in time.
        """
        before = len(self.said())
        self.launch()
        deadline = time.monotonic() + _READY_S
        while "Vast Orchard is at" not in self.said()[before:]:
            if not self.runs() or time.monotonic() > deadline:
                raise ServiceError(f"The application does not start: {self.said()[-600:]}", "See its logs.")
            time.sleep(0.2)

    def launch(self) -> None:
        """Start it without waiting."""
        words = ["up", "--data", str(self.data_dir), "--port", str(self.port)]
        with self._output.open("ab") as output:
            self.process = subprocess.Popen(
                [sys.executable, "-m", "vast_orchard.cli", *words, *([] if self._demo else ["--no-demo"])],
                stdin=subprocess.DEVNULL,
                stdout=output,
                stderr=output,
                env=self._environment,
            )

    def said(self) -> str:
        """Everything it printed."""
        return self._output.read_text(errors="replace") if self._output.exists() else ""

    def runs(self) -> bool:
        """True while its supervisor lives."""
        return self.process is not None and self.process.poll() is None

    def answers(self) -> bool:
        """True if the page's server and the database do."""
        try:
            self.ask("GET", "/api/health", limit_s=2)
        except (OSError, ServiceError):
            return False
        return True

    def ask(self, method: str, path: str, body: Any = None, *, window: str = "bench", limit_s: float = 30.0) -> Any:
        """The answer as JSON, None if it is empty.

        Raises
        ------
        ServiceError
            A refusal; its text is in the message.
        OSError
            No answer.
        """
        headers = {"X-Window": window, "Content-Type": "application/json"}
        data = None if body is None else json.dumps(body).encode()
        return self._send(urllib.request.Request(self._url(path), data, headers, method=method), limit_s)

    def send_file(self, path: str, name: str, data: bytes, *, window: str = "bench") -> None:
        """Put one file into an upload."""
        edge = uuid.uuid4().hex
        body = (
            f'--{edge}\r\nContent-Disposition: form-data; name="path"\r\n\r\n{name}\r\n'
            f'--{edge}\r\nContent-Disposition: form-data; name="file"; filename="file"\r\n'
            "Content-Type: application/octet-stream\r\n\r\n"
        ).encode()
        headers = {"X-Window": window, "Content-Type": f"multipart/form-data; boundary={edge}"}
        body = body + data + f"\r\n--{edge}--\r\n".encode()
        self._send(urllib.request.Request(self._url(path), body, headers, method="PUT"), 30.0)

    def _url(self, path: str) -> str:
        return f"http://127.0.0.1:{self.port}{path}"

    def _send(self, request: urllib.request.Request, limit_s: float) -> Any:
        try:
            with urllib.request.urlopen(request, timeout=limit_s) as answer:
                data = answer.read()
        except urllib.error.HTTPError as error:
            text = error.read(2000).decode(errors="replace")
            raise ServiceError(f"{request.method} {request.selector}: {error.code} {text}") from error
        return json.loads(data) if data else None

    def wait_for_work(self) -> None:
        """Until no job waits or runs."""
        deadline = time.monotonic() + _WORK_S
        while any(job["state"] in ("waiting", "running") for job in self.ask("GET", "/api/jobs")):
            if time.monotonic() > deadline:
                raise ServiceError("The work does not end.", "See the workers' logs.")
            time.sleep(0.3)

    def stop(self) -> None:
        """As Ctrl-C does."""
        if self.process is not None and self.process.poll() is None:
            self.process.send_signal(signal.SIGTERM)
            try:
                self.process.wait(_STOP_S)
            except subprocess.TimeoutExpired:
                self.process.kill()
                self.process.wait()
