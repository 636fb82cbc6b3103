"""The API in a process of its own, and a client of it, for measuring what an answer takes."""

import json
import os
import subprocess
import sys
import time
from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from http.client import HTTPConnection, HTTPException
from urllib.parse import urlencode

from vast_orchard.errors import ServiceError
from vast_orchard.settings import PREFIX, Settings
from vast_orchard.supervision.postgres import free_port

__all__ = ["ApiClient", "served_api"]


class ApiClient:
    """One kept connection to the API."""

    def __init__(self, port: int) -> None:
        self.address = f"http://127.0.0.1:{port}"
        self.connection = HTTPConnection("127.0.0.1", port, timeout=120)

    def seconds(
        self, path: str, query: Mapping[str, object] | None = None, body: object = None, *, method: str = ""
    ) -> float:
        """From asking to having the whole answer; by default GET, or POST of a body."""
        sent = None if body is None else json.dumps(body)
        began = time.perf_counter()
        self.connection.request(
            method or ("GET" if body is None else "POST"),
            path + ("?" + urlencode(query) if query else ""),
            sent,
            {"X-Window": "bench", "Content-Type": "application/json"},
        )
        answer = self.connection.getresponse()
        data = answer.read()
        spent = time.perf_counter() - began
        if answer.status >= 400:
            raise ServiceError(f"The API answered {answer.status}: {data[:300]!r}", "See above.")
        return spent


@contextmanager
def served_api(settings: Settings) -> Iterator[tuple[ApiClient, int]]:
    """The API in a process of its own, as the supervisor starts it; a client of it, and the process's id."""
    port = free_port()
    variables = {
        PREFIX + "DATA_DIR": str(settings.data_dir),
        PREFIX + "DATABASE_URL": settings.database_url,
        PREFIX + "PORT": str(port),
    }
    process = subprocess.Popen(
        [sys.executable, "-m", "vast_orchard.cli", "serve"],
        env={**os.environ, **variables},
        stdout=subprocess.DEVNULL,
        stderr=subprocess.DEVNULL,
    )
    client = ApiClient(port)
    try:
        for _ in range(300):
            try:
                client.seconds("/api/health")
                break
            except (OSError, HTTPException):
                client.connection.close()
                time.sleep(0.1)
        yield client, process.pid
    finally:
        client.connection.close()
        process.terminate()
        process.wait()
