"""Backups of a data folder that is in use, and data folders made of them; a data folder that moves."""

import io
import shutil
import tarfile
from collections.abc import Callable
from pathlib import Path

import pytest

from tests.pictures import png, zipped
from tests.running import Running
from vast_orchard.errors import ArchiveError, ConflictError, InputError, ServiceError
from vast_orchard.supervision.backup import make_backup, restore_backup

# Each needs a thumbnail.
_MEMBERS = {f"{c}/{n}.png": png(40 * k + n, (220, 16)) for k, c in enumerate(("plate", "rime")) for n in range(8)}


def _heard(_done: int, _total: int) -> None:
    """Progress is for people."""


@pytest.fixture(scope="module")
def winter(open_folder: Path) -> tuple[Path, Path]:
    """A data folder that nothing runs on any more, and a backup that was made while something did."""
    app, target = Running(open_folder / "lived"), open_folder / "saved.tar"
    try:
        app.wait_ready()
        app.bring_in("Winter", zipped(_MEMBERS))
        facts = make_backup(app.data_dir, target, _heard)
    finally:
        app.stop()
    assert facts.files == 2 * len(_MEMBERS)
    return app.data_dir, target


@pytest.fixture(scope="module")
def lived(winter: tuple[Path, Path]) -> Path:
    return winter[0]


@pytest.fixture(scope="module")
def saved(winter: tuple[Path, Path]) -> Path:
    return winter[1]


def _shows_winter(app: Running) -> None:
    project = next(entry for entry in app.ask("GET", "/api/projects") if entry["name"] == "Winter")
    pictures = app.ask("GET", f"/api/projects/{project['id']}/pictures")["pictures"]
    assert len(pictures) == len(_MEMBERS)
    for picture in pictures[:3]:
        assert app.raw(f"/api/originals/{picture['sha256']}") in _MEMBERS.values()


def test_a_restored_folder_shows_the_same(saved: Path, open_folder: Path) -> None:
    folder = open_folder / "restored"
    restore_backup(saved, folder, _heard)
    app = Running(folder)
    try:
        app.wait_ready()
        _shows_winter(app)
    finally:
        app.stop()


def test_a_data_folder_may_be_moved(lived: Path, open_folder: Path) -> None:
    place = open_folder / "moved" / "deep"
    place.parent.mkdir()
    place.parent.chmod(0o755)
    shutil.move(lived, place)
    app = Running(place)
    try:
        app.wait_ready()
        _shows_winter(app)
    finally:
        app.stop()
        shutil.move(place, lived)


def test_backing_up_what_does_not_run(lived: Path, open_folder: Path) -> None:
    facts = make_backup(lived, open_folder / "cold.tar", _heard)
    assert facts.files == 2 * len(_MEMBERS)


def test_refusals_say_what_to_do(saved: Path, open_folder: Path, tmp_path: Path) -> None:
    with pytest.raises(InputError, match="not a data folder"):
        make_backup(tmp_path, tmp_path / "x.tar", _heard)
    with pytest.raises(InputError, match="There is no file"):
        restore_backup(tmp_path / "gone.tar", open_folder / "new", _heard)
    full = open_folder / "full"
    full.mkdir()
    (full / "thing").write_text("mine")
    with pytest.raises(ConflictError, match="is not empty"):
        restore_backup(saved, full, _heard)
    assert (full / "thing").read_text() == "mine"


def _renamed(data: bytes, change: Callable[[tarfile.TarInfo, bytes], bytes]) -> bytes:
    out = io.BytesIO()
    with tarfile.open(fileobj=io.BytesIO(data)) as source, tarfile.open(fileobj=out, mode="w") as target:
        for info in source:
            file = source.extractfile(info)
            assert file is not None
            content = change(info, file.read())
            info.size = len(content)
            target.addfile(info, io.BytesIO(content))
    return out.getvalue()


def _cut_between_files(data: bytes) -> bytes:
    """Without its last file and the end behind it."""
    with tarfile.open(fileobj=io.BytesIO(data)) as source:
        return data[: source.getmembers()[-1].offset]


def _evil_name(info: tarfile.TarInfo, content: bytes) -> bytes:
    if info.name.startswith("bytes/thumbnails"):
        info.name = "bytes/thumbnails/../../../evil"
    return content


def _other_picture(info: tarfile.TarInfo, content: bytes) -> bytes:
    return png(777) if info.name.startswith("bytes/pictures") else content


def _broken_dump(info: tarfile.TarInfo, content: bytes) -> bytes:
    return content[: len(content) // 2] if info.name == "database.dump" else content


@pytest.mark.parametrize(
    ("damage", "words"),
    [
        (lambda data: data[: len(data) // 2], "not a whole backup|not a backup"),
        (_cut_between_files, "ends after 31 of 32 files"),
        (lambda _: zipped({"a": b"b"}), "not a whole backup"),
        (lambda data: _renamed(data, _evil_name), "not its own"),
        (lambda data: _renamed(data, _other_picture), "was changed"),
        (lambda data: _renamed(data, _broken_dump), "pg_restore failed"),
    ],
)
def test_a_damaged_backup_leaves_no_folder(
    saved: Path, open_folder: Path, damage: Callable[[bytes], bytes], words: str
) -> None:
    broken = open_folder / "broken.tar"
    broken.write_bytes(damage(saved.read_bytes()))
    folder = open_folder / "from broken"
    with pytest.raises((ArchiveError, ServiceError), match=words):
        restore_backup(broken, folder, _heard)
    assert not folder.exists()
