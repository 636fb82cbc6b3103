"""`orchard bench crowd`: two hundred clients at once, beside eight, and how health answers meanwhile."""

import asyncio
import json
import statistics
import time
from collections import Counter
from dataclasses import dataclass, field
from multiprocessing import get_context
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

from vast_orchard.cli.started import StartedApplication
from vast_orchard.cli.terminal import AsJson, console
from vast_orchard.errors import ServiceError

__all__ = ["bench_crowd"]

_FEW, _MANY = 8, 200
_TURNS = 9
_TURN_S, _LONG_S = 5.0, 30.0
# So long a crowd comes in; what is answered a second is counted from then on.
_COMES_IN_S = 1.0
_LIMIT_S = 5.0  # an answer that takes longer is an error
_HEALTH_EVERY_S = 0.1


@dataclass
class _Heard:
    """What a crowd heard."""

    statuses: Counter[int] = field(default_factory=Counter)
    errors: Counter[str] = field(default_factory=Counter)
    worst_s: float = 0.0
    health_s: list[float] = field(default_factory=list)
    counted: int = 0  # answers with what was asked for, from when all were there until the end
    rate: float = 0.0  # of these, a second


class _Client:
    """One connection that asks and waits, over and over; an asked-for pause is made, as the page makes it."""

    def __init__(self, port: int, path: str) -> None:
        self._port = port
        self._request = f"GET {path} HTTP/1.1\r\nHost: 127.0.0.1:{port}\r\n\r\n".encode()
        self._streams: tuple[asyncio.StreamReader, asyncio.StreamWriter] | None = None

    async def ask(self) -> tuple[int, float]:
        """The status, and for how many seconds to stay away."""
        if self._streams is None:
            self._streams = await asyncio.open_connection("127.0.0.1", self._port)
        reader, writer = self._streams
        writer.write(self._request)
        head = (await reader.readuntil(b"\r\n\r\n")).decode("latin-1").lower()
        facts = dict(line.split(": ", 1) for line in head.split("\r\n")[1:] if ": " in line)
        await reader.readexactly(int(facts["content-length"]))
        return int(head.split()[1]), float(facts.get("retry-after", 0))

    def close(self) -> None:
        """Close the connection; the next question opens another."""
        if self._streams:
            self._streams[1].close()
        self._streams = None


async def _ask_on(client: _Client, counts_from: float, until: float, heard: _Heard) -> None:
    while time.monotonic() < until:
        began, pause = time.monotonic(), 0.0
        try:
            async with asyncio.timeout(_LIMIT_S):
                status, pause = await client.ask()
            heard.statuses[status] += 1
            heard.counted += status == 200 and counts_from < time.monotonic() < until
            if status not in (200, 503) or (status == 503 and not pause):
                heard.errors[f"status {status}"] += 1
        except (TimeoutError, OSError, asyncio.IncompleteReadError) as error:
            heard.errors[type(error).__name__] += 1
            client.close()
        heard.worst_s = max(heard.worst_s, time.monotonic() - began)
        await asyncio.sleep(pause)
    client.close()


async def _watch_health(port: int, until: float, heard: _Heard) -> None:
    client = _Client(port, "/api/health")
    while time.monotonic() < until:
        began = time.monotonic()
        try:
            async with asyncio.timeout(_LIMIT_S):
                status, _ = await client.ask()
            if status != 200:
                heard.errors[f"health {status}"] += 1
        except (TimeoutError, OSError, asyncio.IncompleteReadError) as error:
            heard.errors[f"health {type(error).__name__}"] += 1
            client.close()
        heard.health_s.append(time.monotonic() - began)
        await asyncio.sleep(_HEALTH_EVERY_S)
    client.close()


async def _crowd(port: int, path: str, clients: int, seconds: float) -> _Heard:
    heard, began = _Heard(), time.monotonic()
    async with asyncio.TaskGroup() as group:
        for _ in range(clients):
            group.create_task(_ask_on(_Client(port, path), began + _COMES_IN_S, began + seconds, heard))
        group.create_task(_watch_health(port, began + seconds, heard))
    heard.rate = heard.counted / (seconds - _COMES_IN_S)
    return heard


def _in_a_process(answer: Any, port: int, path: str) -> None:
    """All turns, in a process that does nothing else."""
    turns = []
    for _ in range(_TURNS):
        few = asyncio.run(_crowd(port, path, _FEW, _TURN_S))
        many = asyncio.run(_crowd(port, path, _MANY, _TURN_S))
        turns.append((few, many))
    answer.put((turns, asyncio.run(_crowd(port, path, _MANY, _LONG_S))))


def bench_crowd(
    as_json: AsJson = False,
) -> None:
    """Clients that read a field of 1,400 pictures without a pause, eight and two hundred in turns."""
    words = console()
    with TemporaryDirectory() as place, StartedApplication(Path(place) / "data", demo=True) as running:
        words.print("Bringing in the demo")
        running.wait_for_work()
        words.print(f"{_TURNS} turns of {_FEW} and {_MANY} clients, then {_LONG_S:.0f} s of {_MANY}")
        processes = get_context("spawn")
        answer = processes.Queue()
        path = "/api/projects/1/field?first=6000"
        process = processes.Process(target=_in_a_process, args=(answer, running.port, path))
        process.start()
        turns, long = answer.get()
        process.join()
        if process.exitcode:
            raise ServiceError(f"The clients ended with code {process.exitcode}.", "See their words above.")
    ratios = sorted(many.rate / few.rate for few, many in turns)
    errors: Counter[str] = Counter()
    for heard in (long, *(many for _, many in turns)):
        errors.update(heard.errors)
    first, middle, third = statistics.quantiles(ratios, n=4)
    found = {
        "errors": sum(errors.values()),
        "worst_s": round(long.worst_s, 3),
        "health_p95_ms": round(statistics.quantiles(long.health_s, n=20)[-1] * 1000, 1),
        "throughput_ratio_200_8": round(middle, 3),
        "throughput_ratio_quartiles": [round(first, 3), round(third, 3)],
        "kinds_of_errors": dict(errors),
        "answers_per_s_8": round(statistics.median(few.rate for few, _ in turns), 1),
        "answers_per_s_200": round(statistics.median(many.rate for _, many in turns), 1),
        "refused_share": round(long.statuses[503] / max(1, long.statuses.total()), 4),
    }
    if as_json:
        print(json.dumps(found))
        return
    for name, value in found.items():
        print(f"{name}: {value}")
