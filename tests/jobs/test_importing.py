"""Imports through the records: nothing doubled, nothing lost, everything skipped is named."""

import hashlib
import io
import json
import tarfile
from dataclasses import replace
from pathlib import Path
from typing import Any

import pytest
from PIL import Image
from sqlalchemy import text

from tests.pictures import encoded, png, zipped
from tests.world import World, list_pictures
from vast_orchard.errors import DatabaseGoneError, ServiceError
from vast_orchard.formats.picture_file import tile
from vast_orchard.jobs.bringing_in import batch_recorder, opened_files
from vast_orchard.jobs.queue import start_job
from vast_orchard.jobs.run_job import run_job
from vast_orchard.store.bytes import ByteStore
from vast_orchard.store.classes import list_classes
from vast_orchard.store.data_folder import DataFolder
from vast_orchard.store.history import redo, undo
from vast_orchard.store.imports import add_batch, choose_reading, create_import, get_import
from vast_orchard.store.jobs import ask_stop, take_job
from vast_orchard.store.schema import JobKind
from vast_orchard.store.told_steps import list_actions


def _sha(data: bytes) -> str:
    return hashlib.sha256(data).hexdigest()


def _counts(world: World, project: int) -> dict[str, int]:
    with world.context.database.session() as session:
        return {entry.name: entry.count for entry in list_classes(session, project)}


_MEMBERS = {
    "winter/plate/1.png": png(1),
    "winter/plate/2.png": png(2),
    "winter/stellar/3.png": png(3),
    "winter/stellar/same as 1.png": png(1),
    "winter/notes.txt": b"Wind from the west.",
    "winter/stellar/broken.png": png(4)[:150],
}


@pytest.mark.parametrize("as_zip", [True, False])
def test_a_messy_collection(world: World, as_zip: bool) -> None:
    project = world.project()
    report = world.bring_in(project, {"winter.zip": zipped(_MEMBERS)} if as_zip else _MEMBERS)
    assert _counts(world, project) == {"stellar": 1, "plate": 2}
    assert (report["added"], report["known"], report["repeated"], report["skipped_count"]) == (3, 0, 1, 2)
    skipped: Any = report["skipped"]
    assert {entry["path"] for entry in skipped} == {"winter/notes.txt", "winter/stellar/broken.png"}
    assert "damaged" in next(entry["reason"] for entry in skipped if "broken" in entry["path"])
    assert report["wrappers"] == ["winter"]
    with world.context.database.session() as session:
        doubled = [entry for entry in list_pictures(session, project) if entry.two_labels]
    assert [entry.name for entry in doubled] == ["1.png"]
    assert not list(world.context.folder.uploads.iterdir())


def test_the_same_again_adds_nothing(world: World) -> None:
    project = world.project()
    world.bring_in(project, _MEMBERS)
    again = world.bring_in(project, {"other name.zip": zipped(_MEMBERS)})
    assert (again["added"], again["known"]) == (0, 3)
    assert _counts(world, project) == {"stellar": 1, "plate": 2}
    moved = world.bring_in(project, {"elsewhere/plate/x.png": png(1), "elsewhere/needle/new.png": png(9)})
    assert (moved["added"], moved["known"]) == (1, 1)


def test_two_projects_share_bytes_and_nothing_else(world: World) -> None:
    one, two = world.project("One"), world.project("Two")
    for project in (one, two):
        world.bring_in(project, {"plate/1.png": png(1)})
    assert _counts(world, one) == _counts(world, two) == {"plate": 1}
    stored = [path for path in (world.context.settings.data_dir / "bytes" / "pictures").rglob("*") if path.is_file()]
    assert len(stored) == 1


