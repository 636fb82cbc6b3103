"""The serving process as a whole: started by itself once a model is in use, asked from another language, killed."""

import json
import shutil
import signal
import socket
import subprocess
import threading
from collections.abc import Iterator
from pathlib import Path

import httpx2
import psutil
import pytest

from tests.pictures import png, two_classes, zipped
from tests.running import Running, until
from tests.world import small_recipe

# Walks the protocol by Node's own HTTP, and prints what it was told.
_WALK = """
const http = require("node:http");
const [port, token] = process.argv.slice(2);
const ask = (method, path, body) => new Promise((resolve, reject) => {
  const headers = { Authorization: `Bearer ${token}`, "Content-Type": "application/json" };
  const request = http.request({ port, host: "127.0.0.1", method, path, headers }, (answer) => {
    let text = "";
    answer.on("data", (part) => { text += part; });
    answer.on("end", () => resolve({ status: answer.statusCode, body: JSON.parse(text) }));
  });
  request.on("error", reject);
  request.end(body && JSON.stringify(body));
});
(async () => {
  const found = await ask("GET", "/v2/models/ridge");
  const shape = [2, ...found.body.inputs[0].shape.slice(1)];
  const data = Array.from({ length: shape.reduce((all, side) => all * side, 1) }, (_, n) => (n * 7) % 256);
  const asked = { inputs: [{ name: "pixels", datatype: "UINT8", shape, data }] };
  const answer = await ask("POST", "/v2/models/ridge/infer", asked);
  console.log(JSON.stringify({ ready: (await ask("GET", "/v2/health/ready")).status, answer }));
})();
"""


@pytest.fixture(scope="module")
def application(open_folder: Path) -> Iterator[Running]:
    running = Running(open_folder / "serving")
    running.wait_ready()
    project = running.bring_in("Ridge", zipped(two_classes()))
    running.ask("POST", f"/api/projects/{project}/runs", json={"recipe": small_recipe(epochs=1)})
    runs = f"/api/projects/{project}/runs"
    until("it has ended", lambda: running.ask("GET", runs)["runs"][0]["state"] == "ended")
    # Nobody pays for an engine that has nothing to answer by.
    assert running.ask("GET", "/api/serving")["answers"] is False
    model = running.ask("GET", f"/api/projects/{project}/models")[0]["id"]
    offer = running.ask("POST", f"/api/models/{model}/offers", json={"name": "Ridge"})
    running.ask("PATCH", f"/api/offers/{offer['id']}", json={"state": "in_use"})
    yield running
    running.stop()


def _secret(running: Running) -> str:
    return str(running.ask("POST", "/api/tokens", json={"name": "Somebody"})["secret"])


def _asked(running: Running, secret: str) -> int:
    """The status of an answer; 0 for none."""
    headers = {"Authorization": f"Bearer {secret}", "Content-Type": "image/png"}
    address = f"http://127.0.0.1:{running.serving_port}/models/ridge/predict"
    try:
        return httpx2.post(address, content=png(4), headers=headers, timeout=20).status_code
    except httpx2.TransportError:
        return 0


def _processes(running: Running) -> list[psutil.Process]:
    children = psutil.Process(running.process.pid).children(recursive=True)
    return [child for child in children if "serve-models" in child.cmdline()]


def test_a_client_in_another_language_walks_the_protocol(application: Running, tmp_path: Path) -> None:
    secret = _secret(application)
    until("it answers", lambda: _asked(application, secret) == 200)
    node = shutil.which("node") or str(Path(__file__).parents[2] / ".stamps" / "node-bin" / "node")
    (tmp_path / "walk.js").write_text(_WALK)
    command = [node, str(tmp_path / "walk.js"), str(application.serving_port), secret]
    said = json.loads(subprocess.run(command, capture_output=True, text=True, check=True, timeout=60).stdout)
    assert (said["ready"], said["answer"]["status"]) == (200, 200)
    (output,) = said["answer"]["body"]["outputs"]
    assert (output["name"], output["datatype"], output["shape"]) == ("probabilities", "FP32", [2, 2])
    assert [sum(output["data"][n : n + 2]) for n in (0, 2)] == pytest.approx([1, 1], abs=1e-5)


def test_it_is_started_again_when_it_dies(application: Running) -> None:
    secret = _secret(application)
    until("it answers", lambda: _asked(application, secret) == 200)
    (process,) = _processes(application)
    process.send_signal(signal.SIGKILL)
    until("another one answers", lambda: _asked(application, secret) == 200)
    (other,) = _processes(application)
    assert other.pid != process.pid


def test_two_hundred_clients_and_slow_ones_are_answered(application: Running) -> None:
    secret = _secret(application)
    until("it answers", lambda: _asked(application, secret) == 200)
    statuses: list[int] = []
    threads = [threading.Thread(target=lambda: statuses.append(_asked(application, secret))) for _ in range(200)]
    # One that never sends its whole body holds nobody up.
    with httpx2.Client() as slow:

        def dripping() -> Iterator[bytes]:
            yield png(4)[:50]
            done.wait(60)

        done = threading.Event()
        headers = {"Authorization": f"Bearer {secret}", "Content-Type": "image/png"}
        address = f"http://127.0.0.1:{application.serving_port}/models/ridge/predict"
        held = threading.Thread(target=lambda: slow.post(address, content=dripping(), headers=headers, timeout=90))
        held.start()
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        done.set()
        held.join()
    # Whoever finds no room is told so, and nobody is cut off.
    assert set(statuses) <= {200, 429}
    assert statuses.count(200) > 100


def test_bodies_that_were_sent_by_half_leave_nothing_behind(application: Running) -> None:
    secret = _secret(application)
    until("it answers", lambda: _asked(application, secret) == 200)
    head = (
        f"POST /models/ridge/predict HTTP/1.1\r\nHost: a\r\nAuthorization: Bearer {secret}\r\n"
        "Content-Type: image/png\r\nContent-Length: 5000\r\n\r\nsecret-crystal"
    )
    for _ in range(20):
        with socket.create_connection(("127.0.0.1", application.serving_port), timeout=20) as half:
            half.sendall(head.encode())
    assert _asked(application, secret) == 200
    log = (application.data_dir / "logs" / "serving.log").read_text()
    assert "Traceback" not in log
    assert "secret-crystal" not in log
    assert secret not in log
