"""Requests that mean harm: every operation of the API, with one value exchanged for one that nobody expects."""

import json
import random
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from typing import Any
from urllib.parse import quote

__all__ = ["Hostile", "hostile_requests"]

_TEXTS: tuple[Any, ...] = (
    "", " ", "\0", "a\0b", "a" * 300, "a" * 70_000, "../../etc/passwd", "/etc/passwd", "/%00", "..%2f..%2f", "\ud800",
    "‮abc", "'; drop table picture; --", "❄" * 80, "=1+1", "http://[", "(" * 3000, "²", "٣", "-1", "NaN", "1e999",
    "99999999999999999999", "\r\nSet-Cookie: x=1", "%s%n", "{}", "null", "true", "C:\\x", "a/" * 990 + "b",
    'name:"', "width<1e999", "width<99999999999999999999", "class:" + "a," * 900, "came<9999-99-99", "p<nan",
    "order:-loss,-loss,name", "not " * 900 + "plate", "(" * 40 + "plate" + ")" * 40, "size>9e99GB", "came:0d",
    "changed:99999999999d", "side>1e308 shape>1e-308", "name:" + "*" * 200, "id:5",
)  # fmt: skip
_NUMBERS: tuple[Any, ...] = (
    0, -1, 1, 2**31 - 1, 2**31, 2**32, 2**62, 2**63 - 1, 2**63, 2**64, 10**30, -(2**63), 1.5, 1e308, -1e-308, True,
    None, "1", "²", "", [], {},
)  # fmt: skip
_OTHERS: tuple[Any, ...] = (
    None, True, 0, "", [], {}, [None], [[]], {"a": {"b": {}}}, [1] * 3000, ["a"] * 3000, [2**63], [-1], [1.5],
    [[1]] * 9,
)  # fmt: skip
_RAW: tuple[bytes, ...] = (
    b"", b"{", b"[" * 100_000, b"\xff\xfe\x00", b'{"a": ' + b"1" * 6000 + b"}", b"NaN", b'{"name": "\\ud800"}', b"null",
    b'{"a": NaN, "b": Infinity}', b'{"' + b"k" * 9000 + b'": 1}', b"[]", b"5", b'"x"',
)  # fmt: skip
_HEADERS: Mapping[str, tuple[str, ...]] = {
    "X-Window": ("", "a" * 300, "\t", "%00", "one;two", "2" * 64),
    "Content-Type": ("", "text/plain", "application/xml", "multipart/form-data", "application/json; charset=utf-99"),
    "Accept": ("", "*/*;q=x"),
    "Range": ("bytes=0-", "bytes=9-1", "bytes=" + "1-2," * 900, "x"),
    "If-None-Match": ('"x"', "*" * 500),
    "Cookie": ("a=" + "b" * 3000,),
}


@dataclass(frozen=True, kw_only=True)
class Hostile:
    """One request."""

    method: str
    path: str
    query: dict[str, Any] = field(default_factory=dict)
    headers: dict[str, str] = field(default_factory=dict)
    content: bytes | None = None
    note: str = ""  # which value was exchanged


def _resolved(schema: Mapping[str, Any], described: Mapping[str, Any]) -> Mapping[str, Any]:
    while "$ref" in schema:
        schema = described["components"]["schemas"][schema["$ref"].rpartition("/")[2]]
    for kind in ("anyOf", "oneOf", "allOf"):
        if kind in schema:
            return _resolved(next(x for x in schema[kind] if x.get("type") != "null"), described)
    return schema


def _example(schema: Mapping[str, Any], described: Mapping[str, Any], known: Mapping[str, Any], name: str = "") -> Any:
    """A value that the schema allows, with the ids of things that are there."""
    schema = _resolved(schema, described)
    if name in known:
        return [known[name]] if schema.get("type") == "array" else known[name]
    if "enum" in schema:
        return schema["enum"][0]
    if "const" in schema:
        return schema["const"]
    match schema.get("type"):
        case "integer" | "number":
            return schema.get("minimum", 1)
        case "boolean":
            return False
        case "array":
            return [_example(schema["items"], described, known)] if schema.get("minItems") else []
        case "object":
            wanted = schema.get("properties", {})
            needed = set(schema.get("required", ())) | set(known)
            return {key: _example(value, described, known, key) for key, value in wanted.items() if key in needed}
        case _:
            return "x"