@pytest.mark.parametrize(
    ("members", "words"),
    [
        ({"in.zip": b"no zip at all"}, "is not a zip archive"),
        ({"in.zip": zipped({})}, "archive is empty"),
        ({"in.zip": zipped({"../x.png": png(1)})}, "points outside"),
        (
            {"in.zip": zipped({"a/notes.txt": b"1"})},
            "No readable picture was found; there were 1 files, such as notes.txt",
        ),
    ],
)
def test_what_cannot_be_brought_in_fails_with_words_and_leaves_nothing(
    world: World, members: dict[str, bytes], words: str
) -> None:
    project = world.project()
    world.bring_in(project, {"plate/1.png": png(1)})
    job = world.run(world.import_job(project, members))
    assert job.state == "failed"
    assert words in str(job.error)
    assert _counts(world, project) == {"plate": 1}
    assert not list(world.context.folder.uploads.iterdir())


def test_the_planted_faults_of_the_demo_come_out_as_planted(world: World, crystals: Path) -> None:
    planted = json.loads((crystals / "planted.json").read_text())
    project = world.project()
    members = {str(path.relative_to(crystals)): path.read_bytes() for path in crystals.rglob("*") if path.is_file()}
    report = world.bring_in(project, members)
    pictures = planted["pictures"]
    exact = [entry for entry in pictures if entry["fault"] == "exact_copy"]
    assert report["added"] == len(pictures) - len(exact)
    assert report["repeated"] == len(exact)
    skipped: Any = report["skipped"]
    assert {entry["path"] for entry in skipped} == {*planted["unreadable"], *planted["stray"], "planted.json"}
    folders = [entry["folder"] for entry in pictures]
    assert set(_counts(world, project)) == set(folders) - {"unlabelled"}
    with world.context.database.session() as session:
        rows = list_pictures(session, project)
    by_number = {entry["number"]: entry for entry in pictures}
    moved = [entry for entry in exact if entry["folder"] != by_number[entry["of"]]["folder"]]
    assert sum(row.two_labels for row in rows) == len(moved) > 0
    assert sum(row.class_id is None for row in rows) == folders.count("unlabelled")


def test_a_worker_killed_in_the_middle_goes_on_to_the_same_end(world: World, monkeypatch: pytest.MonkeyPatch) -> None:
    members = {f"plate/{n}.png": png(n) for n in range(500)} | {f"needle/{n}.png": png(600 + n) for n in range(50)}
    project = world.project()
    job = world.import_job(project, members)
    calls = 0

    def dies(*arguments: Any) -> Any:
        nonlocal calls
        calls += 1
        if calls == 2:
            raise DatabaseGoneError("The database does not answer.", "")
        return add_batch(*arguments)

    monkeypatch.setattr(batch_recorder, "add_batch", dies)
    with pytest.raises(DatabaseGoneError):
        run_job(world.context, job)
    assert world.job(job).state == "running"
    assert sum(_counts(world, project).values()) == 128  # the first batch
    monkeypatch.undo()
    assert world.run(job).state == "done"
    assert _counts(world, project) == {"needle": 50, "plate": 500}


def test_a_worker_killed_after_the_last_record_leaves_no_files_lying(
    world: World, monkeypatch: pytest.MonkeyPatch
) -> None:
    project = world.project()
    job = world.import_job(project, {"in.zip": zipped(_MEMBERS)})

    def dies(*_: object) -> None:
        raise DatabaseGoneError("The database does not answer.", "")

    monkeypatch.setattr(DataFolder, "remove", dies)
    with pytest.raises(DatabaseGoneError):
        run_job(world.context, job)
    assert list(world.context.folder.uploads.iterdir())
    monkeypatch.undo()
    assert world.run(job).state == "done"
    assert _counts(world, project) == {"stellar": 1, "plate": 2}
    assert not list(world.context.folder.uploads.iterdir())


