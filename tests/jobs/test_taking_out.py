"""What is taken out comes back the same: a collection as a zip, a whole project as an archive."""

import csv
import datetime as dt
import hashlib
import io
import json
import zipfile
from fnmatch import fnmatchcase
from typing import Any

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from PIL import Image
from pyld import jsonld

from tests.jobs.whole_project import state_of, trained_project
from tests.pictures import png, zipped
from tests.world import World, list_pictures
from vast_orchard.formats.collection_zip import PackedPicture, write_collection_zip
from vast_orchard.formats.croissant import DatasetFacts
from vast_orchard.jobs.bringing_in.bringing_back import bring_back
from vast_orchard.jobs.context import Progress
from vast_orchard.jobs.queue import start_job
from vast_orchard.store import history
from vast_orchard.store.area_actions import give_area, set_rules
from vast_orchard.store.areas import area_counts, areas_for
from vast_orchard.store.classes import list_classes
from vast_orchard.store.imports import create_import, get_import
from vast_orchard.store.parcels import create_parcel, get_parcel
from vast_orchard.store.pictures import packed_pictures
from vast_orchard.store.predictions import list_outcomes
from vast_orchard.store.projects import create_project, list_projects
from vast_orchard.store.runs import get_run
from vast_orchard.store.schema import JobKind
from vast_orchard.store.splits import folder_sets, get_split, list_splits

_FACTS = DatasetFacts(name="n", description="d", published="2026-11-23", version="1.0.0", classes=["plate"])

# The terms of the vocabulary as it is published, as far as a collection needs them, and those of schema.org and
# Dublin Core that it builds on. A name that is not in here would be one that nobody else reads.
_CROISSANT = {
    "FileObject", "FileSet", "RecordSet", "Field", "Split", "recordSet", "field", "source", "extract", "column",
    "fileObject", "fileSet", "fileProperty", "includes", "dataType", "references", "key", "data", "isLiveDataset",
}  # fmt: skip
_SCHEMA = {
    "Dataset", "Person", "Text", "Integer", "Date", "ImageObject", "Enumeration", "name", "description",
    "datePublished", "version", "distribution", "contentUrl", "contentSize", "encodingFormat", "sha256", "creator",
    "license",
}  # fmt: skip
_VOCABULARY = {
    *(f"http://mlcommons.org/croissant/{term}" for term in _CROISSANT),
    *(f"https://schema.org/{term}" for term in _SCHEMA),
    "http://purl.org/dc/terms/conformsTo",
}


def taken_out(world: World, project: int, kind: str = "collection", **options: Any) -> bytes:
    with world.context.database.session() as session:
        parcel = create_parcel(session, project, kind, "out.zip", options)
        job = start_job(session, project, JobKind.TAKE_OUT, "Take out", parcel.id)
    ended = world.run(job)
    assert ended.state == "done", ended.error
    with world.context.database.session() as session:
        found = get_parcel(session, parcel.id)
    data = world.context.folder.parcel(parcel.id).read_bytes()
    assert found.size_bytes == len(data)
    return data


def brought_back(world: World, archive: bytes) -> Any:
    upload = world.upload({"p.zip": archive})
    with world.context.database.session() as session:
        project = create_project(session, "on its way")
        entry = create_import(session, project.id, "p.zip", upload)
        job = start_job(session, project.id, JobKind.BRING_BACK, "Bring back", entry.id)
    return project.id, world.run(job)


def _facts(world: World, project: int) -> list[tuple[Any, ...]]:
    """Each picture with all that a collection is made of."""
    with world.context.database.session() as session:
        sets = folder_sets(session, project)
        names = {entry.id: entry.name for entry in list_classes(session, project)}
        rows = list_pictures(session, project)
        return sorted(
            (row.sha256, row.name, names.get(row.class_id or 0), row.note, str(sets.get(row.id, ""))) for row in rows
        )


