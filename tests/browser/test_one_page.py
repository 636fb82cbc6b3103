"""The page that is handed over, opened from the disk with the network off: pictures, camera, table, broken files."""

import csv
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import pytest
from PIL import Image

from tests.browser.screen import Screen, open_browser
from tests.formats.test_forms import _model
from tests.pictures import encoded, png
from tests.running import until
from vast_orchard.formats.model_file import Model
from vast_orchard.formats.one_page import one_page_bytes
from vast_orchard.formats.picture_file import network_pixels

pytestmark = pytest.mark.browser

# Answers are shown with three digits.
_SHOWN = 0.00051


@pytest.fixture(scope="module")
def model() -> Model:
    # Weights as they begin tell classes apart by little: a low temperature makes differences show.
    return _model(temperature=0.02)


@pytest.fixture
def screen(tmp_path: Path, model: Model) -> Iterator[Screen]:
    page = tmp_path / "model.html"
    page.write_bytes(one_page_bytes(model, {"name": "Snow of the ridge"}))
    browser = open_browser(tmp_path)
    browser.execute_cdp_cmd("Network.enable", {})
    offline = {"offline": True, "latency": 0, "downloadThroughput": -1, "uploadThroughput": -1}
    browser.execute_cdp_cmd("Network.emulateNetworkConditions", offline)
    screen = Screen(browser, page.as_uri())
    screen.open("")
    screen.says("Snow of the ridge")
    yield screen
    assert screen.complaints() == []
    browser.quit()


def _shown(screen: Screen) -> dict[str, float]:
    bars = screen.all("[data-testid=probabilities] [data-p]")
    return {str(bar.get_attribute("data-class")): float(bar.get_attribute("data-p") or "") for bar in bars}


def _expected(model: Model, data: bytes) -> dict[str, float]:
    pixels = network_pixels(data, model.preprocessing)
    return dict(zip(model.classes, map(float, model.probabilities(pixels[None])[0]), strict=True))


def _choose(screen: Screen, *paths: Path) -> None:
    screen.one("[data-testid=files]").send_keys("\n".join(map(str, paths)))


def test_pictures_are_answered_as_the_application_answers_them(screen: Screen, model: Model, tmp_path: Path) -> None:
    lying = Image.Exif()
    lying[0x0112] = 6
    smooth = Image.fromarray(np.linspace(0, 255, 90 * 60 * 3).reshape(90, 60, 3).astype(np.uint8))
    files = {
        "plain.png": png(3, (50, 40)),
        "turned.jpg": encoded(smooth, "JPEG", quality=95, exif=lying),
    }
    for name, data in files.items():
        (tmp_path / name).write_bytes(data)
        _choose(screen, tmp_path / name)
        screen.one(f"section[aria-label='{name}'] [data-testid=answer]")
        # Of a JPEG the browser's own decoder is in between.
        near = _SHOWN if name.endswith("png") else 0.02
        assert _shown(screen) == pytest.approx(_expected(model, data), abs=near)


def test_many_are_listed_saved_as_a_table_and_cleared(screen: Screen, model: Model, tmp_path: Path) -> None:
    files = {f"{n}.png": png(n, (30 + n, 40)) for n in range(6)}
    for name, data in {**files, "cut.png": png(9)[:90], "none.jpg": b"no picture", "empty.png": b""}.items():
        (tmp_path / name).write_bytes(data)
    _choose(screen, *(tmp_path / name for name in (*files, "cut.png", "none.jpg", "empty.png")))
    screen.until("all are listed", lambda: len(screen.all("[aria-label='All pictures'] li")) == 9)
    screen.until("nothing goes on", lambda: not screen.all("[role=status]"))
    screen.press("cut.png cannot be read")
    screen.reads("[role=alert]", "damaged or cut off")
    screen.press("none.jpg cannot be read")
    screen.reads("[role=alert]", "This browser cannot read the file")
    screen.press("empty.png cannot be read")
    screen.reads("[role=alert]", "The file is empty")
    screen.press("Table as CSV")
    until("the table is there", (tmp_path / "answers.csv").exists)
    rows = {row["file"]: row for row in csv.DictReader((tmp_path / "answers.csv").read_text().splitlines())}
    assert len(rows) == 9
    for name, data in files.items():
        expected = _expected(model, data)
        first = max(expected, key=expected.__getitem__)
        assert rows[name]["answer"] == first
        assert float(rows[name]["p"]) == pytest.approx(expected[first], abs=1e-4)
    assert all(rows[name]["error"] for name in ("cut.png", "none.jpg", "empty.png"))
    screen.press("Clear")
    screen.says("Choose pictures, drop or paste them here")


def test_the_camera_is_answered_frozen_and_kept(screen: Screen) -> None:
    screen.press("Camera")
    screen.reads("[data-testid=rate]", "answers a second")
    screen.press("Freeze")
    screen.until("no rate is told", lambda: not screen.all("[data-testid=rate]"))
    still = screen.one("[aria-label=Camera] [data-testid=answer]").text
    screen.press("Keep this")
    screen.one("section[aria-label='shot.png'] [data-testid=answer]")
    # The shot is what stood still, and so is its answer.
    assert screen.one("section[aria-label='shot.png'] [data-testid=answer]").text == still
    screen.press("Go on")
    screen.reads("[data-testid=rate]", "answers a second")
    screen.press("Close the camera")
    screen.until("the camera is gone", lambda: not screen.all("video"))


def test_a_camera_that_is_refused_is_told(screen: Screen) -> None:
    screen.browser.execute_script(
        "navigator.mediaDevices.getUserMedia = () => Promise.reject(new DOMException('', 'NotAllowedError'))"
    )
    screen.press("Camera")
    screen.reads("[role=alert]", "may not use the camera")