def test_a_full_disk_ends_the_job_with_words_and_keeps_what_is_there(
    world: World, monkeypatch: pytest.MonkeyPatch
) -> None:
    project = world.project()
    world.bring_in(project, {"plate/1.png": png(1)})
    job = world.import_job(project, {"plate/2.png": png(2, (300, 200))})  # too large to be taken over undecoded

    def full(*_: object) -> str:
        raise ServiceError("pictures/ab cannot be stored: No space left on device.", "Make room, then repeat.")

    monkeypatch.setattr(ByteStore, "write_picture", full)
    ended = world.run(job)
    assert (ended.state, "No space left" in str(ended.error)) == ("failed", True)
    assert _counts(world, project) == {"plate": 1}

    # With room again, it goes on from its plan: the source was kept.
    monkeypatch.undo()
    with world.context.database.session() as session:
        entry = get_import(session, ended.subject_id)
        assert (entry.state, entry.choice is None) == ("planned", False)
        choose_reading(session, entry.id, entry.choice or {})
        again = start_job(session, project, JobKind.IMPORT, "Again", entry.id)
    assert world.run(again).state == "done"
    assert _counts(world, project) == {"plate": 2}
    assert not list(world.context.folder.uploads.iterdir())


def test_who_lost_the_job_records_nothing_more(world: World, monkeypatch: pytest.MonkeyPatch) -> None:
    project = world.project()
    job = world.import_job(project, {f"plate/{n}.png": png(n) for n in range(200)})

    def taken_over_after_first(session: Any, *arguments: Any) -> Any:
        if _counts(world, project):
            with world.context.database.session() as other:
                assert take_job(other, job, "another worker") is not None
        return add_batch(session, *arguments)

    monkeypatch.setattr(batch_recorder, "add_batch", taken_over_after_first)
    run_job(world.context, job)
    assert world.job(job).state == "running"  # the other worker's now
    assert _counts(world, project) == {"plate": 128}
    monkeypatch.undo()
    assert world.run(job).state == "done"
    assert _counts(world, project) == {"plate": 200}


def _planned(world: World, project: int, members: dict[str, bytes]) -> tuple[int, Path]:
    """An import that was read and waits for a decision, and the folder of its upload."""
    upload = world.upload(members)
    with world.context.database.session() as session:
        entry = create_import(session, project, "in", upload)
        job = start_job(session, project, JobKind.READ, "Read in", entry.id)
    assert world.run(job).state == "done"
    return entry.id, world.context.folder.uploads / upload


def _decide(world: World, project: int, import_id: int) -> dict[str, Any]:
    with world.context.database.session() as session:
        choose_reading(session, import_id, (get_import(session, import_id).survey or {})["readings"][0]["choice"])
        job = start_job(session, project, JobKind.IMPORT, "Bring in", import_id)
    assert world.run(job).state == "done"
    with world.context.database.session() as session:
        return get_import(session, import_id).report or {}


def test_small_pictures_are_decoded_for_the_plan_and_not_again(world: World, monkeypatch: pytest.MonkeyPatch) -> None:
    project = world.project()
    damaged = encoded(Image.new("RGB", (90, 60), "red"), "JPEG")[:-100]
    import_id, _ = _planned(world, project, {"plate/1.png": png(1), "rime/2.png": png(2), "rime/cut.jpg": damaged})
    with world.context.database.session() as session:
        survey: Any = get_import(session, import_id).survey
    assert (survey["pictures"], [skip["path"] for skip in survey["skipped"]]) == (2, ["rime/cut.jpg"])
    assert "damaged" in survey["skipped"][0]["reason"]

    def never(*_: object) -> None:
        raise AssertionError("decoded again")

    monkeypatch.setattr(opened_files, "keep_picture", never)
    assert _decide(world, project, import_id)["added"] == 2
    assert _counts(world, project) == {"plate": 1, "rime": 1}
    with world.context.database.session() as session:
        rows = {row.name: row for row in list_pictures(session, project)}
    assert (rows["1.png"].sha256, rows["1.png"].width, rows["1.png"].height) == (_sha(png(1)), 20, 16)
    with world.context.database.session() as session:
        kept = session.scalars(text("select pixels from picture_tile order by picture_id")).all()
    assert kept == [tile(Image.open(io.BytesIO(png(n))).convert("RGB")) for n in (1, 2)]


