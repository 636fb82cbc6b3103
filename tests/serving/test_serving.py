"""Models that answer others: who is let in, what is answered, the protocol, limits, and one version after the other."""

import datetime as dt
import threading
import time
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from typing import Any

import numpy as np
import pytest
from open_inference.openapi.client import InferenceRequest, OpenInferenceClient
from open_inference.openapi.types import RequestInput, TensorData
from PIL import Image
from starlette.testclient import TestClient

from tests.pictures import encoded, png
from tests.running import until
from tests.serving.conftest import Served
from vast_orchard.at_once.served_figures import figures_of
from vast_orchard.core.judging.calibration import tempered
from vast_orchard.formats.model_file import read_model
from vast_orchard.formats.picture_file import network_pixels
from vast_orchard.serving.answering import Prepared
from vast_orchard.serving.app import create_serving_app
from vast_orchard.store.models import get_model
from vast_orchard.store.offers import change_offer, offer_model
from vast_orchard.store.serving import delete_token, inner_secret, list_served, list_tokens

_PREDICT = "/models/ridge-station/predict"


def _sent(data: bytes, kind: str = "image/png") -> dict[str, Any]:
    return {"content": data, "headers": {"Content-Type": kind}}


def _ask(client: TestClient, token: dict[str, str], data: bytes, address: str = _PREDICT) -> Any:
    return client.post(address, content=data, headers={"Content-Type": "image/png", **token})


def _expected(served: Served, number: int, data: bytes) -> dict[str, float]:
    """What the model of the application makes of a file, calibrated as it is tried."""
    with served.world.context.database.session() as session:
        entry = get_model(session, served.models[number])
    model = read_model(served.world.context.store.read(entry.weights_path))
    logits = model.logits(network_pixels(data, model.preprocessing)[None])
    probabilities = tempered(logits, entry.temperature or 1.0)[0]
    return dict(zip(model.classes, map(float, probabilities), strict=True))


# Who is let in.


def test_without_a_token_nothing_is_answered_but_that_it_is_there(served: Served, asking: TestClient) -> None:
    assert asking.get("/v2/health/live").json() == {"live": True}
    assert asking.get("/v2/health/ready").json() == {"ready": True}
    for token in ({}, {"Authorization": "Bearer orchard_wrong"}, {"Authorization": "Basic eA=="}):
        for address in (
            "/models",
            "/v2",
            "/v2/models/ridge-station",
            "/metrics",
            "/openapi.json",
            "/nothing",
            _PREDICT,
        ):
            answer = asking.get(address, headers=token)
            assert answer.status_code == 401, address
            assert answer.headers["content-type"] == "application/problem+json"
            assert answer.headers["www-authenticate"] == "Bearer"
            assert "ridge" not in answer.text.lower()


def test_a_token_asks_the_models_that_it_names_until_it_expires(served: Served, asking: TestClient) -> None:
    every = served.token()
    own = served.token(offers=[{"project": served.project, "name": "RIDGE station"}])
    other = served.token(offers=[{"project": served.project + 1, "name": "Ridge Station"}])
    soon = served.token(expires_at=dt.datetime.now(dt.UTC) + dt.timedelta(seconds=1.5))
    for token in (every, own, soon):
        assert [one["model"] for one in asking.get("/models", headers=token).json()] == ["ridge-station"]
        assert _ask(asking, token, png(1)).status_code == 200
    assert asking.get("/models", headers=other).json() == []
    # What it may not ask and what there is not are told alike.
    refused, none = _ask(asking, other, png(1)), _ask(asking, other, png(1), "/models/nothing/predict")
    assert (refused.status_code, refused.json()) == (404, none.json())
    figures = [asking.get("/metrics", headers=token).text for token in (every, own, other)]
    assert ['model="ridge-station"' in text for text in figures] == [True, True, False]
    until("it has expired", lambda: _ask(asking, soon, png(1)).status_code == 401)


