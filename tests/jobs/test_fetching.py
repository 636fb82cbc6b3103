"""A file from a web address: redirects looked at one by one, and an end to what does not end by itself."""

import asyncio
import socket
from collections.abc import AsyncIterator, Iterator
from typing import Any

import pytest
from starlette.applications import Starlette
from starlette.requests import Request
from starlette.responses import RedirectResponse, Response, StreamingResponse
from starlette.routing import Route
from starlette.testclient import TestClient

from tests.buckets import served_app
from tests.pictures import png
from vast_orchard.errors import OutgoingError, SettingError
from vast_orchard.jobs.telling.outgoing import allowed_hosts, fetch

_PICTURE = png(4)


async def _picture(_request: Request) -> Response:
    return Response(_PICTURE, media_type="image/png")


async def _led_on(request: Request) -> Response:
    return RedirectResponse(request.query_params["to"])


async def _led_round(_request: Request) -> Response:
    return RedirectResponse("/round")


async def _dripped() -> AsyncIterator[bytes]:
    while True:
        yield b"."
        await asyncio.sleep(0.05)


async def _poured() -> AsyncIterator[bytes]:
    while True:
        yield b"." * 4096
        await asyncio.sleep(0)  # nobody reads any more: the server hears of it here


async def _dripping(_request: Request) -> Response:
    return StreamingResponse(_dripped())


async def _pouring(_request: Request) -> Response:
    return StreamingResponse(_poured())


@pytest.fixture
def address() -> Iterator[str]:
    routes = [
        Route("/fern.png", _picture),
        Route("/on", _led_on),
        Route("/round", _led_round),
        Route("/drip", _dripping),
        Route("/pour", _pouring),
    ]
    with served_app(Starlette(routes=routes)) as found:
        yield found


@pytest.fixture
def allowed(address: str) -> frozenset[str]:
    return allowed_hosts(address.removeprefix("http://"))


def test_a_file_comes_as_it_lies_there_also_by_way_of_a_redirect(address: str, allowed: frozenset[str]) -> None:
    assert fetch(f"{address}/fern.png", allowed=allowed) == _PICTURE
    assert fetch(f"{address}/on?to=/fern.png", allowed=allowed) == _PICTURE
    assert fetch(f"{address}/on?to=/on?to=/fern.png", allowed=allowed) == _PICTURE


def test_a_redirect_leads_neither_inside_nor_elsewhere_nor_round(address: str, allowed: frozenset[str]) -> None:
    # The same server under another name of loopback, which nobody has listed.
    inside = address.replace("127.0.0.1", "localhost")
    with pytest.raises(OutgoingError, match="not a public address"):
        fetch(f"{address}/on?to={inside}/fern.png", allowed=allowed)
    with pytest.raises(SettingError, match="no address of http"):
        fetch(f"{address}/on?to=file:///etc/passwd", allowed=allowed)
    with pytest.raises(OutgoingError, match="leads on more than 4 times"):
        fetch(f"{address}/round", allowed=allowed)


def test_a_name_with_one_address_inside_is_refused(address: str, monkeypatch: pytest.MonkeyPatch) -> None:
    port = int(address.rpartition(":")[2])
    real = socket.getaddrinfo

    def both(host: str, *more: Any, **named: Any) -> Any:
        if host != "double.example":
            return real(host, *more, **named)
        return [*real("93.184.216.34", port, **named), *real("127.0.0.1", port, **named)]

    monkeypatch.setattr(socket, "getaddrinfo", both)
    with pytest.raises(OutgoingError, match=r"double\.example is 127\.0\.0\.1, which is not a public address"):
        fetch(f"http://double.example:{port}/fern.png")


def test_what_never_ends_is_given_up(address: str, allowed: frozenset[str]) -> None:
    with pytest.raises(OutgoingError, match=r"did not end its answer within"):
        fetch(f"{address}/drip", allowed=allowed, limit_s=0.5)
    with pytest.raises(OutgoingError, match="more than 100,000 bytes"):
        fetch(f"{address}/pour", allowed=allowed, limit_bytes=100_000)


def test_what_is_not_there_is_told_with_its_status(address: str, allowed: frozenset[str]) -> None:
    with pytest.raises(OutgoingError, match="answers with 404, not with a file"):
        fetch(f"{address}/gone.png", allowed=allowed)


def test_the_api_asks_no_host_inside(client: TestClient, address: str) -> None:
    answer = client.post("/api/web-pictures", json={"address": f"{address}/fern.png"})
    assert answer.status_code == 422
    assert "not a public address" in answer.json()["detail"]
    assert "VAST_ORCHARD_OUTGOING_ALLOWED" in answer.json()["mend"]
