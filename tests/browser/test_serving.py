"""A model put in use is served; a token is made at the page, lets somebody in, and is taken back."""

from collections.abc import Iterator
from pathlib import Path
from urllib.parse import urlsplit

import httpx2
import pytest

from tests.browser.screen import Screen, open_browser
from tests.pictures import png, two_classes, zipped
from tests.running import Running, until
from tests.world import small_recipe

pytestmark = pytest.mark.browser

_PASTE = """
const canvas = document.createElement("canvas");
canvas.getContext("2d").fillRect(0, 0, 40, 30);
canvas.toBlob((blob) => {
  const clipboardData = new DataTransfer();
  clipboardData.items.add(new File([blob], "pasted.png", { type: "image/png" }));
  window.dispatchEvent(new ClipboardEvent("paste", { clipboardData }));
});
"""


@pytest.fixture
def screen(running: Running, tmp_path: Path, request: pytest.FixtureRequest) -> Iterator[Screen]:
    project = running.bring_in(request.node.name, zipped(two_classes()))
    running.ask("POST", f"/api/projects/{project}/runs", json={"recipe": small_recipe(epochs=1)})
    runs = f"/api/projects/{project}/runs"
    until("it is judged", lambda: all(run["validation"] for run in running.ask("GET", runs)["runs"]))
    browser = open_browser(tmp_path)
    screen = Screen(browser, running.address)
    screen.open(f"/p/{project}/release?view=offers")
    yield screen
    assert screen.complaints() == []
    browser.quit()


def test_a_token_lives_at_the_page(screen: Screen, running: Running, tmp_path: Path) -> None:
    screen.press("Put on offer")
    screen.type("[role=dialog] input", "Valley Post")
    screen.one("[role=dialog] button[type=submit]").click()
    screen.one("[data-testid=offer]")
    screen.press("Put in use")
    screen.one("[aria-label='How others ask the models in use, and who may']").click()
    screen.reads("[data-testid=serving-words]", f"served at http://127.0.0.1:{running.serving_port}")
    address = f"http://127.0.0.1:{running.serving_port}/models/valley-post/predict"
    screen.reads("[data-testid=example]", address)
    screen.says("Nobody is let in yet.")
    screen.press("Make a token")
    screen.type("[role=dialog] input", "Valley")
    screen.press("Make it")
    secret = screen.one("[data-testid=secret]").text
    screen.press("Done")
    screen.reads("[data-testid=token]", "every model")
    # It is not shown again, and what is asked is counted.
    assert secret not in screen.browser.page_source

    def asked() -> httpx2.Response:
        headers = {"Authorization": f"Bearer {secret}", "Content-Type": "image/png"}
        return httpx2.post(address, content=png(3, level=180), headers=headers, timeout=30)

    until("it is let in", lambda: asked().status_code == 200)
    said = asked().json()
    project = urlsplit(screen.browser.current_url).path.split("/")[2]
    model = running.ask("GET", f"/api/projects/{project}/models")[0]
    files = {"files": ("a.png", png(3, level=180))}
    (tried,) = running.ask("POST", f"/api/models/{model['id']}/try", files=files)
    assert list(said["answers"][0]["probabilities"].values()) == pytest.approx(tried["calibrated"], abs=1e-9)
    assert said["digest"] == model["digest"]
    # Its page for visitors asks by it, and by nothing else.
    picture = tmp_path / "crystal.png"
    picture.write_bytes(png(3, level=180))
    here = screen.browser.current_window_handle
    screen.browser.switch_to.new_window("tab")
    screen.browser.get(f"http://127.0.0.1:{running.serving_port}/visit/valley-post#{secret}")
    screen.says("Valley Post")
    screen.one("[data-testid=files]").send_keys(str(picture))
    screen.reads("article[aria-label='crystal.png'] [data-testid=answer]", said["answers"][0]["answer"])
    bars = screen.all("article [data-p]")
    shown = {bar.get_attribute("data-class"): float(bar.get_attribute("data-p") or "") for bar in bars}
    assert shown == pytest.approx(said["answers"][0]["probabilities"], abs=0.0006)
    # Pasted ones are answered too.
    screen.browser.execute_script(_PASTE)
    screen.one("article[aria-label='pasted.png'] [data-testid=answer]")
    screen.press("Camera")
    screen.reads("[data-testid=rate]", "answers a second")
    screen.press("Close the camera")
    screen.browser.get(f"http://127.0.0.1:{running.serving_port}/visit/valley-post#other")
    screen.browser.refresh()
    screen.reads("[role=alert]", "This link lets nobody in any more.")
    screen.complaints()
    screen.browser.close()
    screen.browser.switch_to.window(here)
    screen.reads("[data-testid=use]", "valley-post, version 1:")
    screen.press("Take back")
    screen.was_said("lets nobody in any more")
    screen.until("no token stands", lambda: not screen.all("[data-testid=token]"))
    until("it is not let in", lambda: asked().status_code == 401, 5)
