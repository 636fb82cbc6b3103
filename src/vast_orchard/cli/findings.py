"""`orchard findings`: what is wrong with the pictures of a folder, without server or database."""

import json
import time
from collections.abc import Sequence
from dataclasses import asdict, dataclass
from pathlib import Path
from typing import Annotated, Any

import numpy as np
import typer
from rich.console import Console
from rich.progress import Progress

from vast_orchard.at_once.findings import ASKED_FOLDS, asking_recipe, finding_titles
from vast_orchard.cli.folds import fold_pool, held_out
from vast_orchard.cli.terminal import AsJson, console
from vast_orchard.core.findings.labels import contradicted
from vast_orchard.core.findings.seeing import seeing
from vast_orchard.formats.collection import Collection, collect
from vast_orchard.formats.members import Source
from vast_orchard.formats.picture_file import THUMBNAIL_SIDE, read_picture
from vast_orchard.formats.source import open_source
from vast_orchard.jobs.engine import make_ready, make_team
from vast_orchard.jobs.finding.by_facts import hard_findings, sets_that_differ, telltale_findings
from vast_orchard.settings import read_settings
from vast_orchard.store.finding_facts import PictureFacts

__all__ = ["FolderFindings", "findings", "findings_in"]


@dataclass(frozen=True, kw_only=True)
class FolderFindings:
    """What turned up in a folder."""

    pictures: int
    named: dict[str, list[str]]  # paths by kind, the strangest first
    expected: dict[str, float]
    labels: list[dict[str, Any]]  # of every picture that folds answered about, the most contradicted first
    telltale: list[dict[str, Any]]
    apart: list[dict[str, Any]]
    folds_s: float  # that the folds took


def findings_in(folder: Path, out: Console, *, folds: bool, threads: int = 0) -> FolderFindings:
    """Look at the pictures of a folder or an archive.

    Parameters
    ----------
    folds : bool
        Hold labels against the answers of folds, too.
    """
    recipe = asking_recipe(0)
    with open_source(folder) as source, Progress(console=out) as bar:
        task = bar.add_task("Reading pictures")
        collection = collect(
            source, recipe.preprocessing, lambda done, total: bar.update(task, completed=done, total=total)
        )
        task = bar.add_task("Measuring pictures", total=len(collection.pictures))
        facts = []
        names = sorted({one.class_name for one in collection.pictures if one.class_name})
        for place in range(len(collection.pictures)):
            facts.append(_facts(source, collection, place, names))
            bar.advance(task)
    found, report = hard_findings(facts)
    named: dict[str, list[str]] = {kind: [] for kind in report}
    for one in sorted(found, key=lambda one: -one.weight):
        named[one.kind.value].append(collection.pictures[one.picture_id].path)
    expected = {kind: told["expected"] for kind, told in report.items()}
    began = time.monotonic()
    labels: list[dict[str, Any]] = []
    if folds:
        labels, by_chance = _labels(collection, out, threads)
        named["label"] = [one["path"] for one in labels if one["named"]]
        expected["label"] = by_chance
    labelled = [one for one in facts if one.class_id is not None]
    return FolderFindings(
        pictures=len(facts), named=named, expected=expected, labels=labels,
        telltale=_named_classes(telltale_findings(labelled), names), apart=sets_that_differ(labelled),
        folds_s=time.monotonic() - began if folds else 0.0,
    )  # fmt: skip


def _facts(source: Source, collection: Collection, place: int, names: Sequence[str]) -> PictureFacts:
    one = collection.pictures[place]
    picture = read_picture(source.read(one.path))
    # As the application measures it, by its thumbnail.
    small = picture.upright.copy()
    small.thumbnail((THUMBNAIL_SIDE, THUMBNAIL_SIDE))
    measured = asdict(seeing(np.asarray(small.convert("L"))))
    return PictureFacts(
        id=place, sha256=one.sha256, class_id=names.index(one.class_name) if one.class_name else None,
        copy_group=None, width=picture.width, height=picture.height, format=picture.format,
        mode=picture.mode, day="", source="", set_name=one.set_name.value if one.set_name else None, measures=measured,
    )  # fmt: skip


def _labels(collection: Collection, out: Console, threads: int) -> tuple[list[dict[str, Any]], float]:
    pool = fold_pool(collection, 1, [], ASKED_FOLDS, 1)
    recipe = asking_recipe(len(pool.examples))
    make_ready(out.print)
    team = make_team(read_settings(threads=threads or None))
    probabilities = np.zeros((len(pool.examples), len(pool.classes)))
    for held in held_out(pool, recipe, None, team, out):
        probabilities[held.places] = held.probabilities
    told = contradicted(probabilities, pool.examples.labels)
    rows = [
        {
            "path": pool.paths[n],
            "label": pool.classes[pool.examples.labels[n]],
            "proposal": pool.classes[told.proposals[n]],
            "p_label": float(probabilities[n, pool.examples.labels[n]]),
            "p_proposal": float(probabilities[n, told.proposals[n]]),
            "named": bool(told.named[n]),
        }
        for n in told.order.tolist()
    ]
    return rows, told.expected


def _named_classes(found: list[dict[str, Any]], names: Sequence[str]) -> list[dict[str, Any]]:
    return [{**one, "most": one["most"] and {**one["most"], "class": names[one["most"]["class_id"]]}} for one in found]


def findings(
    folder: Annotated[Path, typer.Argument(help="Folder or zip with a folder a class.")],
    folds: Annotated[bool, typer.Option(help="Trains folds of a small network, against which labels are held.")] = True,
    threads: Annotated[int, typer.Option(help="0 means one for each processor; changes no bit of the result.")] = 0,
    as_json: AsJson = False,
) -> None:
    """Say what is wrong with pictures: contradicted labels, hard to see, and facts that give a class away."""
    found = findings_in(folder, console(), folds=folds, threads=threads)
    if as_json:
        print(json.dumps({**asdict(found), "labels": [one for one in found.labels if one["named"]]}))
        return
    titles = finding_titles()
    for kind in ("label", *(kind for kind in found.named if kind != "label")):
        paths = found.named.get(kind, [])
        if paths:
            print(f"{titles[kind]}: {len(paths)}, about {found.expected[kind]:.0f} of them by chance")
            for path in paths:
                print(f"  {path}")
    for one in found.telltale:
        most = one["most"]
        print(f"The {one['fact']} gives the class away: {one['share']:.0%} of what is to be known of a class.")
        if most:
            print(f"  Of {most['in_part']} with {most['part']}, {most['of_class']} are {most['class']}.")
    for one in found.apart:
        print(f"The {one['set']} set is not like training: told apart in {one['area']:.0%} of pairs.")
    if not any(found.named.values()) and not found.telltale and not found.apart:
        print(f"Nothing turned up in {found.pictures} pictures.")