def _crowd(world: World) -> int:
    """A project with everything that a table carries."""
    project = world.project("Ridge: été/1")
    rows = [
        f'{n}.png,"{"plate, thin" if n % 2 else "être/né"}",{("train", "val", "test")[n % 3]},S{n % 4},'
        + ('"faint, ""odd"""' if n == 3 else "")
        for n in range(12)
    ]
    table = "\n".join(["file,class,set,series,note", *rows])
    world.bring_in(project, {**{f"a/{n}.png": png(n) for n in range(12)}, "a/log.csv": table.encode()})
    world.bring_in(project, {"0.png": png(90), "unlabelled/0.PNG": png(91)})  # unlabelled, one name twice
    return project


@pytest.mark.parametrize("by_set", [False, True])
def test_a_collection_that_wastaken_out_comes_in_the_same(world: World, by_set: bool) -> None:
    project = _crowd(world)
    data = taken_out(world, project, by_set=by_set)
    again = world.project("Again")
    world.bring_in(again, {"out.zip": data})
    assert _facts(world, again) == _facts(world, project)
    with world.context.database.session() as session:
        orders = [[entry.name for entry in list_classes(session, one)] for one in (project, again)]
        groups = [
            sorted((x.sha256, x.group_key) for x in packed_pictures(session, one, None, None))
            for one in (project, again)
        ]
    assert orders[0] == orders[1]
    assert groups[0] == groups[1]
    # And out once more: the same pictures in the same places.
    names = [sorted(zipfile.ZipFile(io.BytesIO(z)).namelist()) for z in (data, taken_out(world, again, by_set=by_set))]
    assert names[0] == names[1]


def test_the_order_of_classes_goes_along(world: World) -> None:
    project = world.project()
    world.bring_in(project, {"rime/1.png": png(1)})
    world.bring_in(project, {"plate/2.png": png(2)})
    again = world.project("Again")
    world.bring_in(again, {"out.zip": taken_out(world, project)})
    with world.context.database.session() as session:
        assert [entry.name for entry in list_classes(session, again)] == ["rime", "plate"]


def test_working_areas_go_along_as_text_and_as_masks(world: World) -> None:
    project = world.project("Dials")
    world.bring_in(project, {f"plate/{n}.png": png(n, (20, 10)) for n in range(4)})
    kept: dict[str, Any] = {"keep": [0.5, 0.0, 1.0, 0.5], "margin": None, "covered": [], "fill": None}
    corner = {**kept, "keep": None, "covered": [[[0.0, 0.0], [0.5, 0.0], [0.5, 1.0], [0.0, 1.0]]], "fill": [1, 2, 3]}
    pictures = world.picture_ids(project)
    with world.context.database.session() as session:
        set_rules(session, project, "one", [("name:0", kept)], fresh_by="rule", fresh=None, was=0)
        give_area(session, project, "one", pictures[1:2], corner)
        give_area(session, project, "one", pictures[2:3], {**corner, "covered": [], "fill": None})
    for by_set in (False, True):
        data = taken_out(world, project, by_set=by_set)
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            rows = {row["name"]: row for row in csv.DictReader(io.StringIO(archive.read("pictures.csv").decode()))}
            masks = {}
            for name, row in rows.items():
                if row["mask"]:
                    with Image.open(io.BytesIO(archive.read(row["mask"]))) as image:
                        masks[name] = np.asarray(image)
            metadata = json.loads(archive.read("croissant.json"))
        assert sorted(masks) == ["0.png", "1.png", "2.png"]
        assert (masks["0.png"][:5, 10:] == 255).all()
        assert masks["0.png"].sum() == 255 * 5 * 10
        assert (masks["1.png"][:, 10:] == 255).all()
        assert (masks["1.png"][:, :10] == 0).all()
        assert (masks["2.png"] == 255).all()
        assert json.loads(rows["1.png"]["area"]) == corner
        # No mask is taken for a picture, neither by the metadata nor when it comes in again.
        patterns = [part["includes"] for part in metadata["distribution"] if part["@type"] == "cr:FileSet"]
        depths = {pattern.count("/") for pattern in patterns[0]}
        assert all(row["mask"].count("/") not in depths for row in rows.values() if row["mask"])
        again = world.project(f"Dials, by set: {by_set}")
        report = world.bring_in(again, {"dials.zip": data})
        assert report["added"] == 4, report
        with world.context.database.session() as session:
            found = {p.name: areas_for(session, again, [p.id]).get(p.id) for p in list_pictures(session, again)}
            assert found == {"0.png": kept, "1.png": corner, "2.png": {**kept, "keep": None}, "3.png": None}


