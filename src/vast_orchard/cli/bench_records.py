"""`orchard bench records`: the first page of a long Ledger, and starting runs on a large collection."""

import json
import statistics
from typing import Annotated

import typer
from sqlalchemy import text

from vast_orchard.cli.bench_database import own_database
from vast_orchard.cli.served_api import ApiClient, served_api
from vast_orchard.cli.terminal import AsJson, console
from vast_orchard.store.database import Database
from vast_orchard.store.projects import create_project

__all__ = ["bench_records", "fill_pictures"]

_CLASSES, _EPOCHS, _TURNS, _STARTS = 10, 50, 21, 10


def fill_pictures(database: Database, name: str, count: int) -> int:
    """A project with so many labelled pictures in a split; records only, for nothing is trained."""
    with database.session() as session:
        project = create_project(session, name).id
        facts = {"p": project, "n": count, "k": _CLASSES}
        for statement in (
            "insert into class (project_id, name, place, sign) select :p, 'kind ' || n, n, 'K' || n"
            " from generate_series(1, :k) n",
            "insert into picture (project_id, sha256, name, class_id, two_labels, width, height, mode, format,"
            " size_bytes, thumbnail_bytes, note, excluded, unsure, copy_exact) select :p,"
            " lpad(to_hex(n), 64, '0'), n || '.png', (select id from class where project_id = :p and place ="
            " 1 + n % :k), false, 48, 48, 'RGB', 'PNG', 999, 0, '', false, false, false from generate_series(1, :n) n",
            "insert into split (project_id, number, method, shares, seed) values (:p, 1, 'random', '{}', 1)",
            "insert into split_member select s.id, p.id, case when p.id % 20 < 14 then 'training' when p.id % 20 < 17"
            " then 'validation' else 'test' end from picture p join split s on s.project_id = p.project_id"
            " where p.project_id = :p",
        ):
            session.execute(text(statement), facts)
        session.execute(text("analyze"))
    return project


def _fill_runs(database: Database, client: ApiClient, project: int, count: int) -> None:
    """Copies of one run, ended and judged, with their epochs."""
    client.seconds(f"/api/projects/{project}/runs", body={})
    with database.session() as session:
        session.execute(text("delete from job where kind = 'train' and project_id = :p"), {"p": project})
        facts = {"p": project, "n": count, "e": _EPOCHS}
        for statement in (
            "insert into run (project_id, number, snapshot_id, split_id, split_number, recipe, program, parameters,"
            " state, ended_by, ending, epochs_done, train_s, figures) select project_id, n, snapshot_id, split_id,"
            " split_number, jsonb_set(recipe, '{settings,seed}', to_jsonb(n)), program, parameters, 'ended', 'epochs',"
            " '{\"done\": 50, \"epochs\": 50}', :e, n, jsonb_build_object('validation_accuracy', (n % 997) / 997.0)"
            " from run, generate_series(2, :n) n where project_id = :p",
            "update run set previous_id = before.id from run before where before.project_id = run.project_id"
            " and before.number = run.number - 1 and run.project_id = :p",
            'insert into epoch select r.id, e, \'{"training_loss": 0.5, "training_accuracy": 0.5,'
            ' "validation_loss": 0.5, "validation_accuracy": 0.5, "validation_macro_f1": 0.5,'
            ' "learning_rate": 0.003}\' from run r, generate_series(1, :e) e where r.project_id = :p',
            "insert into model (project_id, kind, run_id, epoch, digest, path, classes, preprocessing, frozen_at)"
            " select r.project_id, 'run', r.id, :e, repeat('0', 64), 'x', s.classes, r.recipe->'preprocessing', now()"
            " from run r join snapshot s on s.id = r.snapshot_id where r.project_id = :p",
            "insert into judgement (model_id, set_name, digest, scores) select m.id, 'validation', m.digest,"
            " jsonb_build_object('count', 10, 'right', 9, 'accuracy', 0.9, 'accuracy_interval', '[0.5, 0.99]'::jsonb,"
            " 'loss', 0.5, 'largest_class_share', 0.1, 'macro_precision', 0.9, 'macro_recall', 0.9, 'macro_f1', 0.9,"
            " 'classes', (select jsonb_agg(jsonb_build_object('f1', 0.9, 'count', c)) from generate_series(1, 10) c),"
            " 'confusion', (select jsonb_agg('[0,0,0,0,0,0,0,0,0,0]'::jsonb) from generate_series(1, 10)))"
            " from model m where m.project_id = :p",
        ):
            session.execute(text(statement), facts)
        session.execute(text("analyze"))


def bench_records(
    as_json: AsJson = False,
    runs: Annotated[int, typer.Option(help="Runs of the Ledger.")] = 2_000,
    pictures: Annotated[int, typer.Option(help="Pictures of the collection that runs are started on.")] = 100_000,
) -> None:
    """The Ledger's first page, by number and by a figure, and the start of runs with a snapshot and without one."""
    words = console()
    with own_database() as own:
        database = own.database
        with served_api(own.settings) as (client, _):
            words.print(f"Making {runs:,} runs of {_EPOCHS} epochs")
            ledger = fill_pictures(database, "Many runs", 2_000)
            _fill_runs(database, client, ledger, runs)
            path = f"/api/projects/{ledger}/runs"
            first, sorted_ = ([] for _ in range(2))
            for _ in range(_TURNS):
                first.append(1000 * client.seconds(path))
                sorted_.append(1000 * client.seconds(path, {"order": "validation_accuracy"}))
            words.print(f"Making {pictures:,} pictures")
            large = fill_pictures(database, "Many pictures", pictures)
            starts = [client.seconds(f"/api/projects/{large}/runs", body={}) for _ in range(_STARTS)]
        with database.session() as session:
            query = text("select count(*) from snapshot where project_id = :p")
            snapshots = session.scalar(query, {"p": large})
    found = {
        "ledger_2000_ms": round(_worse(first), 1),
        "ledger_2000_ms_median": round(statistics.median(first), 1),
        "ledger_2000_by_figure_ms": round(_worse(sorted_), 1),
        "start_run_100k_first_s": round(starts[0], 3),
        "start_run_100k_s": round(_worse(starts[1:]), 3),
        "start_run_100k_s_median": round(statistics.median(starts[1:]), 3),
        "snapshots": snapshots,
    }
    if as_json:
        print(json.dumps(found))
    else:
        for name, value in found.items():
            print(f"{name}: {value}")


def _worse(times: list[float]) -> float:
    """The worse quartile."""
    return statistics.quantiles(times, n=4)[2]
