"""Whatever is sent, the API answers, never with an error of its own, and always in the one form.

The gate sends some two thousand requests; more by hand: FUZZ_REQUESTS=20000 FUZZ_SEED=7 ./test tests/api/test_fuzz.py
"""

import os
import time
from pathlib import Path
from typing import Any

import httpx2
import pytest
import schemathesis
from hypothesis import HealthCheck, Phase, given, settings
from schemathesis.core.result import Ok
from starlette.testclient import TestClient

from tests.api.hostile import hostile_requests
from tests.pictures import png
from tests.world import World, list_pictures

_BASE = "http://127.0.0.1:8420"
_COUNT, _SEED = int(os.environ.get("FUZZ_REQUESTS", "1200")), int(os.environ.get("FUZZ_SEED", "1"))
# Above this a request counts as one that hangs, also on a machine that does other things.
_LIMIT_S = float(os.environ.get("FUZZ_LIMIT_S", "30"))
_SETTINGS = settings(
    max_examples=int(os.environ.get("FUZZ_EXAMPLES", "10")),
    database=None,
    derandomize=True,
    phases=[Phase.generate],
    suppress_health_check=list(HealthCheck),
)


@pytest.fixture
def known(client: TestClient, world: World, tmp_path: Path) -> dict[str, Any]:
    """Something to find: ids of things that are there, so that not every path ends in "there is no such thing"."""
    project = world.project("Fuzzed")
    members = {f"{name}/{n}.png": png(10 * n + len(name)) for name in ("plate", "needle") for n in range(20)}
    world.bring_in(project, members)
    run, job = world.run_job(project)
    world.run(job)
    with world.context.database.session() as session:
        first = list_pictures(session, project)[0]
    model = client.get(f"/api/runs/{run}").json()["model"]["id"]
    made = client.post(f"/api/models/{model}/exports").json()
    return {
        "project_id": project, "run_id": run, "model_id": model, "job_id": job, "import_id": 1,
        "class_id": first.class_id, "split_id": 1,
        "other_id": 1, "picture_id": first.id, "picture_ids": first.id, "sha256": first.sha256, "run": run, "split": 1,
        "export_id": made["id"], "parcel_id": 1, "kind": "variation", "upload_id": "0123456789abcdef",
        "location": "0123456789abcdef", "class_ids": first.class_id,
    }  # fmt: skip


def _check(answer: httpx2.Response, what: str) -> None:
    assert answer.status_code < 500 or answer.status_code == 503, f"{what}: {answer.status_code} {answer.text[:300]}"
    if answer.status_code >= 400:
        assert answer.headers["content-type"] == "application/problem+json", what
        assert {"type", "title", "status", "detail", "mend"} <= answer.json().keys(), what
        assert answer.json()["status"] == answer.status_code, what


def test_no_hostile_value_breaks_the_server(client: TestClient, known: dict[str, Any]) -> None:
    described = client.get("/api/openapi.json").json()
    worst, statuses = (0.0, ""), set[tuple[str, int]]()
    for request in hostile_requests(described, known, _COUNT, _SEED):
        what = f"{request.method} {request.path[:120]} with {request.note}"
        began = time.monotonic()
        try:
            answer = client.request(
                request.method, request.path, params=request.query, headers=request.headers, content=request.content
            )
        except (httpx2.InvalidURL, UnicodeEncodeError):
            continue  # no client can send that
        except Exception as error:
            raise AssertionError(f"{what}: {type(error).__name__}: {error}") from error
        worst = max(worst, (time.monotonic() - began, what))
        statuses.add((request.method, answer.status_code))
        _check(answer, what)
        if request.method == "DELETE":
            # Else everything after it would find nothing.
            client.post(f"/api/projects/{known['project_id']}/restore")
    assert {("GET", 200), ("POST", 200), ("POST", 201), ("POST", 202), ("GET", 404), ("PUT", 422)} <= statuses
    assert worst[0] < _LIMIT_S, worst


def test_no_request_by_the_schema_breaks_the_server(client: TestClient, known: dict[str, Any]) -> None:
    described = schemathesis.openapi.from_dict(client.get("/api/openapi.json").json())
    asked = operations = 0
    for result in described.get_all_operations():
        assert isinstance(result, Ok), result
        operation = result.ok()
        if operation.path == "/api/events":
            continue  # the stream never ends
        operations += 1

        @_SETTINGS
        @given(case=operation.as_strategy())
        def ask(case: schemathesis.Case[Any]) -> None:
            nonlocal asked
            sent = case.as_transport_kwargs(base_url=_BASE)
            if isinstance(sent.get("data"), str | bytes):
                sent["content"] = sent.pop("data")
            passed = ("method", "url", "headers", "params", "json", "data", "files", "content")
            answer = client.request(**{key: value for key, value in sent.items() if key in passed})
            asked += 1
            _check(answer, f"{case.method} {case.formatted_path}")

        ask()
    # Some take nothing and are asked once; that most are asked more often shows that values are made at all.
    assert operations > 80 and asked > 2 * operations