def test_an_area_that_cannot_be_used_is_told_and_the_picture_comes_in_whole(world: World) -> None:
    project = world.project("Odd areas")
    bad = ['{"keep": [0, 0, 3, 1]}', "left half", "[]"]
    table = io.StringIO()
    rows = [["file", "class", "area"], *([f"{n}.png", "plate", text] for n, text in enumerate(bad))]
    csv.writer(table).writerows(rows)
    files = {**{f"a/{n}.png": png(n) for n in range(3)}, "a/log.csv": table.getvalue().encode()}
    report = world.bring_in(project, files)
    assert report["added"] == 3
    assert "3 rows have a working area that cannot be used" in str(report["notes"]), report
    with world.context.database.session() as session:
        assert area_counts(session, project).whole == 3


def test_some_pictures_and_the_sets_of_a_split(world: World) -> None:
    project = world.project()
    world.bring_in(
        project, {f"{c}/{n}.png": png(50 * k + n) for k, c in enumerate(("plate", "rime")) for n in range(20)}
    )
    world.run_job(project)
    with world.context.database.session() as session:
        split = list_splits(session, project)[0]
    chosen = world.picture_ids(project)[:7]
    archive = zipfile.ZipFile(io.BytesIO(taken_out(world, project, picture_ids=chosen, split=split.id, by_set=True)))
    rows = list(csv.DictReader(io.StringIO(archive.read("pictures.csv").decode())))
    assert len(rows) == 7
    with world.context.database.session() as session:
        inside = {p.sha256: p.set_name for p in list_pictures(session, project, split.id)}
    assert {row["sha256"]: row["set"] for row in rows} == {row["sha256"]: inside[row["sha256"]] for row in rows}
    assert all(row["path"] == f"{row['set']}/{row['label']}/{row['name']}" for row in rows)


def test_what_a_run_said_goes_along_but_for_the_test_set(world: World) -> None:
    project = world.project()
    world.bring_in(
        project, {f"{c}/{n}.png": png(50 * k + n) for k, c in enumerate(("plate", "rime")) for n in range(20)}
    )
    run, job = world.run_job(project)
    world.run(job)
    with world.context.database.session() as session:
        model = get_run(session, run).model
        assert model is not None
    world.judge(model.id, "test")
    archive = zipfile.ZipFile(io.BytesIO(taken_out(world, project, said_by=run)))
    rows = list(csv.DictReader(io.StringIO(archive.read("pictures.csv").decode())))
    with world.context.database.session() as session:
        said = {x.sha256: x for x in list_outcomes(session, model, "validation", [], wrong_only=False, limit=100)}
    assert {row["sha256"] for row in rows if row["run"]} == set(said)
    for row in rows:
        if not row["run"]:
            assert [row[name] for name in ("judged_set", "true", "predicted", "p", "loss")] == [""] * 5
            continue
        outcome = said[row["sha256"]]
        assert (row["run"], row["digest"], row["judged_set"]) == ("1", model.digest, "validation")
        assert {row["predicted"], row["runner_up"]} == {"plate", "rime"}
        assert float(row["p"]) + float(row["runner_up_p"]) == pytest.approx(1, abs=1e-5)
        assert float(row["loss"]) == pytest.approx(outcome.loss, abs=1e-5)
    metadata = json.loads(archive.read("croissant.json"))
    assert _iris(jsonld.expand(metadata)) <= _VOCABULARY
    named = [f["name"] for f in metadata["recordSet"][1]["field"]]
    assert named == [*rows[0], "image"]


