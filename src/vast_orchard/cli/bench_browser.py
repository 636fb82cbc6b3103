"""A browser for measuring what a person waits for on the page."""

import tempfile
from typing import Any

__all__ = ["open_browser"]

_FLAGS = (
    "--headless", "--no-sandbox", "--disable-gpu", "--disable-background-networking", "--no-first-run",
    # A camera that is none: what it shows moves, and nobody needs to allow it.
    "--use-fake-device-for-media-stream", "--use-fake-ui-for-media-stream",
)  # fmt: skip


def open_browser() -> Any:
    """Debian's Chromium; None where the packages for tests are not installed."""
    try:
        from selenium import webdriver
    except ImportError:
        return None
    options = webdriver.ChromeOptions()
    options.binary_location = "/usr/bin/chromium"
    for flag in (*_FLAGS, "--window-size=1280,888", f"--user-data-dir={tempfile.mkdtemp()}"):
        options.add_argument(flag)
    browser = webdriver.Chrome(options=options, service=webdriver.ChromeService("/usr/bin/chromedriver"))
    browser.set_script_timeout(120)
    return browser
