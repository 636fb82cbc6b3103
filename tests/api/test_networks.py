"""Networks over HTTP: what a list comes to, kept by name in versions, trained by name, and what is refused."""

import os
from pathlib import Path
from types import SimpleNamespace
from typing import Any

import pytest
from starlette.testclient import TestClient

from tests.pictures import png
from tests.world import World, small_recipe
from vast_orchard.kernel_cache import FOLDER_VARIABLE, keep_pace

_LAYERS: list[dict[str, Any]] = [
    {"kind": "conv_block", "channels": 4},
    {"kind": "repeat", "times": 2, "layers": [{"kind": "residual_block", "channels": 4, "stride": 2}]},
    {"kind": "head"},
]


@pytest.fixture
def project(client: TestClient, world: World) -> int:
    made = int(client.post("/api/projects", json={"name": "Crystals"}).json()["id"])
    world.bring_in(
        made, {f"{name}/s{n % 5}_{n}.png": png(n + 100 * k) for k, name in enumerate("pn") for n in range(20)}
    )
    return made


def _check(client: TestClient, project: int, layers: list[dict[str, Any]]) -> dict[str, Any]:
    body = {"layers": layers, "size": 32, "channels": 3, "pictures": 28}
    answer = client.post(f"/api/projects/{project}/network-check", json=body)
    assert answer.status_code == 200, answer.text
    return dict(answer.json())