def test_a_token_that_was_taken_back_lets_nobody_in(served: Served, asking: TestClient) -> None:
    token = served.token()
    assert _ask(asking, token, png(1)).status_code == 200
    with served.world.context.database.session() as session:
        (entry,) = list_tokens(session)
        assert entry.used_at is not None
        delete_token(session, entry.id)
    until("nobody is let in", lambda: _ask(asking, token, png(1)).status_code == 401, 5)


def test_no_two_models_are_asked_by_one_name_and_no_known_address_changes(served: Served) -> None:
    """Names that differ in signs only, and one that is called as another came to be."""
    world = served.world
    with world.context.database.session() as session:
        model = get_model(session, served.models[1])
        signs = offer_model(session, model, "Ridge-Station!")
        change_offer(session, signs.id, {"state": "in_use"})
        clash = offer_model(session, model, f"Ridge Station {served.project}")
        change_offer(session, clash.id, {"state": "in_use"})

    def names() -> dict[str, str]:
        with world.context.database.session() as session:
            return {one.name: one.slug for one in list_served(session)}

    found = names()
    assert found["Ridge Station"] == "ridge-station"
    assert found["Ridge-Station!"] == f"ridge-station-{served.project}"
    assert len(set(found.values())) == 3
    # The first is put away and comes back: nobody has taken its name meanwhile.
    with world.context.database.session() as session:
        change_offer(session, served.offers[0], {"state": "put_away"})
    assert names() == {name: slug for name, slug in found.items() if name != "Ridge Station"}
    served.use(0)
    assert names() == found


# What is answered.


def test_answers_are_those_of_the_application_to_the_last_bit(served: Served, asking: TestClient) -> None:
    token = served.token()
    files = [png(n, (30 + n, 24), level=60 + 30 * n) for n in range(5)]
    for data in files:
        said = _ask(asking, token, data).json()
        (answer,) = said["answers"]
        expected = _expected(served, 0, data)
        assert answer["probabilities"] == expected
        assert answer["answer"] == max(expected, key=expected.__getitem__)
        assert answer["runner_up"]["p"] == sorted(expected.values())[-2]
        assert (said["model"], said["version"]) == ("ridge-station", 1)
        assert len(said["digest"]) == 64
    # Several at once, one of them broken, which is told beside the others.
    form = [("file", (f"{n}.png", data)) for n, data in enumerate([*files, b"no picture"])]
    several = asking.post(_PREDICT, files=form, headers=token).json()["answers"]
    assert [one["probabilities"] for one in several[:5]] == [_expected(served, 0, data) for data in files]
    assert (several[5]["file"], several[5]["answer"]) == ("5.png", None)
    assert several[5]["error"]


def test_a_client_made_from_the_published_protocol_walks_it(served: Served, asking: TestClient) -> None:
    asking.headers.update(served.token())
    client = OpenInferenceClient(base_url="http://testserver", httpx_client=_Passing(asking))
    client.check_server_liveness()
    client.check_server_readiness()
    assert client.read_server_metadata().name == "vast-orchard"
    found = client.read_model_metadata(model_name="ridge-station")
    (taken,), (given,) = found.inputs or [], found.outputs or []
    assert (taken.name, taken.datatype, given.name) == ("pixels", "UINT8", "probabilities")
    side = taken.shape[1]
    pixels = np.random.default_rng(3).integers(0, 256, (3, side, side, 3), np.uint8)
    asked = InferenceRequest(
        id="mine",
        inputs=[RequestInput(name="pixels", shape=[3, side, side, 3], datatype="UINT8",
                             data=TensorData.parse_obj(pixels.ravel().tolist()))],
    )  # fmt: skip
    answer = client.model_infer(model_name="ridge-station", request=asked)
    with served.world.context.database.session() as session:
        entry = get_model(session, served.models[0])
    model = read_model(served.world.context.store.read(entry.weights_path))
    expected = tempered(model.logits(pixels), entry.temperature or 1.0)
    assert answer.id == "mine"
    (output,) = answer.outputs
    data = output.data.__root__ if hasattr(output.data, "__root__") else output.data
    assert np.array(data, np.float32).reshape(3, -1).tolist() == expected.tolist()


