"""A project's records as rows of plain values, and back again under fresh ids.

Ids mean something within one database only. On the way back every row gets a new one, and every column and every
place in a JSON value that names another record follows.
"""

import datetime as dt
import re
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from typing import Any

from sqlalchemy import BigInteger, DateTime, cast, delete, func, insert, select, update
from sqlalchemy.orm import Session

from vast_orchard.errors import ConflictError, InputError
from vast_orchard.store.database import tell
from vast_orchard.store.projects import checked_name, free_name
from vast_orchard.store.runs import START_FILE, link_runs
from vast_orchard.store.schema import (
    Export,
    Import,
    IngredientKind,
    Job,
    JobKind,
    JobState,
    PlanState,
    Project,
    Run,
    RunGroup,
    RunState,
)
from vast_orchard.store.snapshots import seal_snapshots
from vast_orchard.store.transfer_kinds import OF_RUNS, RECORDS, RecordKind
from vast_orchard.upgrades.recipe import upgrade_recipe, upgrade_variation

__all__ = ["Loader", "at_one_moment", "check_at_rest", "dump_records"]

_BATCH = 2000
_Row = dict[str, Any]
_ENDED = frozenset({JobState.DONE.value, JobState.FAILED.value, JobState.STOPPED.value})


def check_at_rest(session: Session, project_id: int) -> None:
    """That nothing of the project changes by itself.

    Raises
    ------
    ConflictError
    """
    kinds = [
        JobKind.TRAIN, JobKind.JUDGE, JobKind.EXPORT, JobKind.IMPORT, JobKind.EMPTY, JobKind.SAMPLE, JobKind.DUPLICATE,
        JobKind.BRING_BACK, JobKind.PLAN, JobKind.COMBINE,
    ]  # fmt: skip
    active = Job.state.in_([JobState.WAITING, JobState.RUNNING]) & Job.kind.in_(kinds)
    if session.scalar(select(Job.id).where(Job.project_id == project_id, active).limit(1)):
        raise ConflictError("Something of this project is under way.", "Wait until it has ended, or stop it.")
    going_on = RunGroup.project_id == project_id, RunGroup.state != PlanState.ENDED
    if named := session.scalar(select(RunGroup.question).where(*going_on).limit(1)):
        raise ConflictError(f"The plan {named!r} has not ended.", "Wait until it has, or stop it.")


def at_one_moment(session: Session) -> None:
    """Let a fresh transaction see all tables as they are now, whatever people do while they are read one by one."""
    session.connection(execution_options={"isolation_level": "REPEATABLE READ"})


def dump_records(session: Session, project_id: int, *, with_runs: bool = True) -> Iterator[tuple[str, Iterator[_Row]]]:
    """Each table's name with its rows, as values that JSON has; each is read to its end before the next."""
    for name, kind in RECORDS.items():
        if name in OF_RUNS and not with_runs:
            continue
        columns = [column for column in kind.sql.columns if column.computed is None]
        # Actions name earlier ones, and whoever reads them back wants to have met those.
        query = kind.belongs(select(*columns), project_id).order_by(*kind.sql.primary_key.columns)
        rows = session.execute(query.execution_options(yield_per=_BATCH)).mappings()
        yield name, ({key: _plain(value) for key, value in row.items()} for row in rows)


def _plain(value: Any) -> Any:
    return value.isoformat() if isinstance(value, dt.datetime) else value


