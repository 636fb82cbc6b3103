"""One application for the tests in the browser that ask nothing special of it; each has a project of its own."""

from collections.abc import Iterator
from pathlib import Path

import pytest

from tests.running import Running


@pytest.fixture(scope="session")
def running(open_folder: Path) -> Iterator[Running]:
    """The application, started once."""
    app = Running(open_folder / "browsed")
    app.wait_ready()
    yield app
    app.stop()
