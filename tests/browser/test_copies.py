"""Copies at the page: opened from Rows, different labels first, settled by key and by button, taken back."""

from collections.abc import Iterator
from pathlib import Path

import numpy as np
import pytest
from PIL import Image
from selenium.webdriver.common.keys import Keys

from tests.browser.screen import Screen, open_browser
from tests.pictures import encoded, zipped
from tests.running import Running
from vast_orchard.demo.picture import photograph

pytestmark = pytest.mark.browser


def _crystal(seed: int, name: str = "stellar") -> Image.Image:
    return photograph(name, np.random.default_rng(seed), side=100)


def _jpeg(image: Image.Image) -> bytes:
    return encoded(image.rotate(2, Image.Resampling.BILINEAR, fillcolor=image.getpixel((1, 1))), "JPEG", quality=75)


@pytest.fixture
def screen(running: Running, request: pytest.FixtureRequest, tmp_path: Path) -> Iterator[Screen]:
    """Three pairs of copies, one of them under two labels, among six pictures that have none."""
    members = {f"{name}/{name}-{n}.png": encoded(_crystal(n, name)) for name in ("plate", "needle") for n in range(3)}
    for name, (first, second) in {
        "apart": ("stellar", "dendrite"), "even": ("stellar", "stellar"), "odd": ("plate", "plate"),
    }.items():  # fmt: skip
        image = _crystal(40 + len(name))
        members |= {f"{first}/{name}.png": encoded(image), f"{second}/{name}.jpg": _jpeg(image)}
    project = running.bring_in(request.node.name, zipped(members))
    browser = open_browser(tmp_path)
    screen = Screen(browser, running.address)
    screen.open(f"/p/{project}/rows?tile=104")
    screen.reads("[data-testid=chosen]", "12 pictures")
    yield screen
    browser.quit()


def _rows(screen: Screen) -> list[tuple[str, int]]:
    """What each row is called, and its number of tiles."""
    return [
        (row.find_element("css selector", "[role=rowheader]").text.split("\n")[0],
         len(row.find_elements("css selector", "[role=gridcell]")))
        for row in screen.all("[data-row]")
    ]  # fmt: skip


def test_a_pair_of_copies_is_mended(screen: Screen) -> None:
    screen.press("Copies 3")
    pairs = [("different labels", 2), ("nearly the same", 2), ("nearly the same", 2)]
    screen.until("three groups", lambda: _rows(screen) == pairs)
    screen.reads("[data-testid=copies]", "3 groups of copies, 1 under different labels.")

    # The copy under another label gets the right one; its group stands with the others then.
    apart = next(cell for cell in screen.all("[role=gridcell]") if "dendrite" in str(cell.get_attribute("title")))
    apart.click()
    screen.keys("l")
    screen.type("[role=dialog] input", "stell")
    screen.keys(Keys.ENTER)
    screen.until("labels agree", lambda: [name for name, _ in _rows(screen)] == ["nearly the same"] * 3)

    # One is kept by key, and the other excluded; taken back, it is there again.
    screen.all("[role=gridcell]")[0].click()
    screen.keys("k")
    screen.until("two are left", lambda: len(_rows(screen)) == 2)
    screen.keys("z", ctrl=True)
    screen.until("three again", lambda: len(_rows(screen)) == 3)
    screen.was_said("1 picture excluded")

    # One is said to be none.
    screen.all("[data-row]:last-child [role=gridcell]")[-1].click()
    screen.keys("d")
    screen.until("two groups", lambda: len(_rows(screen)) == 2)
    screen.reads("[data-testid=copies]", "2 groups of copies.")

    # All others at once, as one step.
    screen.press("Keep one of each")
    screen.says("No copies left to settle")
    screen.press("Undo")
    screen.until("both again", lambda: len(_rows(screen)) == 2)
    screen.press("Undo")
    screen.until("all three again", lambda: len(_rows(screen)) == 3)
    assert screen.complaints() == []


def test_the_most_alike_stand_first_and_a_class_gets_sign_and_colour(screen: Screen) -> None:
    title = "[role=gridcell][title*='even.png']"
    plain = "[data-row^=class] [role=gridcell]"
    screen.until("tiles", lambda: len(screen.all(plain)) == 12)
    for cell in screen.all(plain):
        cell.click()
        screen.until("its name", lambda: screen.all("[role=gridcell][aria-selected=true][title*='.']"))
        if screen.all(title):
            break
    screen.keys("m")
    stellar = "[data-row^=class]:has([aria-label^='stellar']) [role=gridcell]"
    screen.until("itself first", lambda: "even.png" in str(screen.all(stellar)[0].get_attribute("title")))
    chosen = screen.one("[role=gridcell][aria-selected=true]").get_attribute("data-picture")
    order = [cell.get_attribute("data-picture") for cell in screen.all(stellar)]
    assert order[0] == chosen
    screen.all(stellar)[1].click()
    screen.until("its copy second", lambda: "even.jpg" in str(screen.all(stellar)[1].get_attribute("title")))

    screen.one("[aria-label='plate: what can be done']").click()
    screen.press("Name, sign, colour")
    screen.type("input[maxlength='3']", "N")
    screen.press("Change class")
    screen.says("N is the sign of needle")
    screen.type("input[maxlength='3']", "Pl")
    screen.one("[aria-label='Colour 7']").click()
    screen.press("Change class")
    sign = "//*[@role='rowheader'][contains(., 'plate')]//*[@aria-hidden='true']"
    screen.until("the sign", lambda: screen.browser.find_element("xpath", sign).text == "Pl")
    assert "--class-6" in str(screen.browser.find_element("xpath", sign).get_attribute("style"))

    # One note for several.
    screen.until("the sheet is away", lambda: not screen.all("[role=dialog]"))
    screen.one("[data-testid=field]").send_keys(Keys.CONTROL, "a")
    screen.reads("[data-testid=chosen]", "12 pictures chosen")
    screen.one("[data-testid=field]").send_keys("t")
    screen.says("Note on 12 pictures")
    screen.one("[role=dialog] textarea").send_keys("seen twice")
    screen.press("Write note")
    screen.was_said("Note on 12 pictures. Ctrl + Z takes it back.")
    assert [entry for entry in screen.complaints() if "409" not in entry] == []
