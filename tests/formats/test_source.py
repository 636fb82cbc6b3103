"""Archives and folders, good and bad."""

import io
import tarfile
import zipfile
from pathlib import Path
from typing import Literal, TypeAlias

import numpy as np
import pytest

from tests.pictures import png, zipped
from vast_orchard.core.pictures.preprocessing import Preprocessing
from vast_orchard.errors import ArchiveError
from vast_orchard.formats.collection import collect
from vast_orchard.formats.members import SourceLimits
from vast_orchard.formats.source import open_source


def _write(folder: Path, data: bytes, name: str = "in.zip") -> Path:
    target = folder / name
    target.write_bytes(data)
    return target


def test_a_zip_and_a_folder_are_read_alike(tmp_path: Path) -> None:
    members = {"plate/1.png": png(1), "needle/2.png": png(2)}
    for name, data in members.items():
        (tmp_path / "tree" / name).parent.mkdir(parents=True, exist_ok=True)
        (tmp_path / "tree" / name).write_bytes(data)
    for place in (tmp_path / "tree", _write(tmp_path, zipped(members))):
        with open_source(place) as source:
            assert {name: source.read(name) for name in source.names()} == members


@pytest.mark.parametrize(
    ("data", "words"),
    [
        (b"", r"is empty \(0 bytes\)"),
        (b"this is no zip", "is not a zip archive"),
        (zipped({"plate/1.png": png(1)})[:-30], "is not a zip archive, or it is cut short"),
        (zipped({}), "archive is empty"),
        (zipped({"../plate/1.png": png(1)}), r"points outside of it: '../plate/1.png'. Nothing was brought in"),
        (zipped({"/etc/1.png": png(1)}), "points outside"),
        (zipped({"a\\..\\..\\1.png": png(1)}), "points outside"),
    ],
)
def test_archives_that_cannot_be_used_say_why(tmp_path: Path, data: bytes, words: str) -> None:
    with pytest.raises(ArchiveError, match=words), open_source(_write(tmp_path, data)):
        pass


def test_nothing_there_and_nothing_readable(tmp_path: Path) -> None:
    with pytest.raises(ArchiveError, match="There is nothing at"), open_source(tmp_path / "absent"):
        pass
    archive = _write(tmp_path, zipped({"notes.txt": b"no", "plate/broken.png": b"\x89PNG"}))
    with (
        open_source(archive) as source,
        pytest.raises(ArchiveError, match=r"there were 2 files, such as notes.txt, broken.png.*folder for each class"),
    ):
        collect(source, Preprocessing(size=16))


def test_a_bomb_by_total_size_is_refused_before_it_is_opened(tmp_path: Path) -> None:
    archive = _write(tmp_path, zipped({f"a/{n}.png": bytes(2**20) for n in range(3)}))
    with (
        pytest.raises(ArchiveError, match=r"unpacks to 3 MB.*limit is 2 MB.*import_limit_mb"),
        open_source(archive, SourceLimits(total_mb=2)),
    ):
        pass


def test_a_bomb_by_ratio_leaves_out_the_member_only(tmp_path: Path) -> None:
    archive = _write(tmp_path, zipped({"a/bomb.png": bytes(5 * 2**20), "a/1.png": png(1)}))
    with open_source(archive) as source:
        with pytest.raises(ArchiveError, match="times its packed size"):
            source.read("a/bomb.png")
        assert source.read("a/1.png") == png(1)


def test_a_member_that_lies_about_its_size_is_stopped(tmp_path: Path) -> None:
    data = zipped({"a/1.png": bytes(range(256)) * 8192})
    size = (2 * 2**20).to_bytes(4, "little")
    assert data.count(size) == 2
    archive = _write(tmp_path, data.replace(size, (1000).to_bytes(4, "little")))
    with open_source(archive) as source, pytest.raises(ArchiveError, match=r"cannot be unpacked|damaged"):
        source.read("a/1.png")


def test_too_many_files_are_refused(tmp_path: Path) -> None:
    archive = _write(tmp_path, zipped({f"{n}.png": b"x" for n in range(5)}))
    with pytest.raises(ArchiveError, match="holds 5 files"), open_source(archive, SourceLimits(files=4)):
        pass


def test_a_damaged_member_is_named_and_the_rest_is_read(tmp_path: Path) -> None:
    data = bytearray(zipped({"a/1.png": png(1), "a/2.png": png(2)}))
    at = data.index(b"a/1.png") + 40
    data[at : at + 20] = bytes(20)
    archive = _write(tmp_path, bytes(data))
    with open_source(archive) as source:
        with pytest.raises(ArchiveError, match=r"a/1.png (cannot be unpacked|is damaged)"):
            source.read("a/1.png")
        assert source.read("a/2.png") == png(2)


def test_a_password_is_asked_to_be_taken_off(tmp_path: Path) -> None:
    data = bytearray(zipped({"a/1.png": png(1)}))
    # The flag of encryption, in the central directory and in the member's own header.
    for mark, offset in ((b"PK\x01\x02", 8), (b"PK\x03\x04", 6)):
        data[data.index(mark) + offset] |= 1
    with pytest.raises(ArchiveError, match="password"), open_source(_write(tmp_path, bytes(data))):
        pass