class _Passing:
    """What the client takes for its own connection; it says addresses in whole."""

    def __init__(self, client: TestClient) -> None:
        self._client = client

    def request(self, method: str, url: str, **more: Any) -> Any:
        kept = {key: value for key, value in more.items() if key in ("json", "params", "content")}
        return self._client.request(method, url, **kept)


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"name": "other"}, "Send one tensor pixels"), ({"datatype": "FP32"}, "UINT8"),
        ({"shape": [1, 3, 3, 3]}, "of shape"), ({"data": [1, 2]}, "do not fit"),
        ({"data": [300] * 3}, "0 to 255"), ({"data": [0.5] * 3}, "0 to 255"), ({"shape": [65, 0, 0, 0]}, "of shape"),
        ({"data": [["x"], 3]}, "numbers|fit"),
    ],
)  # fmt: skip
def test_tensors_that_do_not_fit_say_what_is_wanted(
    served: Served, asking: TestClient, change: dict[str, Any], words: str
) -> None:
    token = served.token()
    side = asking.get("/v2/models/ridge-station", headers=token).json()["inputs"][0]["shape"][1]
    whole = {"name": "pixels", "shape": [1, side, side, 3], "datatype": "UINT8", "data": [0] * (side * side * 3)}
    answer = asking.post("/v2/models/ridge-station/infer", json={"inputs": [{**whole, **change}]}, headers=token)
    assert answer.status_code == 422, answer.text
    assert any(part in answer.text for part in words.split("|")), answer.text


# One version after the other.


def test_a_new_version_takes_over_and_the_former_comes_back(served: Served, asking: TestClient) -> None:
    token, data = served.token(), png(4, level=150)
    stop, failed, seen = threading.Event(), [], []

    def go_on() -> None:
        while not stop.is_set():
            answer = _ask(asking, token, data)
            if answer.status_code != 200:
                failed.append(answer.text)
                continue
            seen.append((answer.json()["version"], answer.json()["answers"][0]["probabilities"]))

    thread = threading.Thread(target=go_on)
    thread.start()
    try:
        for number in (1, 0):
            served.use(number)
            until(f"version {number + 1} answers", lambda version=number + 1: bool(seen) and seen[-1][0] == version)  # type: ignore[misc]
    finally:
        stop.set()
        thread.join()
    assert failed == []
    # Each answer is wholly of the version that it names.
    expected = {number + 1: _expected(served, number, data) for number in (0, 1)}
    assert all(probabilities == expected[version] for version, probabilities in seen)
    assert asking.get("/v2/models/ridge-station/versions/2", headers=token).status_code == 404
    assert asking.get("/v2/models/ridge-station/versions/1/ready", headers=token).json()["ready"] is True


# Limits.


def test_what_is_too_much_or_broken_is_told(served: Served, asking: TestClient) -> None:
    token = served.token()
    bomb = encoded(Image.new("1", (12_000, 12_000)))
    refusals = [
        (_ask(asking, token, b"no picture"), 422), (_ask(asking, token, png(1)[:70]), 422),
        (_ask(asking, token, b""), 422), (_ask(asking, token, bomb), 422),
        (_ask(asking, token, b"\0" * (65 * 2**20)), 413),
        (asking.post(_PREDICT, content=b"{", headers={"Content-Type": "application/json", **token}), 422),
        (asking.post(_PREDICT, json={"address": "http://127.0.0.1:1/x.png"}, headers=token), 422),
        (asking.post(_PREDICT, data={"a": "b"}, files={}, headers=token), 422),
        (asking.get("/models/ridge-station/predict", headers=token), 405),
    ]  # fmt: skip
    for answer, status in refusals:
        assert answer.status_code == status, answer.text
        assert answer.headers["content-type"] == "application/problem+json"
        assert answer.json()["detail"]
    text = asking.get("/metrics", headers=token).text
    assert 'orchard_refused_total{status="413"} 0.0' not in text
    assert 'orchard_refused_total{status="422"}' in text


