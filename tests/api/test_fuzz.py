"""Whatever is sent, the API answers, and never with an error of its own."""

from typing import Any

import schemathesis
from hypothesis import HealthCheck, Phase, given, settings
from schemathesis.core.result import Ok
from starlette.testclient import TestClient

_BASE = "http://127.0.0.1:8420"
_SETTINGS = settings(
    max_examples=10,
    deadline=None,
    database=None,
    derandomize=True,
    phases=[Phase.generate],
    suppress_health_check=list(HealthCheck),
)


def test_no_request_breaks_the_server(client: TestClient) -> None:
    # Something to find: a project, so that not every path ends in "there is no such thing".
    client.post("/api/projects", json={"name": "Fuzzed"})
    described = schemathesis.openapi.from_dict(client.get("/api/openapi.json").json())
    asked = 0
    for result in described.get_all_operations():
        assert isinstance(result, Ok), result
        operation = result.ok()
        if operation.path == "/api/events":
            continue  # the stream never ends

        @_SETTINGS
        @given(case=operation.as_strategy())
        def ask(case: schemathesis.Case[Any]) -> None:
            nonlocal asked
            sent = case.as_transport_kwargs(base_url=_BASE)
            if isinstance(sent.get("data"), str | bytes):
                sent["content"] = sent.pop("data")
            known = ("method", "url", "headers", "params", "json", "data", "files", "content")
            answer = client.request(**{key: value for key, value in sent.items() if key in known})
            asked += 1
            assert answer.status_code < 500, f"{case.method} {case.formatted_path}: {answer.text}"

        ask()
    assert asked > 200