def test_links_out_of_a_folder_are_not_followed(tmp_path: Path) -> None:
    (tmp_path / "secret.png").write_bytes(png(1))
    (tmp_path / "tree").mkdir()
    (tmp_path / "tree" / "link.png").symlink_to(tmp_path / "secret.png")
    (tmp_path / "tree" / "own.png").write_bytes(png(2))
    with open_source(tmp_path / "tree") as source:
        assert source.names() == ["own.png"]


def test_repeated_content_is_collected_once(tmp_path: Path) -> None:
    with zipfile.ZipFile(tmp_path / "in.zip", "w") as archive:
        for name, seed in (("a/1.png", 1), ("b/again.png", 1), ("b/2.png", 2)):
            archive.writestr(name, png(seed))
    with open_source(tmp_path / "in.zip") as source:
        found = collect(source, Preprocessing(size=16))
    assert [picture.class_name for picture in found.pictures] == ["a", "b"]
    assert found.repeated == 1
    assert found.pixels.shape == (2, 16, 16, 3)


_Packing: TypeAlias = Literal["w", "w:gz", "w:bz2", "w:xz"]


def _tarred(members: dict[str, bytes], kind: _Packing = "w", *more: tarfile.TarInfo) -> bytes:
    buffer = io.BytesIO()
    with tarfile.open(fileobj=buffer, mode=kind) as archive:
        for name, data in members.items():
            info = tarfile.TarInfo(name)
            info.size = len(data)
            archive.addfile(info, io.BytesIO(data))
        for info in more:
            archive.addfile(info)
    return buffer.getvalue()


@pytest.mark.parametrize(
    ("kind", "ending"), [("w", "tar"), ("w:gz", "tar.gz"), ("w:gz", "TGZ"), ("w:bz2", "tar.bz2"), ("w:xz", "txz")]
)
def test_a_tar_is_read_like_a_folder(tmp_path: Path, kind: _Packing, ending: str) -> None:
    members = {"plate/1.png": png(1), "needle/2.png": png(2)}
    data = _tarred({f"./{name}": content for name, content in members.items()}, kind)
    with open_source(_write(tmp_path, data, f"in.{ending}")) as source:
        assert {name: source.read(name) for name in source.names()} == members


def test_links_devices_and_pipes_in_a_tar_are_left_out(tmp_path: Path) -> None:
    odd = []
    for number, kind in enumerate(
        (tarfile.SYMTYPE, tarfile.LNKTYPE, tarfile.CHRTYPE, tarfile.FIFOTYPE, tarfile.DIRTYPE)
    ):
        info = tarfile.TarInfo(f"plate/odd{number}.png")
        info.type, info.linkname = kind, "/etc/passwd"
        odd.append(info)
    with open_source(_write(tmp_path, _tarred({"plate/1.png": png(1)}, "w", *odd), "in.tar")) as source:
        assert source.names() == ["plate/1.png"]


@pytest.mark.parametrize(
    ("data", "words"),
    [
        (b"this is no tar", "is not a tar archive, or it is cut short"),
        (_tarred({"plate/1.png": png(1), "plate/2.png": png(2)}, "w:gz")[:-40], "cut short"),
        (_tarred({"plate/1.png": png(1), "plate/2.png": bytes(9000)})[:6000], "damaged or cut short"),
        (_tarred({}), "holds no files|not a tar archive"),
        (_tarred({"../plate/1.png": png(1)}), r"points outside of it: '../plate/1.png'. Nothing was brought in"),
        (_tarred({"/etc/1.png": png(1)}), "points outside"),
        (_tarred({"a/1.png": bytes(2**24)}, "w:xz"), "more than 200 times its size"),
    ],
)
def test_tars_that_cannot_be_used_say_why(tmp_path: Path, data: bytes, words: str) -> None:
    with pytest.raises(ArchiveError, match=words), open_source(_write(tmp_path, data, "in.tar.gz")):
        pass


def test_a_tar_has_the_limits_of_a_zip(tmp_path: Path) -> None:
    archive = _write(tmp_path, _tarred({f"a/{n}.png": bytes(2**20) for n in range(3)}), "in.tar")
    for limits, words in ((SourceLimits(total_mb=2), "more than 3 MB"), (SourceLimits(files=2), "more than 2 files")):
        with pytest.raises(ArchiveError, match=words), open_source(archive, limits):
            pass


def test_what_is_unpacked_counts_against_the_whole_also_when_it_is_read_again(tmp_path: Path) -> None:
    """The directory's sizes are checked before; what comes out is counted all the same."""
    path = tmp_path / "a.zip"
    noise = np.random.default_rng(1).integers(0, 256, 700_000, dtype=np.uint8).tobytes()
    path.write_bytes(zipped({"a.png": noise}))
    with open_source(path, SourceLimits(total_mb=1)) as source:
        assert source.read("a.png") == noise
        with pytest.raises(ArchiveError, match="unpacks to more than"):
            source.read("a.png")
