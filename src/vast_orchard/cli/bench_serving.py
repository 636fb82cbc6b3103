"""`orchard bench serving`: what serving takes of a processor beside a loop, how soon it answers, what batches gain."""

import io
import json
import os
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager
from http.client import HTTPConnection
from multiprocessing import get_context
from pathlib import Path
from typing import Annotated, Any

import psutil
import typer
from PIL import Image

from vast_orchard.cli.started import StartedApplication
from vast_orchard.cli.terminal import AsJson, console
from vast_orchard.demo.write import PICTURES_FOLDER, write_collection
from vast_orchard.errors import ServiceError
from vast_orchard.settings import PREFIX, Settings
from vast_orchard.store.bytes import byte_store
from vast_orchard.store.database import Database
from vast_orchard.store.serving import list_served, make_token
from vast_orchard.supervision.postgres import free_port, running_url

__all__ = ["bench_serving"]

_CLIENTS, _TURNS, _TURN_S, _FILES, _SIDE = 16, 9, 4.0, 200, 96
_READY_S = 60.0


def bench_serving(
    as_json: AsJson = False,
    turn: Annotated[float, typer.Option(help="Seconds of each of the nine turns.")] = _TURN_S,
) -> None:
    """Serve a run of the demo, asked by sixteen clients in turns with a loop and with pictures that go alone."""
    words = console()
    with tempfile.TemporaryDirectory() as place:
        files = _files(Path(place))
        data = Path(place) / "data"
        with StartedApplication(data, demo=True, settings={"serving_port": "0"}) as running:
            words.print("Training one epoch on the demo")
            running.wait_for_work()
            recipe = running.ask("GET", "/api/recipe?pictures=1000")
            recipe["settings"]["epochs"] = 1
            run = running.ask("POST", "/api/projects/1/runs", {"recipe": recipe})["id"]
            running.wait_for_work()
            model = running.ask("GET", f"/api/runs/{run}")["model"]["id"]
            offer = running.ask("POST", f"/api/models/{model}/offers", {"name": "Bench"})["id"]
            running.ask("PATCH", f"/api/offers/{offer}", {"state": "in_use"})
            url = running_url(data)
            if url is None:
                raise ServiceError("The database is not there.", "See the logs.")
            secret = _token(url)
            with _served(data, url) as batched, _served(data, url, serving_batch=1) as alone:
                words.print(f"{_TURNS} turns of {_CLIENTS} clients, of a loop, and of clients that are not batched")
                found = _measured(files, secret, batched, alone, _model_path(url), data, turn)
    if as_json:
        print(json.dumps(found))
        return
    for name, value in found.items():
        print(f"{name}: {value}")


def _files(place: Path) -> list[bytes]:
    """JPEG files of 96 pixels, drawn with a seed that nothing else uses."""
    write_collection(place / "drawn", _FILES, 7203)
    files = []
    for path in sorted((place / "drawn" / PICTURES_FOLDER).rglob("*.*")):
        if path.suffix.lower() not in (".jpg", ".png"):
            continue
        buffer = io.BytesIO()
        try:
            with Image.open(path) as image:
                image.convert("RGB").resize((_SIDE, _SIDE)).save(buffer, "JPEG", quality=90)
        except OSError:
            continue  # one of the broken files that are planted
        files.append(buffer.getvalue())
    return files[:_FILES]


def _token(url: str) -> str:
    database = Database(url)
    with database.session() as session:
        _, secret = make_token(session, "Bench")
    database.close()
    return secret


def _model_path(url: str) -> str:
    database = Database(url)
    with database.session() as session:
        (served,) = list_served(session)
    database.close()
    return served.path


class _Server:
    def __init__(self, port: int, process: "subprocess.Popen[bytes]") -> None:
        self.port, self.process = port, psutil.Process(process.pid)

    def processor_s(self) -> float:
        spent = self.process.cpu_times()
        return float(spent.user + spent.system)

    def memory_mb(self) -> float:
        return float(self.process.memory_info().rss) / 1e6


@contextmanager
def _served(data: Path, url: str, **settings: int) -> Iterator[_Server]:
    port = free_port()
    variables = {"DATA_DIR": str(data), "DATABASE_URL": url, "SERVING_PORT": str(port)}
    variables |= {name.upper(): str(value) for name, value in settings.items()}
    process = subprocess.Popen(
        [sys.executable, "-m", "vast_orchard.cli", "serve-models"],
        env={**os.environ, **{PREFIX + name: value for name, value in variables.items()}},
        stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL,
    )  # fmt: skip
    try:
        deadline = time.monotonic() + _READY_S
        while not _is_ready(port):
            if time.monotonic() > deadline or process.poll() is not None:
                raise ServiceError("The models' server does not start.", "Try orchard serve-models.")
            time.sleep(0.1)
        yield _Server(port, process)
    finally:
        process.terminate()
        process.wait(20)


