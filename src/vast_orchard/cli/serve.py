"""`orchard up`, `worker`, `serve`, `openapi`: the processes of the application."""

import json
import os
import sys
from pathlib import Path
from typing import Annotated

import typer

from vast_orchard.api.app import create_app
from vast_orchard.api.page import page_folder
from vast_orchard.errors import SettingError
from vast_orchard.settings import Settings, read_settings

__all__ = ["openapi", "serve", "serve_models", "up", "worker"]

_MOST_SERVING = 16


def up(
    port: Annotated[int | None, typer.Option(help="Port of the page.")] = None,
    data: Annotated[Path, typer.Option(help="Folder that holds everything.")] = Path("data"),
    demo: Annotated[bool, typer.Option(help="Make the demo project on first start.")] = True,
) -> None:
    """Start the database, the workers and the page, and watch over them until Ctrl-C."""
    from vast_orchard.supervision.supervisor import supervise

    settings = read_settings(port=port, data_dir=data.absolute())
    sys.exit(supervise(settings, page=page_folder(), demo=demo))


def worker(queue: Annotated[str, typer.Option(help="data or train.")] = "data") -> None:
    """Take jobs of one queue; any number of these may run, on any machine that reaches database and bytes."""
    from vast_orchard.jobs.queue import QUEUES
    from vast_orchard.jobs.worker import run_worker

    if queue not in QUEUES.values():
        raise SettingError(
            f"There is no queue named {queue!r}.", f"Choose one of {', '.join(sorted(set(QUEUES.values())))}."
        )
    os.umask(0o077)  # what it stores is its owner's alone
    run_worker(read_settings(), queue)


def serve() -> None:
    """The API and the page alone; database and workers are someone else's."""
    import uvicorn

    os.umask(0o077)
    settings = read_settings()
    if settings.host not in ("127.0.0.1", "localhost", "::1"):
        raise SettingError(f"The host is {settings.host!r}.", "Only loopback addresses are served; use 127.0.0.1.")
    app = create_app(settings, page_folder())
    # An open event stream never ends by itself; two seconds are for answers that are under way.
    uvicorn.run(
        app,
        host=settings.host,
        port=settings.port,
        log_config=None,
        access_log=False,
        timeout_graceful_shutdown=2,
    )


def serve_models() -> None:
    """Answer others by the models that are in use, at an address of its own; the database is someone else's."""
    import uvicorn

    os.umask(0o077)
    settings = read_settings()
    if not 1 <= settings.serving_processes <= _MOST_SERVING:
        raise SettingError(
            f"VAST_ORCHARD_SERVING_PROCESSES is {settings.serving_processes}.", f"Set it from 1 to {_MOST_SERVING}."
        )
    if bool(settings.serving_certificate) != bool(settings.serving_certificate_key):
        raise SettingError("Of certificate and key one is set.", "Set both, or neither.")
    uvicorn.run(
        "vast_orchard.serving.app:app_from_environment",
        factory=True,
        host=settings.serving_host,
        port=settings.serving_port,
        workers=settings.serving_processes,
        http="httptools",
        loop="uvloop",
        log_config=None,
        access_log=False,
        server_header=False,
        ssl_certfile=settings.serving_certificate or None,
        ssl_keyfile=settings.serving_certificate_key or None,
        proxy_headers=bool(settings.serving_proxies),
        forwarded_allow_ips=settings.serving_proxies or None,
        timeout_keep_alive=20,
        timeout_graceful_shutdown=5,
    )


def openapi() -> None:
    """Print the description of the API."""
    print(json.dumps(create_app(Settings()).openapi(), indent=1))
