"""What `orchard bench hand-over` measures in a browser: the page that is handed over, and the camera in Release."""

import base64
import statistics
import tempfile
import time
from collections.abc import Sequence
from pathlib import Path
from typing import Any

import numpy as np

from vast_orchard.cli.bench_browser import open_browser
from vast_orchard.cli.started import StartedApplication
from vast_orchard.core.arrays import FloatArray
from vast_orchard.errors import ServiceError
from vast_orchard.formats.model_file import Model
from vast_orchard.formats.one_page import one_page_bytes
from vast_orchard.formats.picture_file import network_pixels

__all__ = ["camera_figures", "page_figures"]

_TURNS, _AT_ONCE = 9, 200
_LIMIT_S = 120

# The page's own way from a file to an answer, but for what is drawn.
_ANSWERS = """
const [files, done] = arguments;
const own = window.own ??= new engine.Engine(
  JSON.parse(document.getElementById("model").textContent),
  engine.floatsFrom(document.getElementById("weights").textContent),
);
const work = async () => {
  const found = [];
  for (const text of files) {
    const bytes = Uint8Array.from(atob(text), (sign) => sign.charCodeAt(0));
    let picture;
    if (own.isPng(bytes)) picture = own.read(bytes);
    else {
      const bitmap = await createImageBitmap(new Blob([bytes]),
        { imageOrientation: "from-image", colorSpaceConversion: "none" });
      const canvas = new OffscreenCanvas(bitmap.width, bitmap.height);
      const context = canvas.getContext("2d");
      context.drawImage(bitmap, 0, 0);
      picture = own.laid(context.getImageData(0, 0, bitmap.width, bitmap.height).data, bitmap.width, bitmap.height);
    }
    found.push(own.answer(picture).probabilities);
  }
  return found;
};
work().then(done, (error) => done(String(error)));
"""

# As if a person had chosen them: from then on until the last one is answered and shown.
_CHOSEN = """
const [files, done] = arguments;
const chosen = new DataTransfer();
files.forEach((text, n) => {
  const bytes = Uint8Array.from(atob(text), (sign) => sign.charCodeAt(0));
  chosen.items.add(new File([bytes], `${n}.png`));
});
const before = document.querySelectorAll("main li").length;
const input = document.querySelector("[data-testid=files]");
input.files = chosen.files;
const began = performance.now();
input.dispatchEvent(new Event("change", { bubbles: true }));
const look = () =>
  document.querySelectorAll("main li").length >= before + files.length && !document.querySelector("[role=status]")
    ? done(performance.now() - began)
    : requestAnimationFrame(look);
look();
"""


def _text(data: bytes) -> str:
    return base64.b64encode(data).decode()


def _answers(browser: Any, files: Sequence[bytes]) -> FloatArray:
    found: list[list[float]] = []
    for start in range(0, len(files), _AT_ONCE):
        part = browser.execute_async_script(_ANSWERS, [_text(data) for data in files[start : start + _AT_ONCE]])
        if isinstance(part, str):
            raise ServiceError(f"The page does not answer: {part}", "See the page in a browser.")
        found += part
    return np.array(found)


def page_figures(model: Model, pngs: Sequence[bytes], jpegs: Sequence[bytes]) -> dict[str, Any]:
    """How fast the page answers for files that are chosen, and how far its answers are from the application's."""
    browser = open_browser()
    if browser is None:
        return {}
    try:
        with tempfile.TemporaryDirectory() as place:
            page = Path(place) / "model.html"
            page.write_bytes(one_page_bytes(model, {"name": "Bench"}))
            browser.get(page.as_uri())
            differences = {}
            for kind, files in (("png", pngs), ("jpeg", jpegs)):
                ours = model.probabilities(np.stack([network_pixels(data, model.preprocessing) for data in files]))
                theirs = _answers(browser, files)
                off = np.abs(theirs - ours).max(axis=1)
                differences[kind] = float(off.max()), float((theirs.argmax(1) != ours.argmax(1)).mean())
            turns = []
            for _ in range(_TURNS):
                browser.get(page.as_uri())
                milliseconds = browser.execute_async_script(_CHOSEN, [_text(data) for data in pngs[:_AT_ONCE]])
                turns.append(_AT_ONCE * 1000 / milliseconds)
    finally:
        browser.quit()
    lower, middle, _ = statistics.quantiles(turns, n=4)
    return {
        "page_pictures_per_s": round(middle, 1),
        "page_pictures_per_s_lower_quartile": round(lower, 1),
        "page_max_difference": differences["png"][0],
        "page_changed_share": differences["png"][1],
        "page_jpeg_max_difference": differences["jpeg"][0],
        "page_jpeg_changed_share": differences["jpeg"][1],
    }


def camera_figures() -> dict[str, Any]:
    """Answers a second that Release gives about a camera, with the demo and a short run of the default network."""
    with tempfile.TemporaryDirectory() as place, StartedApplication(Path(place) / "data", demo=True) as running:
        running.wait_for_work()
        recipe = running.ask("GET", "/api/recipe?pictures=1000")
        recipe["settings"]["epochs"] = 1
        running.ask("POST", "/api/projects/1/runs", {"recipe": recipe})
        running.wait_for_work()
        browser = open_browser()
        if browser is None:
            return {}
        try:
            browser.get(f"http://127.0.0.1:{running.port}/p/1/release")
            _wait(browser, "return [...document.querySelectorAll('button')].find(b => b.textContent === 'Camera')")
            browser.execute_script(
                "[...document.querySelectorAll('button')].find(b => b.textContent === 'Camera').click()"
            )
            rates = []
            for _ in range(_TURNS):
                time.sleep(1.5)
                words = "return document.querySelector('[data-testid=rate]')?.textContent"
                rates.append(float(_wait(browser, words).split()[0]))
        finally:
            browser.quit()
    lower, middle, _ = statistics.quantiles(rates, n=4)
    return {"camera_answers_per_s": middle, "camera_answers_per_s_lower_quartile": lower}


def _wait(browser: Any, script: str) -> Any:
    deadline = time.monotonic() + _LIMIT_S
    while not (found := browser.execute_script(script)):
        if time.monotonic() > deadline:
            raise ServiceError("The page does not come so far.", "See it in a browser.")
        time.sleep(0.1)
    return found