def test_times_are_told_by_the_pace_of_the_machine(
    client: TestClient, project: int, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv(FOLDER_VARIABLE, str(tmp_path))
    asked = f"/api/projects/{project}/networks?pictures=200&validation=40&size=32"
    assert {entry["epoch_s"] for entry in client.get(asked).json()} == {None}
    for threads in range(1, 129):  # as many as this machine has
        keep_pace(os.environ, threads, 2.0)
    told = client.get(asked).json()
    assert all(entry["epoch_s"] > 0 and entry["answer_s"] > 0 for entry in told)
    # Without pictures an answer still takes its time.
    assert [entry["epoch_s"] for entry in client.get(asked.replace("200", "0")).json()] == [None] * len(told)
    # The same list written as one's own is told the same, in everything.
    body = {"layers": told[0]["written"], "size": 32, "channels": 3, "pictures": 200, "validation": 40}
    own = client.post(f"/api/projects/{project}/network-check", json=body).json()
    sums = ("epoch_s", "answer_s", "parameters", "multiply_adds", "receptive_field", "memory_bytes", "file_bytes")
    assert [own[name] for name in sums] == [told[0][name] for name in sums]


def test_the_batch_that_fits_is_the_largest_one_that_the_free_memory_holds(
    client: TestClient, project: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    def told(batch: int) -> dict[str, Any]:
        found: dict[str, Any] = client.get(f"/api/projects/{project}/networks?size=32&batch_size={batch}").json()[0]
        return found

    assert told(64)["memory_free_bytes"] > 1e8
    free = (told(9)["memory_bytes"] + told(10)["memory_bytes"]) // 2
    monkeypatch.setattr("psutil.virtual_memory", lambda: SimpleNamespace(available=free))
    assert (told(64)["batch_that_fits"], told(64)["memory_free_bytes"]) == (9, free)
    monkeypatch.setattr("psutil.virtual_memory", lambda: SimpleNamespace(available=1000))
    assert told(64)["batch_that_fits"] == 0


def test_errors_of_ready_networks_were_measured_on_what_they_are_today(client: TestClient, project: int) -> None:
    for entry in client.get(f"/api/projects/{project}/networks").json():
        assert set(entry["errors"]) == {"crystals", "strokes", "things"}, f"Measure {entry['name']} again."
        assert all(0 < error < 0.9 for error in entry["errors"].values())
        assert entry["measured"]["seeds"] >= 5 and entry["measured"]["judged"] >= 2000


@pytest.mark.parametrize(("former", "today"), [("very small", "plain 4"), ("medium", "plain 8")])
def test_a_ready_network_answers_to_its_former_name(client: TestClient, project: int, former: str, today: str) -> None:
    started = client.post(f"/api/projects/{project}/runs", json={"recipe": {**small_recipe(), "network": former}})
    assert started.json()["recipe"]["network"] == today
    taken = {"name": former, "value": {"layers": _LAYERS}}
    assert client.post(f"/api/projects/{project}/ingredients/network", json=taken).status_code == 422


def test_a_list_is_checked_and_mended_as_it_is_written(client: TestClient, project: int) -> None:
    found = _check(client, project, [{"kind": "conv_block", "channels": 4}, {"kind": "dense", "outputs": 9}])
    assert (found["wrong"]["line"], found["wrong"]["repair"]["words"]) == ([1], "Put the mean over each map before it")
    assert [line["shape"] for line in found["lines"]] == [[32, 32, 4]]
    again = _check(client, project, found["wrong"]["repair"]["layers"])
    assert again["wrong"]["repair"]["words"] == "Set outputs to 0"
    sound = _check(client, project, again["wrong"]["repair"]["layers"])
    assert sound["wrong"] is None
    # 3·3·3·4 and batch norm; four values to two classes. What nothing was said about is written out.
    assert sound["parameters"] == 108 + 8 + 10
    assert sound["written"][0] == {
        "id": "conv_block_1", "kind": "conv_block", "channels": 4, "kernel": 3, "stride": 1, "convolutions": 1,
        "activation": "relu",
    }  # fmt: skip
    assert [doubt["what"][:16] for doubt in sound["doubts"]] == ["A value of the l", "Maps of 32×32 ar"]
    (repair,) = [doubt["repair"] for doubt in sound["doubts"] if doubt["repair"]]
    assert [part["kind"] for part in repair["layers"]] == ["conv_block", "max_pool", "global_average_pool", "dense"]
    kinds = {part["kind"]: part for part in client.get("/api/network-parts").json()}
    assert {"conv", "attention_block", "repeat", "hard_swish"} <= kinds.keys()
    assert kinds["conv_block"]["settings"][0] == {"name": "channels", "type": "int", "default": None, "choices": []}
    # A block in the place of which its layers are put is the same network.
    blocks: list[dict[str, Any]] = [
        {"kind": "conv_block", "channels": 4},
        {"kind": "residual_block", "channels": 4},
        {"kind": "head"},
    ]
    closed = _check(client, project, blocks)
    (opened,) = [entry["layers"] for entry in closed["opened"] if entry["line"] == [1]]
    again = _check(client, project, [*closed["written"][:1], *opened, *closed["written"][2:]])
    assert again["wrong"] is None and again["parameters"] == closed["parameters"]
    assert len(again["lines"]) == 2 + len(opened) == 2 + 7
    for ready in client.get(f"/api/projects/{project}/networks").json():
        assert _check(client, project, ready["written"])["wrong"] is None


def test_a_network_is_kept_in_versions_and_trained_by_name(client: TestClient, world: World, project: int) -> None:
    path = f"/api/projects/{project}/ingredients/network"
    first = client.post(path, json={"name": "Mine", "value": {"layers": _LAYERS}, "new": True}).json()
    assert (first["version"], first["value"]["layers"][1]["layers"][0]["channels"]) == (1, 4)
    recipe = {**small_recipe(), "network": "mine"}
    run = client.post(f"/api/projects/{project}/runs", json={"recipe": recipe})
    assert run.status_code == 202, run.text
    assert run.json()["recipe"]["network"] == "Mine, version 1"
    held = client.get(f"/api/runs/{run.json()['id']}/network").json()
    assert [layer["kind"] for layer in held["layers"]].count("add") == 2
    assert held["layers"][-1]["shape"] == [2]

    # A version that a run has used stays; what was changed is the next.
    wider = {"layers": [{"kind": "conv_block", "channels": 8}, *first["value"]["layers"][1:]]}
    second = client.post(path, json={"name": "Mine", "value": wider, "was": first["value"]}).json()
    assert second["version"] == 2
    assert [entry["runs"] for entry in client.get(path).json()] == [[], [1]]
    older = client.post(
        f"/api/projects/{project}/runs", json={"recipe": {**recipe, "network": "Mine, version 1"}}
    ).json()
    assert older["parameters"] == run.json()["parameters"]
    newest = client.post(f"/api/projects/{project}/runs", json={"recipe": recipe}).json()
    assert newest["recipe"]["network"] == "Mine, version 2" and newest["parameters"] > older["parameters"]

    # Another window that has not seen it does not write over it.
    stale = client.post(path, json={"name": "Mine", "value": {"layers": _LAYERS}, "was": first["value"]})
    assert stale.status_code == 409 and "changed in another window" in stale.json()["detail"]
    assert client.get(path).json()[0]["value"] == second["value"]


@pytest.mark.parametrize(
    ("body", "status", "words"),
    [
        ({"name": "plain 8", "value": {"layers": _LAYERS}}, 422, "name of a ready network"),
        ({"name": "Mine, version 3", "value": {"layers": _LAYERS}}, 422, "ends like that of a version"),
        ({"name": "mine", "value": {"layers": _LAYERS}, "new": True}, 409, "'Mine' already"),
        ({"name": "Other", "value": {"layers": [{"kind": "wave"}]}}, 422, "unknown kind 'wave'"),
        ({"name": "Other", "value": {}}, 422, "layers are None"),
        ({"name": "Other", "value": {"layers": [{"kind": "relu"}] * 1001}}, 422, "1001 layers"),
    ],
)
def test_what_cannot_be_kept_is_refused_in_words(
    client: TestClient, project: int, body: dict[str, Any], status: int, words: str
) -> None:
    path = f"/api/projects/{project}/ingredients/network"
    client.post(path, json={"name": "Mine", "value": {"layers": _LAYERS}})
    answer = client.post(path, json=body)
    assert answer.status_code == status and words in answer.json()["detail"], answer.text
    assert [entry["name"] for entry in client.get(path).json()] == ["Mine"]


def test_a_network_that_does_not_hold_together_or_is_not_there_is_not_trained(client: TestClient, project: int) -> None:
    path = f"/api/projects/{project}/ingredients/network"
    client.post(path, json={"name": "Half", "value": {"layers": [{"kind": "relu"}]}})
    for name, status, words in (("Half", 422, "not one value for each"), ("Nobody's", 422, "no network")):
        recipe = {**small_recipe(), "network": name}
        answer = client.post(f"/api/projects/{project}/runs", json={"recipe": recipe})
        assert answer.status_code == status and words in answer.json()["detail"], answer.text
    assert client.get(f"/api/projects/{project}/runs").json()["runs"] == []