def _iris(node: Any) -> set[str]:
    """Every name of a property or a type in expanded JSON-LD."""
    if isinstance(node, list):
        return set().union(*map(_iris, node)) if node else set()
    if not isinstance(node, dict):
        return set()
    found = {key for key in node if not key.startswith("@")}
    types = node.get("@type", [])
    found |= {one for one in ([types] if isinstance(types, str) else types) if one != "@json"}
    if node.get("@type") == "@json":
        return found
    return found.union(*map(_iris, node.values())) if node else found


def test_the_metadata_are_croissant(world: World) -> None:
    project = _crowd(world)
    archive = zipfile.ZipFile(io.BytesIO(taken_out(world, project, creator="Ridge Station", licence="CC0-1.0")))
    metadata = json.loads(archive.read("croissant.json"))
    expanded = jsonld.expand(metadata)
    assert _iris(expanded) <= _VOCABULARY, _iris(expanded) - _VOCABULARY
    node = expanded[0]
    assert node["@type"] == ["https://schema.org/Dataset"]
    assert node["http://purl.org/dc/terms/conformsTo"][0]["@value"] == "http://mlcommons.org/croissant/1.0"
    for needed in ("name", "description", "datePublished", "version", "creator", "license", "distribution"):
        assert f"https://schema.org/{needed}" in node
    types = {str(one["@id"]) for field in _fields(expanded) for one in field["http://mlcommons.org/croissant/dataType"]}
    assert types <= _VOCABULARY
    # What it says of the table is so.
    rows = archive.read("pictures.csv")
    columns = next(csv.reader(io.StringIO(rows.decode())))
    named = [
        f["source"]["extract"]["column"]
        for f in metadata["recordSet"][1]["field"]
        if "column" in f["source"]["extract"]
    ]
    assert named == columns
    assert metadata["distribution"][0]["sha256"] == hashlib.sha256(rows).hexdigest()
    pictures = [name for name in archive.namelist() if name.endswith((".png", ".PNG"))]
    patterns = metadata["distribution"][1]["includes"]
    # A pattern matches folder by folder: as many of them as there are, and none more.
    assert {len(pattern.split("/")) for pattern in patterns} == {2}
    for name in pictures:
        parts = name.split("/")
        assert any(
            len(parts) == len(pattern.split("/")) and all(map(fnmatchcase, parts, pattern.split("/")))
            for pattern in patterns
        ), name
    assert metadata["recordSet"][1]["key"] == {"@id": "pictures/sha256"}
    keys = [row["sha256"] for row in csv.DictReader(io.StringIO(rows.decode()))]
    assert len(set(keys)) == len(keys) > 0
    assert metadata["recordSet"][0]["key"] == {"@id": "classes/name"}
    assert [row["classes/name"] for row in metadata["recordSet"][0]["data"]] == ["plate, thin", "être/né"]


def _fields(expanded: Any) -> list[Any]:
    sets = expanded[0]["http://mlcommons.org/croissant/recordSet"]
    return [field for one in sets for field in one["http://mlcommons.org/croissant/field"]]


@given(
    st.lists(
        st.tuples(st.text(max_size=30), st.one_of(st.none(), st.text(min_size=1, max_size=30))), min_size=1, max_size=12
    )
)
def test_every_picture_has_a_place_of_its_own_that_any_system_takes(
    tmp_path_factory: pytest.TempPathFactory, named: list[tuple[str, str | None]]
) -> None:
    pictures = [
        PackedPicture(
            sha256=f"{n:064x}", name=name, label=label, set_name=None, group=None, note="", width=1, height=1,
            mode="RGB", format="PNG", size_bytes=1, two_labels=False, came_at=dt.datetime.now(dt.UTC), appearances=[],
        )
        for n, (name, label) in enumerate(named)
    ]  # fmt: skip
    target = tmp_path_factory.mktemp("zip") / "out.zip"
    write_collection_zip(target, pictures, lambda sha: sha.encode(), _FACTS, by_set=False, progress=lambda: None)
    with zipfile.ZipFile(target) as archive:
        names = archive.namelist()
        assert len({name.lower() for name in names}) == len(pictures) + 2
        assert not any(set(part) & set('\\:*?"<>|') or part in ("", ".", "..") for n in names for part in n.split("/"))


