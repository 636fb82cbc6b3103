"""`orchard sift`: the pictures of a project that a Sift lets through, as a table on standard output."""

import csv
import json
import sys
from collections.abc import Iterator
from typing import Annotated, Any
from urllib.error import HTTPError, URLError
from urllib.parse import urlencode
from urllib.request import Request, urlopen

import typer

from vast_orchard.errors import InputError, ServiceError
from vast_orchard.formats.answers import ANSWER_COLUMNS, answer_row
from vast_orchard.formats.csv_cells import harmless

__all__ = ["ask", "fetch", "sift"]

_LIMIT_S = 60


def ask(address: str, path: str, query: dict[str, object]) -> Any:
    """What the application answers to a GET, as JSON; raises as `fetch`."""
    return json.loads(fetch(address, path, query))


def fetch(address: str, path: str, query: dict[str, object]) -> bytes:
    """What the application answers to a GET.

    Raises
    ------
    InputError
        It refused; a Sift is marked where it is wrong.
    ServiceError
        It does not answer.
    """
    asked = Request(f"{address.rstrip('/')}{path}?{urlencode(query)}", headers={"X-Window": "terminal"})
    try:
        with urlopen(asked, timeout=_LIMIT_S) as answer:
            data: bytes = answer.read()
            return data
    except HTTPError as error:
        facts = json.loads(error.read() or b"{}")
        first, last = facts.get("place", (0, 0))
        marked = ""
        if last > first:
            # The line once more, with the mistake underlined.
            marked = f"\n  {query.get('sift', '')}\n  {' ' * first}{'^' * (last - first)}"
        raise InputError(str(facts.get("detail", error)), f"{facts.get('mend', '')}{marked}") from error
    except (URLError, TimeoutError) as error:
        raise ServiceError(f"{address} does not answer ({error}).", "Start it with ./start.") from error


def _pictures(address: str, project: int, query: dict[str, object]) -> Iterator[dict[str, Any]]:
    after: int | None = 0
    while after is not None:
        page = ask(address, f"/api/projects/{project}/pictures", {**query, "after": after})
        for entry in page["pictures"]:
            yield {**entry, "said": page["said"].get(str(entry["id"]))}
        after = page["next"]


def sift(
    expression: Annotated[str, typer.Argument(help="Which pictures; see docs/sift.md.")] = "",
    project: Annotated[int, typer.Option(help="Number of the project, as in the page's address.")] = 1,
    split: Annotated[int | None, typer.Option(help="Split that set: means.")] = None,
    run: Annotated[int | None, typer.Option(help="Run that predicted:, wrong, p and loss mean.")] = None,
    address: Annotated[str, typer.Option(help="Where the application is.")] = "http://127.0.0.1:8420",
) -> None:
    """Print the pictures that a Sift lets through, as CSV: id, name, class, set, sha256; with a run, what it said too.

    Nothing is told of the test set: looks at it are counted, and taken in the page.
    """
    query: dict[str, object] = {"sift": expression}
    query |= {key: value for key, value in (("split", split), ("run", run)) if value is not None}
    classes = {entry["id"]: entry["name"] for entry in ask(address, f"/api/projects/{project}/classes", {})}
    model = ask(address, f"/api/runs/{run}", {})["model"] if run is not None else None
    table = csv.writer(sys.stdout)
    asked = [name for name, _, _ in ANSWER_COLUMNS] if model else []
    table.writerow(["id", "name", "class", "set", "sha256", *asked])
    for entry in _pictures(address, project, query):
        label = classes.get(entry["class_id"], "")
        told = answer_row(entry["said"], model["classes"]) if model else []
        table.writerow(harmless([entry["id"], entry["name"], label, entry["set_name"] or "", entry["sha256"], *told]))
