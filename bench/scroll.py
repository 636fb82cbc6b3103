"""Measures how evenly the picture field scrolls: milliseconds between frames, for each tile size, as a table.

Usage: .venv/bin/python bench/scroll.py ADDRESS [PROJECT]      a running application with the demo project
"""

import sys
import tempfile
from typing import Any

from selenium import webdriver
from selenium.webdriver.common.by import By
from selenium.webdriver.support.ui import WebDriverWait

_FLAGS = ("--headless", "--no-sandbox", "--disable-gpu", "--disable-background-networking", "--no-first-run")

# Scrolls 40 pixels a frame, from top to end at the most, and answers with the times between frames.
_SCROLL = """
const done = arguments[0];
const field = document.querySelector('[data-testid=field]');
const gaps = [];
let before = performance.now();
function frame(now) {
  gaps.push(now - before);
  before = now;
  field.scrollTop += 40;
  const end = field.scrollTop + field.clientHeight >= field.scrollHeight - 1;
  if (end || gaps.length > 400) done(gaps.slice(1));
  else requestAnimationFrame(frame);
}
requestAnimationFrame(frame);
"""


def main() -> None:
    """Scroll through every size and print."""
    address, project = sys.argv[1].rstrip("/"), sys.argv[2] if len(sys.argv) > 2 else "1"
    options = webdriver.ChromeOptions()
    options.binary_location = "/usr/bin/chromium"
    for flag in (*_FLAGS, "--window-size=1280,800", f"--user-data-dir={tempfile.mkdtemp()}"):
        options.add_argument(flag)
    browser = webdriver.Chrome(options=options, service=webdriver.ChromeService("/usr/bin/chromedriver"))
    browser.set_script_timeout(60)
    print("| tile, px | frames | median, ms | 95th percentile, ms | longest, ms |")
    print("|---|---|---|---|---|")
    try:
        for size in (12, 28, 56, 104, 200):
            browser.get(f"{address}/p/{project}/rows?tile={size}")
            WebDriverWait(browser, 60).until(lambda b: b.find_elements(By.CSS_SELECTOR, "[role=gridcell]"))
            gaps: list[Any] = sorted(browser.execute_async_script(_SCROLL))  # type: ignore[no-untyped-call]
            if gaps:
                middle, high = gaps[len(gaps) // 2], gaps[int(len(gaps) * 0.95)]
                print(f"| {size} | {len(gaps)} | {middle:.0f} | {high:.0f} | {gaps[-1]:.0f} |", flush=True)
            else:
                print(f"| {size} | all on one screen | | | |")
    finally:
        browser.quit()


if __name__ == "__main__":
    main()
