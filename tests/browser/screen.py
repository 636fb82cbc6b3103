"""A person at the page: a real headless Chromium, waited for by conditions and never by seconds."""

import json
import tempfile
from collections.abc import Callable
from pathlib import Path
from typing import TypeVar

from selenium import webdriver
from selenium.common.exceptions import (
    ElementClickInterceptedException,
    StaleElementReferenceException,
    TimeoutException,
)
from selenium.webdriver.common.action_chains import ActionChains
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.remote.webelement import WebElement
from selenium.webdriver.support.ui import WebDriverWait

__all__ = ["Screen", "open_browser"]

T = TypeVar("T")
_LIMIT_S = 60
_FLAGS = (
    "--headless", "--no-sandbox", "--disable-gpu", "--disable-background-networking", "--no-first-run",
    "--disable-component-update", "--disable-sync", "--window-size=1280,800",
    "--use-fake-device-for-media-stream", "--use-fake-ui-for-media-stream",
)  # fmt: skip


class _Element(WebElement):
    """Is pressed once nothing lies over it: a dialog on its way out would take a person's press as well."""

    def click(self) -> None:
        def pressed(_: object) -> bool:
            super(_Element, self).click()
            return True

        covered = [ElementClickInterceptedException]
        WebDriverWait(self.parent, _LIMIT_S, 0.1, ignored_exceptions=covered).until(pressed, "Something lies over it.")


class _Browser(webdriver.Chrome):
    _web_element_cls = _Element


def open_browser(downloads: Path) -> webdriver.Chrome:
    """Debian's Chromium with a fresh profile, and a camera of its own that shows a moving figure."""
    options = webdriver.ChromeOptions()
    options.binary_location = "/usr/bin/chromium"
    for flag in (*_FLAGS, f"--user-data-dir={tempfile.mkdtemp(prefix='vast-orchard-profile-')}"):
        options.add_argument(flag)
    options.add_experimental_option("prefs", {"download.default_directory": str(downloads)})
    options.set_capability("goog:loggingPrefs", {"browser": "ALL", "performance": "ALL"})
    return _Browser(options=options, service=webdriver.ChromeService("/usr/bin/chromedriver"))


