"""The working area at the page: a rule for all, seen in the previews, trained on, and found in a shipped program."""

import io
import json
import subprocess
import sys
import zipfile
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import pytest
from PIL import Image
from selenium.webdriver.common.action_chains import ActionChains
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.remote.webelement import WebElement

from tests.browser.screen import Screen, open_browser
from tests.pictures import encoded, zipped
from tests.running import Running, until
from tests.world import small_recipe

pytestmark = pytest.mark.browser

_SIDE = 60
# Left half red, right half blue: what is seen of a picture tells which part of it counts.
_RED, _BLUE = (200, 30, 20), (20, 30, 200)


def _picture(number: int, level: int) -> bytes:
    # Patches of their own: pictures that are alike are copies, and those are not divided.
    noise = np.random.default_rng(number).integers(0, 50, (6, 6, 1)).repeat(10, axis=0).repeat(10, axis=1)
    pixels = np.where((np.arange(_SIDE) < _SIDE // 2)[None, :, None], _RED, _BLUE) + noise
    # Something that stands out, in the upper left quarter.
    pixels[12:24, 9:24] = (level, 255, level)
    return encoded(Image.fromarray(pixels.astype(np.uint8)))


@pytest.fixture
def project(running: Running, request: pytest.FixtureRequest) -> int:
    members = {
        f"{name}/{n}.png": _picture(40 * k + n, 40 + 160 * k)
        for k, name in enumerate(("rime", "plate"))
        for n in range(20)
    }
    return running.bring_in(request.node.name, zipped(members))


@pytest.fixture
def screen(running: Running, project: int, tmp_path: Path) -> Iterator[Screen]:
    browser = open_browser(tmp_path)
    screen = Screen(browser, running.address)
    screen.open(f"/p/{project}/rows")
    screen.one("canvas[data-painted=whole]")
    yield screen
    # A Sift that is refused is told on the page; the browser notes the answer as well.
    assert [entry for entry in screen.complaints() if "status of 422" not in entry] == []
    browser.quit()


def _drag(screen: Screen, picture: WebElement, start: tuple[float, float], end: tuple[float, float]) -> None:
    """From one place to another, in fractions of the picture."""
    width, height = picture.size["width"], picture.size["height"]
    (x0, y0), (x1, y1) = (((x - 0.5) * width, (y - 0.5) * height) for x, y in (start, end))
    chain = ActionChains(screen.browser).move_to_element_with_offset(picture, round(x0), round(y0)).click_and_hold()
    chain.move_by_offset(round(x1 - x0), round(y1 - y0)).release().perform()


def _kept(screen: Screen) -> list[float]:
    fields = screen.until("the kept part in numbers", lambda: screen.all("fieldset input[type=number]"))
    return [float(field.get_attribute("value") or 0) for field in fields]


# Red and blue in the middle of the first tile of a sheet, once its picture is there.
_SHOWN = """
const image = document.querySelector(arguments[0] + ' img');
if (!image || !image.complete || !image.naturalWidth) return null;
const canvas = new OffscreenCanvas(image.naturalWidth, image.naturalHeight);
const on = canvas.getContext('2d');
on.drawImage(image, 0, 0);
const tile = image.naturalWidth / arguments[1];
const [red, , blue] = on.getImageData(tile * (arguments[2] + 0.8), tile * 0.8, 1, 1).data;
return [red, blue];
"""


def _shows(screen: Screen, sheet: str, columns: int, column: int, colour: tuple[int, int, int]) -> None:
    def close() -> bool:
        found = screen.browser.execute_script(_SHOWN, f"[data-testid={sheet}]", columns, column)
        return found is not None and abs(found[0] - colour[0]) < 80 and abs(found[1] - colour[2]) < 80

    screen.until(f"{sheet} shows {colour} in column {column}", close)


def test_a_rule_for_all_goes_from_the_sheet_to_a_shipped_program(
    screen: Screen, running: Running, project: int, tmp_path: Path
) -> None:
    screen.press("Working area")
    tiles = screen.until("twelve pictures", lambda: len(screen.all("[data-testid=area-tile]")) == 12)
    assert tiles
    screen.reads("[data-testid=area-counts]", "40 whole")
    picture = screen.one("[data-testid=area-tile] img")
    _drag(screen, picture, (0.02, 0.02), (0.48, 0.98))
    left, top, right, bottom = _kept(screen)
    assert (left, top, right, bottom) == pytest.approx((2, 2, 48, 98), abs=1.5)
    # By keys: to the right and back by a step, and a step of the drawing is taken back.
    screen.one("section[aria-label=Pictures]").send_keys(Keys.ARROW_RIGHT)
    screen.until("it moved", lambda: _kept(screen)[0] == pytest.approx(left + 1))
    screen.keys("z", ctrl=True)
    screen.until("it is back", lambda: _kept(screen)[0] == left)
    screen.press("Set for all pictures")
    screen.reads("[data-testid=area-counts]", "40 pictures by a rule")
    # Taken back and done again it holds once more.
    screen.press("Undo")
    screen.reads("[data-testid=area-counts]", "40 whole")
    screen.keys("y", ctrl=True)
    screen.reads("[data-testid=area-counts]", "40 pictures by a rule")

    # What the network sees of a picture is its red half alone.
    screen.open(f"/p/{project}/runs?part=preprocessing")
    screen.reads("[data-testid=preprocessing-steps]", "2 % to 48 % sideways")
    _shows(screen, "preprocessing-sheet", 3, 0, _BLUE)
    _shows(screen, "preprocessing-sheet", 3, 2, _RED)
    screen.open(f"/p/{project}/runs?part=variation")
    _shows(screen, "variation-sheet", 9, 0, _RED)

    run = running.ask("POST", f"/api/projects/{project}/runs", json={"recipe": small_recipe()})
    until("it is judged", lambda: running.ask("GET", f"/api/runs/{run['id']}")["validation"])
    screen.open(f"/p/{project}/release")
    screen.says("a new picture gets 2 % to 48 % sideways")
    screen.reads("[data-testid=fresh-area]", "2 % to 48 % sideways")
    file = tmp_path / "new.png"
    file.write_bytes(_picture(900, 40))
    screen.one("input[aria-label='Pictures to try']").send_keys(str(file))
    screen.one("[data-testid=kept-part]")
    screen.press("Make the pack")
    screen.one("[data-testid=proof]")
    model = running.ask("GET", f"/api/projects/{project}/models")[0]["id"]
    pack = running.ask("GET", f"/api/models/{model}/exports")[0]["id"]
    with zipfile.ZipFile(io.BytesIO(running.raw(f"/api/exports/{pack}/file"))) as archive:
        archive.extractall(tmp_path / "pack")
    command = [sys.executable, "-I", str(tmp_path / "pack" / "predict.py"), str(file), "--json"]
    said = json.loads(subprocess.run(command, capture_output=True, text=True, check=True).stdout)
    rule = running.ask("GET", f"/api/projects/{project}/area-rules")["rules"][0]["area"]["keep"]
    assert said["kept"] == [int(side * _SIDE + 0.5) for side in rule]

    # Changed since, it is said.
    screen.open(f"/p/{project}/rows/area")
    screen.one("[data-testid=area-tile]")
    screen.one("[aria-label^='The whole picture counts']").click()
    screen.press("Set for all pictures")
    screen.says("working areas changed since")
    screen.press("Version 4")
    screen.reads("[role=dialog]", "holds now")


def test_found_parts_are_looked_through_and_the_wrong_ones_drawn_by_hand(screen: Screen, project: int) -> None:
    screen.press("Working area")
    screen.one("[data-testid=area-tile]")
    screen.one("[aria-label^='What stands out from']").click()
    screen.reads("[data-testid=found-words]", "40 pictures looked at")
    first = screen.one("[aria-label='What stands out'] button")
    first.click()
    screen.until("it is chosen", lambda: first.get_attribute("aria-pressed") == "true")
    screen.press("Set for all pictures")
    screen.reads("[data-testid=area-counts]", "40 pictures by a rule")
    screen.press("Draw on 1 chosen")
    screen.until("it alone", lambda: len(screen.all("[data-testid=area-tile]")) == 1)
    _drag(screen, screen.one("[data-testid=area-tile] img"), (0.1, 0.1), (0.5, 0.5))
    screen.press("Give it to 1 picture")
    screen.reads("[data-testid=area-counts]", "39 pictures by a rule, 1 by their own")

    # The rule for all leaves it as it is, and the Sift finds it.
    screen.open(f"/p/{project}/rows?sift=area:own")
    screen.reads("[data-testid=chosen]", "1 picture")
    screen.one("canvas[data-painted=whole]")
    screen.one("[role=gridcell]").click()
    screen.keys(Keys.ENTER)
    screen.reads("[data-testid=counts]", "its own")

    # A rule by the class is refused in words, and nothing is set.
    screen.open(f"/p/{project}/rows/area")
    screen.reads("[data-testid=found-words]", "looked at")
    screen.one("[aria-label^='Pictures that a Sift lets through']").click()
    screen.type("[aria-label='Sift of the rule']", "class:rime")
    screen.press("Set as a rule")
    screen.says("would tell the network the answer, and a new picture has no class yet")
    screen.reads("[data-testid=area-counts]", "39 pictures by a rule, 1 by their own")
    screen.type("[aria-label='Sift of the rule']", "width<50")
    screen.says("No picture to draw on")