@pytest.mark.parametrize("as_zip", [True, False])
def test_what_changed_after_it_was_read_comes_in_as_it_is_now(world: World, as_zip: bool) -> None:
    project = world.project()
    before = {f"plate/{n}.png": png(n) for n in range(3)}
    after = before | {"plate/1.png": png(10), "plate/2.png": b"no picture any more"}
    import_id, upload = _planned(world, project, {"in.zip": zipped(before)} if as_zip else before)
    for name, data in ({"in.zip": zipped(after)} if as_zip else after).items():
        if (upload / name).read_bytes() != data:
            (upload / name).write_bytes(data)
    report = _decide(world, project, import_id)
    assert (report["added"], report["skipped_count"]) == (2, 1)
    with world.context.database.session() as session:
        found = {row.name: row.sha256 for row in list_pictures(session, project)}
    assert found == {"0.png": _sha(png(0)), "1.png": _sha(png(10))}
    for sha256 in found.values():
        assert _sha(world.context.store.read(ByteStore.picture_path(sha256))) == sha256


def test_stopping_keeps_what_came_so_far_and_says_so(world: World, monkeypatch: pytest.MonkeyPatch) -> None:
    project = world.project()
    job = world.import_job(project, {f"plate/{n}.png": png(n) for n in range(600)})

    def stop_after_first(session: Any, *arguments: Any) -> Any:
        result = add_batch(session, *arguments)
        ask_stop(session, job)
        return result

    monkeypatch.setattr(batch_recorder, "add_batch", stop_after_first)
    assert world.run(job).state == "stopped"
    kept = _counts(world, project)["plate"]
    assert kept == 128  # the first batch
    monkeypatch.undo()
    report = world.bring_in(project, {f"plate/{n}.png": png(n) for n in range(600)})
    assert (report["known"], report["added"]) == (kept, 600 - kept)


def test_classes_in_other_capitals_join_those_that_are_there(world: World) -> None:
    project = world.project()
    world.bring_in(project, {"Plate/1.png": png(1), "ÉTOILE/2.png": png(2)})
    world.bring_in(project, {"plate/3.png": png(3), "étoile/4.png": png(4)})
    assert _counts(world, project) == {"Plate": 2, "ÉTOILE": 2}


def test_imports_happen_once_even_if_delivered_twice(world: World) -> None:
    project = world.project()
    job = world.import_job(project, {"plate/1.png": png(1)})
    assert world.run(job).state == world.run(job).state == "done"
    assert _counts(world, project) == {"plate": 1}


def test_where_every_picture_is_damaged_nothing_is_left_lying(world: World) -> None:
    project = world.project()
    job = world.run(world.import_job(project, {f"plate/{n}.png": png(n)[:150] for n in range(3)}))
    assert (job.state, "No readable picture was found" in str(job.error)) == ("failed", True)
    assert _counts(world, project) == {}
    assert not list(world.context.folder.uploads.iterdir())


@pytest.mark.long
def test_an_archive_of_a_hundred_thousand_entries(world: World) -> None:
    members = {f"notes/{n}.txt": b"" for n in range(100_000)} | {"plate/1.png": png(1), "rime/2.png": png(2)}
    project = world.project()
    report = world.bring_in(project, {"many.zip": zipped(members)})
    assert (report["added"], report["skipped_count"]) == (2, 100_000)
    skipped: Any = report["skipped"]
    assert len(skipped) == 500  # by name; the table of fates names all
    assert _counts(world, project) == {"plate": 1, "rime": 1}


def test_archives_within_archives_are_named_and_left_alone(world: World) -> None:
    project = world.project()
    inner = zipped({"plate/2.png": png(2)})
    report = world.bring_in(project, {"out.zip": zipped({"plate/1.png": png(1), "plate/more.zip": inner})})
    assert (report["added"], report["skipped_count"]) == (1, 1)
    skipped: Any = report["skipped"]
    assert "bring it in by itself" in skipped[0]["reason"]


