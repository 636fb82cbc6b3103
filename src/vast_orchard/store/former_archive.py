"""Records of archives of version 1, up to 0.7, as the tables of today."""

from collections import Counter
from collections.abc import Callable, Generator, Iterator, Mapping
from typing import Any

from vast_orchard.upgrades.ending import former_ending
from vast_orchard.upgrades.recipe import upgrade_recipe
from vast_orchard.upgrades.state import upgrade_figures

__all__ = ["FormerRecords"]

_Row = dict[str, Any]
_Batches = Callable[[str], Generator[list[_Row]]]
# Tables whose rows named a run and name its model now; a model has the id that its run had.
_OF_MODEL = ("prediction", "look", "export")


class FormerRecords:
    """Reads tables of today from an archive of then, some rows at a time.

    Parameters
    ----------
    batches : callable
        Gives the rows of one of the archive's own tables.
    """

    def __init__(self, batches: _Batches) -> None:
        self._source = batches
        self._runs = {row["id"]: row for row in self._rows("run")}
        self._files: dict[int, dict[str, _Row]] = {}
        for row in self._rows("checkpoint"):
            self._files.setdefault(row["run_id"], {})[row["kind"]] = row
        self._jobs = {row["subject_id"]: row for row in self._rows("job") if row["kind"] == "train"}
        self._looks: dict[int, list[str]] = {}
        for row in self._rows("look"):
            self._looks.setdefault(row["run_id"], []).append(row["looked_at"])
        self._done = Counter(row["run_id"] for row in self._rows("epoch"))
        self._figures = {
            row["run_id"]: _figures(row)
            for row in self._rows("epoch")
            if row["number"] == self._runs[row["run_id"]]["kept_epoch"]
        }
        self._counts: dict[int, Counter[str]] = {}
        for row in self._rows("run_picture"):
            self._counts.setdefault(row["run_id"], Counter())[row["set_name"]] += 1

    def batches(self, table: str) -> Generator[list[_Row]]:
        """The rows of a table of today."""
        match table:
            case "snapshot":
                yield [self._snapshot(row) for row in self._runs.values()]
            case "snapshot_picture":
                for batch in self._source("run_picture"):
                    yield [{**_without(row, "run_id"), "snapshot_id": row["run_id"]} for row in batch]
            case "run":
                yield [self._run(row) for row in self._runs.values()]
            case "epoch":
                for batch in self._source("epoch"):
                    yield [
                        {"run_id": row["run_id"], "number": row["number"], "figures": _figures(row)} for row in batch
                    ]
            case "model":
                yield [self._model(row) for row in self._runs.values() if self._kept(row["id"])]
            case "judgement":
                yield [found for row in self._runs.values() for found in self._judgements(row)]
            case _ if table in _OF_MODEL:
                for batch in self._source(table):
                    yield [{**_without(row, "run_id"), "model_id": row["run_id"]} for row in self._told(table, batch)]
            case "action_change":
                for batch in self._source(table):
                    yield [_change(row) for row in batch]
            case "run_group":
                return
            case _:
                yield from self._source(table)

    def _rows(self, table: str) -> Iterator[_Row]:
        for batch in self._source(table):
            yield from batch

    def _kept(self, run_id: int) -> _Row | None:
        return self._files.get(run_id, {}).get("kept")

    def _told(self, table: str, batch: list[_Row]) -> Iterator[_Row]:
        """What hangs on a model that there is; predictions only where their judgement stands."""
        for row in batch:
            run = self._runs[row["run_id"]]
            if self._kept(run["id"]) and (table != "prediction" or row["set_name"] in self._sets(run)):
                yield row

    def _snapshot(self, row: _Row) -> _Row:
        return {
            "id": row["id"], "project_id": row["project_id"], "digest": None, "classes": row["classes"],
            "counts": dict(self._counts.get(row["id"], {})), "created_at": row["created_at"],
        }  # fmt: skip

    def _run(self, row: _Row) -> _Row:
        recipe, done = upgrade_recipe(row["recipe"], len(row["classes"])), self._done[row["id"]]
        job = self._jobs.get(row["id"])
        state, by, facts = former_ending(row["ended_because"], job, done=done, epochs=recipe["settings"]["epochs"])
        last = self._files.get(row["id"], {}).get("last")
        return {
            **_without(row, "classes", "kept_epoch", "ended_because", "judgements"),
            "recipe": recipe,
            "snapshot_id": row["id"],
            "state": state,
            "ended_by": by,
            "ending": facts,
            "ended_at": self._ended_at(row["id"]),
            "epochs_done": done,
            "figures": self._figures.get(row["id"], {}),
            "state_path": last["path"] if last else None,
            "state_epoch": last["epoch"] if last else None,
        }

    def _ended_at(self, run_id: int) -> str | None:
        job = self._jobs.get(run_id)
        found: str | None = job["ended_at"] if job else None
        return found

    def _model(self, row: _Row) -> _Row:
        kept = self._kept(row["id"])
        assert kept is not None
        recipe = upgrade_recipe(row["recipe"], len(row["classes"]))
        return {
            "id": row["id"], "project_id": row["project_id"], "kind": "run", "run_id": row["id"],
            "epoch": kept["epoch"], "digest": None, "path": kept["path"], "classes": row["classes"],
            "preprocessing": recipe["preprocessing"], "looks": len(self._looks.get(row["id"], [])),
            "created_at": row["created_at"], "frozen_at": self._ended_at(row["id"]) or row["created_at"],
        }  # fmt: skip

    def _sets(self, row: _Row) -> list[str]:
        """The sets whose judgement is sure to be of the state that was kept.

        A test set that was looked at before the training had ended may have been judged by an earlier one.
        """
        ended = self._ended_at(row["id"])
        early = any(ended is None or looked < ended for looked in self._looks.get(row["id"], []))
        return [name for name in row["judgements"] if name != "test" or not early]

    def _judgements(self, row: _Row) -> list[_Row]:
        if not self._kept(row["id"]):
            return []
        at = self._ended_at(row["id"]) or row["created_at"]
        return [
            {
                "model_id": row["id"], "set_name": name, "digest": None, "scores": row["judgements"][name],
                "judged_at": at,
            }
            for name in self._sets(row)
        ]  # fmt: skip


def _change(row: Mapping[str, Any]) -> _Row:
    """What a step changed on a picture, which had two columns a fact."""
    pairs = {
        fact: [row.get(f"{fact}_before"), row.get(f"{fact}_after")]
        for fact in ("class", "note", "excluded", "unsure", "copies", "binned", "set")
    }
    change = {fact: pair for fact, pair in pairs.items() if pair[0] != pair[1]}
    return {"action_id": row["action_id"], "picture_id": row["picture_id"], "change": change}


def _without(row: Mapping[str, Any], *names: str) -> _Row:
    return {key: value for key, value in row.items() if key not in names}


def _figures(row: Mapping[str, Any]) -> dict[str, float]:
    found: dict[str, float] = upgrade_figures(_without(row, "run_id"))["figures"]
    return found
