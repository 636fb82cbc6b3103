"""Network files that come in: looked at, asked about, brought in as a model that is judged, tried and started from."""

from typing import Any

import numpy as np
import pytest
from starlette.testclient import TestClient

from tests.formats.graphs import Sketch
from tests.formats.test_forms import _model
from tests.pictures import png
from tests.world import World, small_recipe
from vast_orchard.core.pictures.preprocessing import Preprocessing
from vast_orchard.formats.network_file.comparing import runtime_answers
from vast_orchard.formats.onnx_model import onnx_bytes
from vast_orchard.formats.picture_file import network_pixels


@pytest.fixture
def project(client: TestClient, world: World) -> int:
    number = int(client.post("/api/projects", json={"name": "Crystals"}).json()["id"])
    members = {
        f"{name}/{n}.png": png(60 * k + n, level=60 + 120 * k)
        for k, name in enumerate(("plate", "rime"))
        for n in range(30)
    }
    world.bring_in(number, members)
    return number


def _foreign(classes: int = 3) -> bytes:
    """Of another program: channels first, numbers that a softmax comes behind."""
    sketch = Sketch(("N", 3, 16, 16), seed=3)
    sketch.conv(8, 3, pads=[1, 1, 1, 1], strides=[2, 2])
    sketch.norm(8)
    sketch.put("Relu")
    sketch.put("Flatten")
    sketch.dense(classes, 8 * 64)
    return sketch.bytes()


def _sent(client: TestClient, data: bytes, name: str = "ridge.onnx") -> str:
    upload = str(client.post("/api/uploads").json()["id"])
    put = client.put(f"/api/uploads/{upload}/files", data={"path": name}, files={"file": ("file", data)})
    assert put.status_code == 204, put.text
    return upload


def _look(client: TestClient, project: int, upload: str, **answers: Any) -> Any:
    body = {"upload": upload, "answers": answers}
    return client.post(f"/api/projects/{project}/network-file-looks", json=body)


def _bring_in(client: TestClient, project: int, upload: str, **answers: Any) -> Any:
    return client.post(f"/api/projects/{project}/network-files", json={"upload": upload, "answers": answers})


def test_a_file_is_asked_about_and_shows_what_it_sees(client: TestClient, project: int) -> None:
    upload = _sent(client, _foreign())
    first = _look(client, project, upload).json()
    assert (first["asks"], first["outputs"], first["size"]) == (["preprocessing", "classes"], 3, 16)
    assert (first["softmax"], first["difference"]) == (False, None)
    assert len(first["seen"]) == 6
    named = _look(client, project, upload, classes=["Rime", "needle", "plate"], scale="signed").json()
    assert named["difference"] <= 1e-4
    assert named["compared"] == 32
    assert [layer["kind"] for layer in named["layers"]] == ["pad", "conv", "batch_norm", "relu", "flatten", "dense"]
    # Nothing came of looking.
    assert client.get(f"/api/projects/{project}/runs").json()["runs"] == []


def test_it_comes_in_as_a_model_for_everything(client: TestClient, world: World, project: int) -> None:
    answer = _bring_in(client, project, _sent(client, _foreign()), classes=["Rime", "needle", "plate"])
    assert answer.status_code == 201, answer.text
    run = answer.json()
    assert (run["state"], run["ended_by"], run["name"]) == ("ended", "brought", "ridge")
    assert run["ending"]["file"] == "ridge.onnx"
    assert run["ending"]["difference"] <= 1e-4
    model = run["model"]
    # Matched to the project's class whatever its capitals, in the order of the outputs; one is new.
    classes = {entry["name"]: entry["id"] for entry in client.get(f"/api/projects/{project}/classes").json()}
    assert [entry["name"] for entry in model["classes"]] == ["rime", "needle", "plate"]
    assert [entry["id"] for entry in model["classes"]] == [classes["rime"], classes["needle"], classes["plate"]]
    # What it answers is what the file's own graph answers.
    picture = png(5)
    (said,) = client.post(f"/api/models/{model['id']}/try", files={"files": ("a.png", picture)}).json()
    pixels = network_pixels(picture, Preprocessing(size=16))[None].transpose(0, 3, 1, 2).astype(np.float32) / 255
    theirs = runtime_answers("ridge", _foreign(), pixels, softmax=False)
    assert np.abs(np.array(said["probabilities"]) - theirs[0]).max() <= 1e-4
    # Judged, by the job that was started with it, and counted on the pictures of the classes that it knows.
    (job,) = [entry for entry in client.get("/api/jobs").json() if entry["kind"] == "judge"]
    assert world.run(job["id"]).state == "done"
    judged = client.get(f"/api/models/{model['id']}/judgement").json()
    assert judged["count"] == run["counts"]["validation"] > 0
    # Handed over, and started from.
    export = client.post(f"/api/models/{model['id']}/exports", json={"form": "graph"}).json()
    (job,) = [entry for entry in client.get("/api/jobs").json() if entry["kind"] == "export"]
    assert world.run(job["id"]).state == "done"
    assert client.get(f"/api/exports/{export['id']}/file").status_code == 200
    starts = client.get(f"/api/projects/{project}/starting-models").json()
    assert [entry["model_id"] for entry in starts] == [model["id"]]
    before = {**client.get("/api/recipe").json()["preprocessing"], "size": 16}
    recipe = {**small_recipe(epochs=1), "start": {"model_id": model["id"]}, "preprocessing": before}
    recipe.pop("network")
    started = client.post(f"/api/projects/{project}/runs", json={"recipe": recipe})
    assert started.status_code == 202, started.text
    (job,) = [entry for entry in client.get("/api/jobs").json() if entry["kind"] == "train"]
    assert world.run(job["id"]).state == "done"


def test_what_was_handed_over_asks_nothing(client: TestClient, project: int) -> None:
    model = _model()
    upload = _sent(client, onnx_bytes(model), "out.onnx")
    found = _look(client, project, upload).json()
    assert (found["asks"], found["names"]) == ([], list(model.classes))
    assert found["preprocessing"]["area"]["keep"] == [0.0, 0.0, 1.0, 0.75]
    assert _bring_in(client, project, upload, classes=["plate", "rime", "other"]).status_code == 201


def test_what_cannot_be_is_refused_and_nothing_is_left(client: TestClient, project: int) -> None:
    sketch = Sketch()
    sketch.conv(4, 3)
    sketch.put("Erf")
    sketch.put("GlobalAveragePool")
    sketch.put("Flatten")
    sketch.dense(2, 4)
    upload = _sent(client, sketch.bytes())
    found = _look(client, project, upload).json()
    assert [(entry["operator"], entry["node"]) for entry in found["refused"]] == [("Erf", "erf_2")]
    refusals = [
        (_bring_in(client, project, upload), 422, "Erf"),
        (_bring_in(client, project, _sent(client, b"none")), 422, "no ONNX file"),
        (_bring_in(client, project, _sent(client, _foreign())), 409, "3 outputs"),
        (_bring_in(client, project, _sent(client, _foreign()), classes=["a", "A", "b"]), 422, "one name"),
        (_bring_in(client, project, _sent(client, _foreign()), classes=["a", "b", "c"]), 409, "No picture"),
        (_bring_in(client, project, "0" * 32), 422, "not the id of an upload"),
    ]
    for answer, status, words in refusals:
        assert answer.status_code == status, answer.text
        assert any(part in answer.text for part in words.split("|")), answer.text
    assert client.get(f"/api/projects/{project}/runs").json()["runs"] == []
    assert {entry["name"] for entry in client.get(f"/api/projects/{project}/classes").json()} == {"plate", "rime"}