def _values_for(schema: Mapping[str, Any], described: Mapping[str, Any]) -> tuple[Any, ...]:
    match _resolved(schema, described).get("type"):
        case "integer" | "number":
            return _NUMBERS
        case "string":
            return (*_TEXTS, *_OTHERS)
        case _:
            return (*_OTHERS, *_NUMBERS, *_TEXTS[:8])


def _places(value: Any, path: tuple[Any, ...] = ()) -> Iterator[tuple[Any, ...]]:
    """Every place inside a JSON value."""
    yield path
    inner = value.items() if isinstance(value, dict) else enumerate(value[:2]) if isinstance(value, list) else ()
    for key, part in inner:
        yield from _places(part, (*path, key))


def _exchanged(value: Any, path: tuple[Any, ...], new: Any) -> Any:
    if not path:
        return new
    copied = list(value) if isinstance(value, list) else dict(value)
    copied[path[0]] = _exchanged(value[path[0]], path[1:], new)
    return copied


def _of_operation(
    method: str, path: str, operation: Mapping[str, Any], described: Mapping[str, Any], known: Mapping[str, Any]
) -> Iterator[Hostile]:
    parameters = operation.get("parameters", [])
    ids = {p["name"]: known.get(p["name"], 1) for p in parameters if p["in"] == "path"}
    content = operation.get("requestBody", {}).get("content", {})
    schema = content.get("application/json", {}).get("schema")
    body = _example(schema, described, known) if schema else None
    sent = {"X-Window": "hostile", **({"Content-Type": "application/json"} if body is not None else {})}

    def request(
        note: str,
        *,
        ids: Mapping[str, Any] = ids,
        query: Mapping[str, Any] | None = None,
        headers: Mapping[str, str] = sent,
        raw: bytes | None = None,
    ) -> Hostile:
        filled = path
        for name, value in ids.items():
            filled = filled.replace("{" + name + "}", quote(str(value), safe="", errors="surrogatepass"))
        return Hostile(
            method=method.upper(),
            path=filled,
            query=dict(query or {}),
            headers=dict(headers),
            content=raw if raw is not None else json.dumps(body).encode() if body is not None else None,
            note=note,
        )

    yield request("nothing")
    for p in parameters:
        for value in (*_values_for(p["schema"], described), *_TEXTS):
            note = f"{p['in']} {p['name']} = {str(value)[:40]!r}"
            if p["in"] == "path":
                yield request(note, ids={**ids, p["name"]: value})
            elif p["in"] == "query":
                yield request(note, query={p["name"]: value})
    for name, values in _HEADERS.items():
        for text in values:
            yield request(f"header {name} = {text[:40]!r}", headers={**sent, name: text})
    for raw in _RAW if body is not None else ():
        yield request(f"body {raw[:20]!r}", raw=raw)
    for place in _places(body) if body is not None else ():
        for value in (*_OTHERS, *_NUMBERS, *_TEXTS):
            changed = _exchanged(body, place, value)
            yield request(f"body {place} = {str(value)[:40]!r}", raw=json.dumps(changed).encode())


def hostile_requests(
    described: Mapping[str, Any], known: Mapping[str, Any], count: int, seed: int
) -> Iterator[Hostile]:
    """So many requests, drawn from all, every operation equally often.

    Parameters
    ----------
    described : mapping
        The API's own description.
    known : mapping
        Ids of things that are there, by the names of parameters and fields.
    """
    drawn = random.Random(seed)
    of_each = [
        list(_of_operation(method, path, operation, described, known))
        for path, item in described["paths"].items()
        for method, operation in item.items()
        if path != "/api/events"  # the stream never ends
    ]
    for requests in of_each:
        drawn.shuffle(requests)
    for turn in range(count):
        requests = of_each[turn % len(of_each)]
        yield requests[(turn // len(of_each)) % len(requests)]