def test_nothing_to_take_out_says_so(world: World) -> None:
    project = world.project()
    with world.context.database.session() as session:
        parcel = create_parcel(session, project, "collection", "out.zip", {})
        job = start_job(session, project, JobKind.TAKE_OUT, "Take out", parcel.id)
    ended = world.run(job)
    assert (ended.state, "no pictures" in str(ended.error)) == ("failed", True)
    assert not list(world.context.folder.parcels.glob("*"))


def test_a_whole_project_comes_back_as_it_was(world: World) -> None:
    project = trained_project(world)
    archive = taken_out(world, project, "project")
    back, ended = brought_back(world, archive)
    assert ended.state == "done", ended.error
    before, after = state_of(world, project), state_of(world, back)
    # The archive counts as brought in again now, and nothing else differs.
    assert after == before
    with world.context.database.session() as session:
        assert sorted(entry.name for entry in list_projects(session)) == ["Ridge", "Ridge (2)"]
        done = history.undo(session, back, "one")  # the history goes on where it was
        assert done.taken_back == 1
        moved = list_splits(session, back)[0]
        assert (moved.version, moved.in_no_set) == (2, 4)
        assert history.undo(session, back, "two").taken_back == 4  # in the split that came along
        assert get_split(session, moved.id).in_no_set == 0
    bring_back(world.context, ended.subject_id, Progress(world.context.database, ended.id, "again"))  # told twice
    assert state_of(world, back)["pictures"]
    _, job = world.run_job(back)
    assert world.run(job).state == "done"  # and it can be worked with


@pytest.mark.parametrize(
    ("change", "words"),
    [
        (lambda m: {"plate/1.png": png(1)}, "not a project's archive"),
        (lambda m: {k: v for k, v in m.items() if k != "project.json"}, "cut short"),
        (lambda m: {**m, "../evil": b"x"}, "not a project's archive"),
        (lambda m: {**m, "project.json": m["project.json"].replace(b'"version": 2', b'"version": 9')}, "version 9"),
        (lambda m: {k: png(500) if k.startswith("pictures/") else v for k, v in m.items()}, "was changed"),
        (lambda m: {k: v for k, v in m.items() if not k.startswith("pictures/")}, "lacks a picture"),
        (lambda m: {**m, "records/class.jsonl": b"[1]\n"}, "is none"),
        (lambda m: {**m, "records/class.jsonl": b"{"}, "damaged"),
        (lambda m: {**m, "records/class.jsonl": b'{"wingspan": 1}\n'}, "wingspan"),
        (lambda m: {k: v for k, v in m.items() if k != "records/class.jsonl"}, "do not hold together"),
        (
            lambda m: {**m, "records/split_member.jsonl": b'{"split_id": 77, "picture_id": 1, "set_name": "test"}\n'},
            "split 77",
        ),
    ],
)
def test_a_wrong_archive_brings_nothing_back(world: World, change: Any, words: str) -> None:
    project = world.project()
    world.bring_in(project, {"plate/1.png": png(1), "plate/2.png": png(2)})
    good = zipfile.ZipFile(io.BytesIO(taken_out(world, project, "project")))
    members = change({name: good.read(name) for name in good.namelist()})
    _, ended = brought_back(world, zipped(members))
    assert ended.state == "failed"
    assert words in str(ended.error)
    with world.context.database.session() as session:
        assert [entry.name for entry in list_projects(session)] == ["Crystals"]
        assert get_import(session, 1).report is not None


def test_an_archive_that_is_cut_anywhere_brings_nothing_back(world: World) -> None:
    project = world.project()
    world.bring_in(project, {"plate/1.png": png(1)})
    data = taken_out(world, project, "project")
    for length in range(0, len(data), max(1, len(data) // 12)):
        _, ended = brought_back(world, data[:length])
        assert ended.state == "failed"
        assert ended.error and "defect" not in ended.error and "went wrong in the program" not in ended.error
    with world.context.database.session() as session:
        assert len(list_projects(session)) == 1