def test_so_many_pictures_a_minute(served: Served, asking: TestClient) -> None:
    token = served.token(per_minute=3)
    # Within one minute of the clock, whichever it is: a fourth is one too many.
    while time.time() % 60 > 55:
        time.sleep(0.2)
    assert [_ask(asking, token, png(n)).status_code for n in range(3)] == [200] * 3
    slower = _ask(asking, token, png(9))
    assert slower.status_code == 429
    assert 1 <= int(slower.headers["retry-after"]) <= 60
    assert _ask(asking, served.token(), png(9)).status_code == 200


def test_requests_at_the_same_time_go_into_one_batch_and_a_full_queue_says_so(
    served: Served, monkeypatch: pytest.MonkeyPatch
) -> None:
    held, sizes = threading.Event(), []
    real = Prepared.probabilities

    def slow(self: Prepared, pixels: Any) -> Any:
        sizes.append(len(pixels))
        held.wait(20)
        return real(self, pixels)

    monkeypatch.setattr(Prepared, "probabilities", slow)
    settings = replace(served.world.context.settings, serving_room=6)
    with TestClient(create_serving_app(settings)) as asking, ThreadPoolExecutor(12) as threads:
        until("it is ready", lambda: asking.get("/v2/health/ready").status_code == 200)
        token = served.token()
        first = threads.submit(_ask, asking, token, png(0))
        until("one is computed", lambda: sizes == [1])
        others = [threads.submit(_ask, asking, token, png(n)) for n in range(1, 7)]
        shelf = asking.app.state.serving.shelf  # type: ignore[attr-defined]
        until("six wait", lambda: shelf.find("ridge-station").batches.waiting == 6)
        full = _ask(asking, token, png(20))
        assert (full.status_code, full.headers["retry-after"]) == (429, "1")
        held.set()
        assert first.result().status_code == 200
        assert [one.result().status_code for one in others] == [200] * 6
        assert sizes == [1, 6]
        assert [one.result().json()["answers"][0]["probabilities"] for one in others] == [
            _expected(served, 0, png(n)) for n in range(1, 7)
        ]


def test_what_was_answered_is_counted_and_no_picture_is_kept(served: Served, asking: TestClient) -> None:
    token = served.token()
    before = {path for path in served.world.context.settings.data_dir.rglob("*") if path.is_file()}
    answers = [_ask(asking, token, png(n, level=60 + 20 * n)).json()["answers"][0]["answer"] for n in range(6)]
    text = asking.get("/metrics", headers=token).text
    assert 'orchard_pictures_total{model="ridge-station",version="1"} 6.0' in text
    for name in set(answers):
        line = f'orchard_answers_total{{answer="{name}",model="ridge-station",version="1"}} {answers.count(name)}.0'
        assert line in text
    assert 'orchard_request_seconds_count{model="ridge-station",version="1"} 6.0' in text
    # The application reads the same by a secret of its own, which lets it in nowhere else.
    inner = {"Authorization": f"Bearer {inner_secret(served.world.context.database.plain_url)}"}
    figures, refused = figures_of(asking.get("/metrics", headers=inner).text)
    assert asking.get("/models", headers=inner).status_code == 401
    (found,) = figures
    assert (found["model"], found["version"], found["requests"], found["pictures"]) == ("ridge-station", 1, 6, 6)
    assert found["answers"] == {name: answers.count(name) for name in answers}
    assert set(refused) <= {"503"}  # asked before it was ready
    assert {path for path in served.world.context.settings.data_dir.rglob("*") if path.is_file()} == before
