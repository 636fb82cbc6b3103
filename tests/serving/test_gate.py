"""What a request meets first: who is unknown is not read, bodies that never end, a database that is away."""

import asyncio
import ssl
import threading
from collections.abc import Iterator
from http.server import BaseHTTPRequestHandler, HTTPServer
from pathlib import Path
from types import SimpleNamespace

import pytest
import sqlalchemy as sa
from starlette.testclient import TestClient
from starlette.types import Message, Receive, Scope, Send

from tests.pictures import png
from tests.running import until
from tests.serving.conftest import Served
from vast_orchard.at_once.served_figures import read_figures
from vast_orchard.errors import DatabaseGoneError
from vast_orchard.serving.figures import Figures
from vast_orchard.serving.gate import Gate

_HERE = Path(__file__).parent


class _Doorkeeper:
    """Lets everybody in, or has lost the database."""

    inner = "of the application itself"

    def __init__(self, *, away: bool = False) -> None:
        self._away = away

    async def token(self, _secret: str) -> str:
        if self._away:
            raise DatabaseGoneError("The database does not answer.", "Try again.")
        return "somebody"


def _status(
    path: str, messages: list[Message], doorkeeper: _Doorkeeper, taken: list[bytes]
) -> tuple[int, dict[bytes, bytes]]:
    """What the gate answers to a body in parts; after the last one nothing comes any more."""

    async def inner(scope: Scope, receive: Receive, send: Send) -> None:
        if scope["path"].startswith("/models"):
            taken.append((await receive())["body"])
        await send({"type": "http.response.start", "status": 200, "headers": []})
        await send({"type": "http.response.body", "body": b""})

    sent: list[Message] = []

    async def receive() -> Message:
        if messages:
            return messages.pop(0)
        await asyncio.Event().wait()
        raise AssertionError

    async def send(message: Message) -> None:
        sent.append(message)

    state = SimpleNamespace(doorkeeper=doorkeeper, serving=SimpleNamespace(figures=Figures()))
    headers = [(b"authorization", b"Bearer x")]
    scope = {"type": "http", "path": path, "headers": headers, "app": SimpleNamespace(state=state)}
    asyncio.run(Gate(inner, most_bytes=100, slowest_s=0.05)(scope, receive, send))
    return (sent[0]["status"], dict(sent[0]["headers"])) if sent else (0, {})


def _part(body: bytes, *, more: bool = True) -> Message:
    return {"type": "http.request", "body": body, "more_body": more}


def test_a_body_is_whole_or_its_request_is_refused() -> None:
    taken: list[bytes] = []
    whole = _status("/models/a/predict", [_part(b"one "), _part(b"two", more=False)], _Doorkeeper(), taken)
    assert (whole[0], taken) == (200, [b"one two"])
    assert _status("/models/a/predict", [_part(b"one ")], _Doorkeeper(), taken)[0] == 408
    assert _status("/models/a/predict", [_part(b"x" * 60), _part(b"x" * 60)], _Doorkeeper(), taken)[0] == 413
    # Who left in the middle is answered nothing.
    left: Message = {"type": "http.disconnect"}
    assert _status("/models/a/predict", [_part(b"one "), left], _Doorkeeper(), taken)[0] == 0
    assert taken == [b"one two"]


def test_of_somebody_unknown_nothing_is_read() -> None:
    for path in ("/v2/health/live", "/visit/a"):
        messages = [_part(b"x" * 90) for _ in range(5)]
        assert _status(path, messages, _Doorkeeper(), [])[0] == 200
        assert len(messages) == 5


def test_while_the_database_is_away_one_is_asked_to_come_again() -> None:
    status, headers = _status("/models/a/predict", [_part(b"", more=False)], _Doorkeeper(away=True), [])
    assert (status, headers[b"retry-after"]) == (503, b"1")


def test_a_database_that_is_started_again_costs_no_model(served: Served, asking: TestClient) -> None:
    token = served.token()

    def ask() -> int:
        headers = {"Content-Type": "image/png", **token}
        return asking.post("/models/ridge-station/predict", content=png(1), headers=headers).status_code

    assert ask() == 200
    with served.world.context.database.engine.begin() as connection:
        connection.execute(
            sa.text(
                "select pg_terminate_backend(pid) from pg_stat_activity"
                " where datname = current_database() and pid <> pg_backend_pid()"
            )
        )
    until("it answers again", lambda: ask() == 200)
    assert asking.get("/v2/models/ridge-station/ready", headers=token).status_code == 200


@pytest.fixture
def secured() -> Iterator[str]:
    """An address with figures behind a certificate of this folder."""

    class Answer(BaseHTTPRequestHandler):
        def do_GET(self) -> None:
            self.send_response(200 if self.headers["Authorization"] == "Bearer inner" else 401)
            self.end_headers()
            self.wfile.write(b"orchard_pictures_total 3.0\n")

        def log_message(self, *_: object) -> None:
            """Nothing."""

    server = HTTPServer(("127.0.0.1", 0), Answer)
    context = ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER)
    context.load_cert_chain(_HERE / "certificate.pem", _HERE / "certificate-key.pem")
    server.socket = context.wrap_socket(server.socket, server_side=True)
    threading.Thread(target=server.serve_forever, daemon=True).start()
    yield f"https://127.0.0.1:{server.server_port}"
    server.shutdown()
    server.server_close()


def test_figures_are_read_from_the_one_certificate_that_was_set(secured: str) -> None:
    assert read_figures(secured, "inner", str(_HERE / "certificate.pem")) == "orchard_pictures_total 3.0\n"
    assert read_figures(secured, "other", str(_HERE / "certificate.pem")) is None
    assert read_figures(secured, "inner", str(_HERE / "other-certificate.pem")) is None
    assert read_figures(secured, "inner", str(_HERE / "nothing.pem")) is None
