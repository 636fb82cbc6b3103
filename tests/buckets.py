"""Stand-ins of services outside, served for as long as a test needs them."""

import socket
import threading
from collections.abc import Iterator
from contextlib import AbstractContextManager, contextmanager

import uvicorn
from starlette.applications import Starlette

from vast_orchard.demo.bucket import StandIn, stand_in_app

__all__ = ["served", "served_app"]


def served(stand_in: StandIn) -> AbstractContextManager[str]:
    """The bucket's stand-in on a free port of loopback."""
    return served_app(stand_in_app(stand_in))


@contextmanager
def served_app(app: Starlette) -> Iterator[str]:
    """Any stand-in on a free port of loopback."""
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        port = probe.getsockname()[1]
    server = uvicorn.Server(uvicorn.Config(app, host="127.0.0.1", port=port, log_level="error"))
    thread = threading.Thread(target=server.run)
    thread.start()
    try:
        while not server.started:
            thread.join(0.02)
            assert thread.is_alive(), "the stand-in did not start"
        yield f"http://127.0.0.1:{port}"
    finally:
        server.should_exit = True
        thread.join()