@pytest.mark.parametrize("mode", ["w:gz", "w:bz2", "w:xz", "w"])
def test_packed_tars_are_unpacked_once_and_within_limits(world: World, mode: str) -> None:
    def tar(members: dict[str, bytes]) -> bytes:
        out = io.BytesIO()
        with tarfile.open(fileobj=out, mode=mode) as archive:  # type: ignore[call-overload]
            for name, data in members.items():
                info = tarfile.TarInfo(name)
                info.size = len(data)
                archive.addfile(info, io.BytesIO(data))
        return out.getvalue()

    ending = mode.partition(":")[2]
    name = f"winter.tar.{ending}" if ending else "winter.tar"
    project = world.project()
    data = tar({f"{c}/{n}.png": png(60 * k + n) for k, c in enumerate(("plate", "rime")) for n in range(30)})
    assert world.bring_in(project, {name: data})["added"] == 60
    assert not list(world.context.folder.uploads.iterdir())
    cut = world.run(world.import_job(project, {name: data[: len(data) // 2]}))
    assert (cut.state, "cut short" in str(cut.error) or "damaged" in str(cut.error)) == ("failed", True)
    if ending:
        bomb = world.run(world.import_job(project, {name: tar({"plate/zero.png": bytes(80 << 20)})}))
        assert (bomb.state, "times its size" in str(bomb.error)) == ("failed", True)
    assert not [path for path in world.context.folder.uploads.iterdir() if path.suffix == ".part"]


def test_what_the_store_took_over_outlives_the_upload_and_a_folder_on_the_server_is_copied(
    world: World, tmp_path: Path
) -> None:
    project = world.project()
    world.bring_in(project, {"plate/1.png": png(1)})
    stored = world.context.settings.data_dir / "bytes" / ByteStore.picture_path(_sha(png(1)))
    assert stored.read_bytes() == png(1)
    assert stored.stat().st_nlink == 1
    assert list(world.context.folder.uploads.iterdir()) == []
    theirs = tmp_path / "theirs" / "plate" / "2.png"
    theirs.parent.mkdir(parents=True)
    theirs.write_bytes(png(2))
    context = replace(world.context, settings=replace(world.context.settings, import_roots=str(tmp_path)))
    with context.database.session() as session:
        entry = create_import(session, project, "theirs", str(theirs.parent.parent), kind="folder")
        job = start_job(session, project, JobKind.IMPORT, "Bring in theirs", entry.id)
    run_job(context, job)
    assert world.job(job).state == "done", world.job(job).error
    theirs.write_bytes(b"changed in its place")
    kept = world.context.store.read(ByteStore.picture_path(_sha(png(2))))
    assert kept == png(2)


def test_an_import_that_is_delivered_again_before_it_ended_does_everything_once(world: World) -> None:
    project = world.project()
    job = world.import_job(project, _MEMBERS)
    world.run(job)
    with world.context.database.session() as session:
        # Its worker died after its last step and before it said so.
        session.execute(text("update job set state = 'running', ended_at = null where id = :job"), {"job": job})
    assert world.run(job).state == "done"
    with world.context.database.session() as session:
        steps = [step for step in list_actions(session, project) if step.kind == "import"]
        pictures = list_pictures(session, project)
        appearances = session.scalar(text("select count(*) from appearance"))
    assert len(steps) == 1
    assert len(pictures) == 3
    assert appearances == 4  # one content came in twice


def test_taking_an_import_back_takes_its_second_label_back(world: World) -> None:
    project = world.project()
    world.bring_in(project, {"plate/1.png": png(1), "plate/2.png": png(2)}, "first")
    world.bring_in(project, {"needle/1.png": png(1), "needle/3.png": png(3)}, "second")

    def marked() -> list[bool]:
        with world.context.database.session() as session:
            return [entry.two_labels for entry in list_pictures(session, project)]

    assert marked() == [True, False, False]
    with world.context.database.session() as session:
        taken = undo(session, project, "one", import_id=2)
    assert (taken.taken_back, taken.kept) == (1, 0)
    # The picture that both brought stays, as the first brought it, and under one label.
    assert marked() == [False, False]
    assert _counts(world, project) == {"plate": 2}
    with world.context.database.session() as session:
        redo(session, project, "one")
    assert _counts(world, project) == {"needle": 1, "plate": 2}
