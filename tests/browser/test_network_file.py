"""A network file at the page: asked about, compared, listed where it cannot be taken; then a run like any other."""

from collections.abc import Iterator
from pathlib import Path

import pytest

from tests.browser.screen import Screen, open_browser
from tests.formats.graphs import Sketch
from tests.pictures import two_classes, zipped
from tests.running import Running

pytestmark = pytest.mark.browser


@pytest.fixture
def screen(running: Running, tmp_path: Path, request: pytest.FixtureRequest) -> Iterator[Screen]:
    project = running.bring_in(request.node.name, zipped(two_classes()))
    browser = open_browser(tmp_path)
    screen = Screen(browser, running.address)
    screen.open(f"/p/{project}/runs")
    yield screen
    assert screen.complaints() == []
    browser.quit()


def _graph(*, odd: bool) -> bytes:
    sketch = Sketch(("N", 3, 16, 16), seed=2)
    sketch.conv(6, 3, pads=[1, 1, 1, 1])
    if odd:
        sketch.put("Erf")
    sketch.put("Relu")
    sketch.put("Flatten")
    sketch.dense(3, 6 * 256)
    return sketch.bytes()


def test_a_file_made_elsewhere_becomes_a_run(screen: Screen, tmp_path: Path) -> None:
    odd, ridge = tmp_path / "odd.onnx", tmp_path / "ridge.onnx"
    odd.write_bytes(_graph(odd=True))
    ridge.write_bytes(_graph(odd=False))
    screen.press("Bring in a network from outside")
    screen.one("input[aria-label='A network file']").send_keys(str(odd))
    screen.reads("[aria-label='What cannot be taken']", "erf_2")
    assert not [button for button in screen.all("button") if button.text == "Bring it in"]

    screen.one("input[aria-label='A network file']").send_keys(str(ridge))
    screen.reads("[data-testid=network-file-facts]", "tells 3 classes apart")
    for place, name in enumerate(("rime", "needle", "Plate"), 1):
        screen.type(f"input[aria-label='Class of output {place}']", name)
    screen.reads("[data-testid=network-file-compared]", "It answers as its own graph does")
    assert len(screen.all("[aria-label='As the network sees pictures'] img")) == 6
    screen.reads("[aria-label='Classes of its outputs']", "a new class")
    screen.press("Bring it in")
    screen.reads("[data-testid=run-words]", "Brought in from ridge.onnx; nothing was trained here.")
    screen.reads("[aria-label=Ledger]", "brought in")
    # Judged by itself, and handed over like any other.
    screen.says("Review its")
    screen.press("Release")
    screen.reads("[aria-label='Hand over']", "brought in from a file")