class Loader:
    """Puts rows back into one project, table by table in the order of `RECORDS`."""

    def __init__(self, session: Session, project_id: int) -> None:
        self._session = session
        self._ids: dict[str, dict[int, int]] = {name: {} for name in RECORDS}
        self._project = project_id

    def load(self, name: str, batches: Iterable[Sequence[_Row]]) -> int:
        """Insert a table's rows; returns how many.

        Raises
        ------
        InputError
            A row has columns that this version does not know.
        """
        kind, total = RECORDS[name], 0
        for batch in batches:
            self._load_some(name, kind, batch)
            total += len(batch)
        return total

    def new_id(self, name: str, old: int) -> int:
        """The id that a record has here."""
        return self._ids[name][old]

    def new_path(self, path: str) -> str:
        """Where a file of weights or a pack belongs, by where it lay under the ids of before.

        Raises
        ------
        KeyError, ValueError
            Its record did not come along, or that is no such file.
        """
        kind, _, rest = path.partition("/")
        if kind == "runs":
            run, _, name = rest.partition("/")
            return f"runs/{self.new_id('run', int(run))}/{name}"
        if kind == "plans":
            plan, _, name = rest.partition("/")
            return f"plans/{self.new_id('run_group', int(plan))}/{name}"
        old, _, ending = rest.partition(".")
        return f"exports/{self.new_id('export', int(old))}.{ending}"

    def _load_some(self, name: str, kind: RecordKind, batch: Sequence[_Row]) -> None:
        known = set(kind.sql.columns.keys())
        for unknown in (set(row) - known for row in batch):
            if unknown:
                raise InputError(
                    f"The archive's {name} has {', '.join(sorted(unknown))}, which this version does not know.",
                    "It was made by a newer version; bring this one up to date.",
                )
        # Ids are drawn first: a row may name another of its own table, such as a step the one that it took back.
        if "id" in kind.sql.columns:
            drawn = select(func.nextval(f"{name}_id_seq")).select_from(func.generate_series(1, len(batch)))
            self._ids[name].update(zip((row["id"] for row in batch), self._session.scalars(drawn), strict=True))
        fresh = [self._row(name, kind, row) for row in batch]
        for row, old in zip(fresh, batch, strict=True):
            if "id" in old:
                row["id"] = self._ids[name][old["id"]]
        self._session.execute(insert(kind.sql), fresh)

    def _row(self, name: str, kind: RecordKind, row: _Row) -> _Row:
        columns = kind.sql.columns
        found: _Row = {
            key: dt.datetime.fromisoformat(value)
            if isinstance(columns[key].type, DateTime) and value is not None
            else value
            for key, value in row.items()
        }
        for key, target in kind.names.items():
            if found.get(key) is not None:
                found[key] = self._project if target == "project" else self._follow(target, int(found[key]))
        follow = _JSON_IDS.get(name)
        if follow is not None:
            follow(self, found)
        return found

    def _follow(self, target: str, old: int) -> int:
        known = self._ids[target]
        if old not in known:
            if target not in ("picture", "class"):
                raise InputError(f"The archive names {target} {old}, which it does not hold.", "Make it again.")
            # Runs remember pictures that were removed for good; each keeps an id of its own that no other gets.
            sequence = f"{target}_id_seq"
            known[old] = int(self._session.scalar(select(cast(func.nextval(sequence), BigInteger))) or 0)
        return known[old]

    def _run_ids(self, row: _Row) -> None:
        if row["state"] != RunState.ENDED:
            raise InputError("The archive holds a run that has not ended.", "Make it again.")
        row["recipe"] = upgrade_recipe(row["recipe"], 0)
        _check_file("last", row.get("state_path"))
        # Set by `place_files`, once its own id is known, and by `finish`, once all are there.
        row.update(state_path=None, state_epoch=None, start_path=None, previous_id=None)

    def _ingredient_value(self, row: _Row) -> None:
        if row["kind"] == IngredientKind.VARIATION:
            row["value"] = upgrade_variation(row["value"])

    def _class_ids(self, row: _Row) -> None:
        row["classes"] = [{**entry, "id": self._follow("class", int(entry["id"]))} for entry in row["classes"]]

    def _snapshot_ids(self, row: _Row) -> None:
        self._class_ids(row)
        row["digest"] = None  # made of ids; see `seal_snapshots`

    def _model_ids(self, row: _Row) -> None:
        self._class_ids(row)
        name = _check_file("kept", row["path"])
        row["path"] = f"runs/{row['run_id']}/{name}" if name else None

    def _split_ids(self, row: _Row) -> None:
        for met in row.get("fit", []):
            met["class_id"] = self._follow("class", int(met["class_id"]))

    def _action_ids(self, row: _Row) -> None:
        detail = row["detail"]
        if not detail:
            return
        for change in detail.get("changes", []):
            change["class_id"] = self._follow("class", int(change["class_id"]))
        if "class" in detail:
            detail["class"] = self._follow("class", int(detail["class"]))
        if "split" in detail:
            detail["split"] = self._ids["split"].get(int(detail["split"]), 0)
        if "rules" in detail:
            detail["rules"] = {
                key: None if n is None else self._follow("area_rules", int(n)) for key, n in detail["rules"].items()
            }
        if "import" in detail:
            detail["import"] = self._ids["import"].get(int(detail["import"]), 0)
            detail["classes"] = [self._follow("class", int(entry)) for entry in detail["classes"]]

    def _rules_ids(self, row: _Row) -> None:
        for rule in row["rules"]:
            rule["area_id"] = self._follow("working_area", int(rule["area_id"]))

    def _change_ids(self, row: _Row) -> None:
        change = row["change"]
        if "area" in change:
            change["area"] = [None if x is None else self._follow("working_area", int(x)) for x in change["area"]]
        if "class" in change:
            change["class"] = [None if x is None else self._follow("class", int(x)) for x in change["class"]]

    def _import_ids(self, row: _Row) -> None:
        row.update(location="", state="done")

    def _export_ids(self, row: _Row) -> None:
        row["path"] = None  # set by `place_files`, once its own id is known

    def _job_ids(self, row: _Row) -> None:
        subjects = {JobKind.TRAIN.value: "run", JobKind.EXPORT.value: "export"}
        if row["kind"] not in subjects:
            raise InputError(f"The archive holds a job of kind {row['kind']!r}.", "Make it again.")
        row["subject_id"] = self._ids[subjects[row["kind"]]][int(row["subject_id"])]
        if row.get("state") not in _ENDED:
            raise InputError("The archive holds a job that has not ended.", "Make it again.")
        row.update(owner=None, seen=True)

    def place_files(self, present: Iterable[str]) -> None:
        """Say where states and packs lie that came along.

        Parameters
        ----------
        present : iterable of str
            Their paths in the archive, under the ids there.
        """
        for path in present:
            kind, old, *rest = path.split("/")
            if kind == "plans":
                continue  # found by the digests that the plan names
            table, new = (Export, "export") if kind == "exports" else (Run, "run")
            values: _Row = {"path": self.new_path(path)}
            if kind == "runs" and rest[0] == START_FILE:
                values = {"start_path": values["path"]}
            elif kind == "runs" and rest[0].startswith("last-"):
                values = {"state_path": values["path"], "state_epoch": int(rest[0][5:].removesuffix(".safetensors"))}
            elif kind == "runs":
                continue  # of a model, which names it itself
            self._session.execute(
                update(table).where(table.id == self.new_id(new, int(old.partition(".")[0]))).values(values)
            )

    def forget_import(self, import_id: int) -> None:
        """Remove the import that an archive came with."""
        self._session.execute(delete(Import).where(Import.id == import_id))

    def finish(self, name: str, description: str) -> None:
        """Give the project its name, or the next free one, and its description."""
        seal_snapshots(self._session, self._project)
        link_runs(self._session, self._project)
        row = self._session.get(Project, self._project)
        assert row is not None
        row.last_run = self._session.scalar(select(func.max(Run.number)).where(Run.project_id == self._project)) or 0
        row.name = ""  # its own name does not stand in its way
        self._session.flush()
        row.name = free_name(self._session, checked_name(name, "project"))
        row.description = description
        for topic in ("projects", "pictures", "classes", "runs", "splits"):
            tell(self._session, topic, self._project)


def _check_file(kind: str, path: Any) -> str:
    """The name of a file of weights, without its folder."""
    name = str(path or "").rpartition("/")[2]
    if path is not None and not re.fullmatch(rf"{kind}-[0-9]{{1,9}}\.safetensors", name):
        raise InputError(f"The archive names a state {name[:80]!r}, which is no name of ours.", "Make it again.")
    return name


_JSON_IDS: Mapping[str, Callable[[Loader, _Row], None]] = {
    "run": Loader._run_ids,
    "ingredient": Loader._ingredient_value,
    "split": Loader._split_ids,
    "action": Loader._action_ids,
    "action_change": Loader._change_ids,
    "area_rules": Loader._rules_ids,
    "import": Loader._import_ids,
    "snapshot": Loader._snapshot_ids,
    "model": Loader._model_ids,
    "export": Loader._export_ids,
    "job": Loader._job_ids,
}
