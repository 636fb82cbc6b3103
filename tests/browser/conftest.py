"""One application for the tests in the browser that ask nothing special of it; each has a project of its own."""

from collections.abc import Iterator
from pathlib import Path

import pytest

from tests.running import Running


@pytest.fixture(scope="session")
def running(open_folder: Path) -> Iterator[Running]:
    """The application, started once."""
    # Of what is inside one name is open, so that a stand-in on loopback can be asked, and under another name not.
    app = Running(open_folder / "browsed", outgoing_allowed="127.0.0.1")
    app.wait_ready()
    yield app
    app.stop()