def _is_ready(port: int) -> bool:
    try:
        connection = HTTPConnection("127.0.0.1", port, timeout=2)
        connection.request("GET", "/v2/health/ready")
        return connection.getresponse().status == 200
    except OSError:
        return False


def _asked(port: int, secret: str, files: Sequence[bytes], seconds: float, pace: float | None) -> list[float]:
    """Seconds of each answer that one client got; with a pace it asks so often, else as soon as it has an answer."""
    connection = HTTPConnection("127.0.0.1", port, timeout=30)
    headers = {"Authorization": f"Bearer {secret}", "Content-Type": "image/jpeg"}
    taken: list[float] = []
    began = time.perf_counter()
    while (now := time.perf_counter()) - began < seconds:
        if pace is not None:
            planned = began + len(taken) / pace
            if planned > now:
                time.sleep(planned - now)
        start = time.perf_counter()
        connection.request("POST", "/models/bench/predict", files[len(taken) % len(files)], headers)
        answer = connection.getresponse()
        answer.read()
        if answer.status != 200:
            raise ServiceError(f"A client was answered {answer.status}.", "See the server's log.")
        taken.append(time.perf_counter() - start)
    return taken


def _clients(answer: Any, port: int, secret: str, files: list[bytes], seconds: float, pace: float | None) -> None:
    """All clients, in a process that is not the bench's."""
    with ThreadPoolExecutor(_CLIENTS) as threads:
        each = None if pace is None else pace / _CLIENTS
        work = [threads.submit(_asked, port, secret, files[n:] + files[:n], seconds, each) for n in range(_CLIENTS)]
        answer.put([one for thread in work for one in thread.result()])


def _by_clients(port: int, secret: str, files: list[bytes], seconds: float, pace: float | None = None) -> list[float]:
    processes = get_context("spawn")
    answer = processes.Queue()
    process = processes.Process(target=_clients, args=(answer, port, secret, files, seconds, pace))
    process.start()
    taken: list[float] = answer.get()
    process.join()
    return taken


def _loop(answer: Any, path: str, data: Path, files: Sequence[bytes], seconds: float) -> None:
    """Decodes and answers one file after the other with a network that stands ready; pictures a processor-second."""
    from vast_orchard.core.team import Team
    from vast_orchard.formats.model_file import read_model
    from vast_orchard.formats.picture_file import PictureLimits
    from vast_orchard.serving.answering import Prepared

    store = byte_store(Settings(data_dir=data))
    prepared, limits = Prepared(read_model(store.read(path)), 1.0, Team(1)), PictureLimits()

    def answer_for(place: int) -> None:
        pixels = prepared.see(files[place % len(files)], limits).pixels
        assert pixels is not None
        prepared.probabilities(pixels[None])

    for place in range(5):
        answer_for(place)
    count, began, spent = 0, time.perf_counter(), time.process_time()
    while time.perf_counter() - began < seconds:
        answer_for(count)
        count += 1
    answer.put(count / (time.process_time() - spent))


def _by_loop(path: str, data: Path, files: Sequence[bytes], seconds: float) -> float:
    processes = get_context("spawn")
    answer = processes.Queue()
    process = processes.Process(target=_loop, args=(answer, path, data, files, seconds))
    process.start()
    found: float = answer.get()
    process.join()
    return found


def _measured(
    files: list[bytes], secret: str, batched: _Server, alone: _Server, path: str, data: Path, turn: float
) -> dict[str, Any]:
    ratios, gains, rates, memory = [], [], [], []
    _by_clients(batched.port, secret, files, 1.0)
    _by_clients(alone.port, secret, files, 1.0)
    for _ in range(_TURNS):
        before = batched.processor_s()
        together = _by_clients(batched.port, secret, files, turn)
        of_serving = len(together) / (batched.processor_s() - before)
        memory.append(batched.memory_mb())
        ratios.append(of_serving / _by_loop(path, data, files, turn / 2))
        rates.append(len(together) / turn)
        gains.append(len(together) / max(1, len(_by_clients(alone.port, secret, files, turn))))
    pace = statistics.median(rates) / 2
    late = sorted(_by_clients(batched.port, secret, files, 2 * turn, pace))
    lower, efficiency, upper = statistics.quantiles(ratios, n=4)
    lower_gain, gain, _ = statistics.quantiles(gains, n=4)
    return {
        "serve_efficiency": round(efficiency, 3),
        "serve_efficiency_quartiles": [round(lower, 3), round(upper, 3)],
        "serve_p95_ms": round(1000 * late[int(0.95 * len(late))], 1),
        "serve_batch_gain": round(gain, 3),
        "serve_batch_gain_lower_quartile": round(lower_gain, 3),
        "serve_memory_mb": round(max(memory), 1),
        "pictures_per_s": round(statistics.median(rates), 1),
    }