class Screen:
    """What is on show, and what can be done with it."""

    def __init__(self, browser: webdriver.Chrome, address: str) -> None:
        self.browser = browser
        self._address = address

    def open(self, path: str) -> None:
        """Go to an address of the application."""
        self.browser.get(self._address + path)

    def until(self, what: str, found: Callable[[], T]) -> T:
        """Wait for a condition; the failure says which."""

        def check(_: object) -> T:
            return found()

        waiting = WebDriverWait(self.browser, _LIMIT_S, 0.1, ignored_exceptions=[StaleElementReferenceException])
        try:
            return waiting.until(check)
        except TimeoutException as error:
            asked = "".join(f"\n  {line}" for line in self._unanswered())
            words = f"never: {what}; not answered:{asked or ' nothing'}\nthe page says:\n{self.text()[:1500]}"
            raise TimeoutException(words) from error

    def _unanswered(self) -> list[str]:
        """Requests whose answers have not come whole, as the browser's own record of the network tells."""
        open_ones: dict[str, str] = {}
        for entry in self.browser.get_log("performance"):  # type: ignore[no-untyped-call]
            event = json.loads(str(entry["message"]))["message"]
            told = event["params"]
            match event["method"]:
                case "Network.requestWillBeSent":
                    open_ones[told["requestId"]] = f"{told['request']['method']} {told['request']['url']}"
                case "Network.responseReceived" if told["requestId"] in open_ones:
                    open_ones[told["requestId"]] += f" ({told['response']['status']} so far)"
                case "Network.loadingFinished" | "Network.loadingFailed":
                    open_ones.pop(told["requestId"], None)
        return list(open_ones.values())

    def text(self) -> str:
        """All that can be read."""
        return self.browser.find_element(By.TAG_NAME, "body").text

    def all(self, css: str) -> list[WebElement]:
        """Every element of a selector."""
        return self.browser.find_elements(By.CSS_SELECTOR, css)

    def one(self, css: str) -> WebElement:
        """The first element of a selector, once it is there."""
        return self.until(css, lambda: self.all(css))[0]

    def reads(self, css: str, words: str) -> None:
        """Wait until an element holds these words."""
        self.until(f"{css} reads {words!r}", lambda: any(words in element.text for element in self.all(css)))

    def says(self, words: str) -> None:
        """Wait until the page holds these words."""
        self.until(f"the page says {words!r}", lambda: words in self.text())

    def was_said(self, words: str) -> None:
        """Wait until the tray holds a notice with these words, whether it still shows in its corner or not."""
        self.one("[data-testid=tray]").click()
        self.until(
            f"the tray remembers {words!r}",
            lambda: any(words in entry.text for entry in self.all("[aria-label='Said lately'] li")),
        )
        self.one("[data-testid=tray]").click()
        self.until("the tray is closed", lambda: not self.all("[aria-label='Jobs']"))

    def button(self, name: str) -> WebElement:
        """The button, link or tab whose words begin so."""
        path = (
            f"//*[self::button or self::a or self::summary or @role='radio'][starts-with(normalize-space(.), '{name}')]"
        )
        return self.until(
            f"the button {name!r}",
            lambda: next(
                (b for b in self.browser.find_elements(By.XPATH, path) if b.is_displayed() and b.is_enabled()), None
            ),
        )  # type: ignore[return-value]

    def press(self, name: str) -> None:
        """Press the button of that name."""
        self.button(name).click()

    def type(self, css: str, text: str) -> None:
        """Put text into a field, in place of what is there."""
        field = self.one(css)
        field.send_keys(Keys.CONTROL, "a")
        field.send_keys(text)

    def keys(self, *keys: str, ctrl: bool = False) -> None:
        """Press keys wherever the focus is."""
        chain = ActionChains(self.browser)
        if ctrl:
            chain = chain.key_down(Keys.CONTROL)
        chain = chain.send_keys(*keys)
        if ctrl:
            chain = chain.key_up(Keys.CONTROL)
        chain.perform()

    def drag(self, start: WebElement, end: WebElement, *, by: tuple[int, int] | None = None) -> None:
        """Press on one element, move to another (or by so many pixels), release."""
        chain = ActionChains(self.browser).move_to_element(start).click_and_hold()
        chain = chain.move_by_offset(8, 8)
        chain = chain.move_by_offset(*by) if by else chain.move_to_element(end)
        chain.pause(0.1).release().perform()

    def drop(self, target: WebElement, *paths: Path) -> None:
        """Drop files or folders from outside on an element, as from a file manager."""
        box = target.rect
        data = {"items": [], "files": [str(path) for path in paths], "dragOperationsMask": 1}
        place = {"x": box["x"] + box["width"] / 2, "y": box["y"] + box["height"] / 2, "data": data}
        for kind in ("dragEnter", "dragOver", "drop"):
            self.browser.execute_cdp_cmd("Input.dispatchDragEvent", {"type": kind, **place})

    def click_with(self, key: str, element: WebElement) -> None:
        """Click while a key is held."""
        ActionChains(self.browser).key_down(key).click(element).key_up(key).perform()

    def double_click(self, element: WebElement) -> None:
        """Two clicks in one place, counted as two: the driver's own count by a clock, which a busy machine outruns."""
        ActionChains(self.browser).move_to_element(element).perform()
        script = (
            "const box = arguments[0].getBoundingClientRect(); return [box.x + box.width / 2, box.y + box.height / 2]"
        )
        x, y = self.browser.execute_script(script, element)
        for count in (1, 2):
            for kind in ("mousePressed", "mouseReleased"):
                press = {"type": kind, "x": x, "y": y, "button": "left", "clickCount": count}
                self.browser.execute_cdp_cmd("Input.dispatchMouseEvent", press)

    def bring_in_what_is_planned(self) -> None:
        """Take the proposed plan of a source, and go to the field when it is done."""
        self.one("[data-testid=plan] li[data-class]")
        self.press("Bring in ")
        self.see_the_pictures()

    def see_the_pictures(self) -> None:
        """Leave the page of an import for the field; by this link, because the next step may be called the same."""
        self.one("[data-testid=see-pictures]").click()

    def complaints(self) -> list[str]:
        """What the browser's console holds against the page."""
        entries = self.browser.get_log("browser")  # type: ignore[no-untyped-call]
        return [str(entry["message"]) for entry in entries if entry["level"] == "SEVERE"]
