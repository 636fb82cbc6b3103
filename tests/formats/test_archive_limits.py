"""What an archive from anywhere may cost: every member, every row, everything together, and what it lists."""

import hashlib
import io
import json
import struct
import tarfile
import zipfile
from collections.abc import Callable, Mapping
from pathlib import Path

import pytest

from tests.pictures import png
from vast_orchard.errors import ArchiveError
from vast_orchard.formats.members import SourceLimits
from vast_orchard.formats.project_archive import ArchiveLimits, ArchiveReader, open_project_archive
from vast_orchard.formats.source import open_source
from vast_orchard.formats.zip_count import check_entries

_FACTS = json.dumps({"format": "vast-orchard-project", "version": 1, "name": "Snow"}).encode()
_PICTURE = png(1)
_SHA = hashlib.sha256(_PICTURE).hexdigest()


def _archive(
    tmp_path: Path, members: Mapping[str, bytes], limits: ArchiveLimits, packing: int = zipfile.ZIP_DEFLATED
) -> ArchiveReader:
    path = tmp_path / "a.zip"
    with zipfile.ZipFile(path, "w", packing) as archive:
        for name, data in {"project.json": _FACTS, **members}.items():
            archive.writestr(name, data)
    return open_project_archive(path, limits)[1]


def _read_all(reader: ArchiveReader) -> int:
    """Everything that bringing back reads; the most rows and bytes of text that came at once."""
    most = 0
    for table in ("picture", "action"):
        for batch in reader.batches(table):
            most = max(most, len(batch))
    for sha256 in reader.names("pictures"):
        reader.picture(sha256)
    for path in reader.names("files"):
        most = max(most, *(len(piece) for piece in reader.file(path)))
    return most


_ZEROS = b"0" * (3 * 2**20)


@pytest.mark.parametrize(
    ("members", "limits", "words"),
    [
        ({"records/picture.jsonl": b" " * 2**22}, ArchiveLimits(), "times its packed size"),
        ({f"pictures/{'0' * 64}": _ZEROS}, ArchiveLimits(), "times its packed size"),
        ({"files/runs/1/last-1.safetensors": _ZEROS}, ArchiveLimits(), "times its packed size"),
        ({"files/exports/1.zip": _ZEROS}, ArchiveLimits(ratio=10**6, file_mb=2), "The limit is 2 MB of one"),
        ({f"pictures/{'0' * 64}": _ZEROS}, ArchiveLimits(ratio=10**6, picture_mb=2), "The limit is 2 MB of one"),
        ({"records/action.jsonl": b'{"a": "' + _ZEROS + b'"}'}, ArchiveLimits(ratio=10**6, row_mb=2), "more than 2 MB"),
        ({"records/action.jsonl": b'{"a": 1}\n' * 400_000}, ArchiveLimits(ratio=10**6, total_mb=3), "3 MB in all"),
        ({"records/action.jsonl": b"[" * 200_000}, ArchiveLimits(), "damaged"),
        ({"records/action.jsonl": b"[1]\n"}, ArchiveLimits(), "is none"),
        ({"records/action.jsonl": b'{"a": \xff}\n'}, ArchiveLimits(), "damaged"),
        ({f"pictures/{_SHA}": _PICTURE[:-1]}, ArchiveLimits(), "was changed"),
    ],
)  # fmt: skip
def test_what_costs_too_much_is_refused_in_words(
    tmp_path: Path, members: Mapping[str, bytes], limits: ArchiveLimits, words: str
) -> None:
    reader = _archive(tmp_path, members, limits)
    with pytest.raises(ArchiveError, match=words):
        _read_all(reader)


def test_everything_together_counts_over_all_members(tmp_path: Path) -> None:
    members = {f"files/runs/{n}/kept-1.safetensors": b"x" * 600_000 for n in range(4)}
    reader = _archive(tmp_path, members, ArchiveLimits(total_mb=2, ratio=10**6))
    with pytest.raises(ArchiveError, match="2 MB in all"):
        _read_all(reader)


def test_project_facts_are_small(tmp_path: Path) -> None:
    with pytest.raises(ArchiveError, match="unpacks to too much"):
        _archive(tmp_path, {"project.json": b" " * (2**20 + 1)}, ArchiveLimits(ratio=10**6))


def test_rows_come_some_at_a_time_by_number_and_by_size_and_files_in_pieces(tmp_path: Path) -> None:
    small = b"".join(b'{"id": %d}\n' % n for n in range(4500))
    large = b"".join(json.dumps({"id": n, "text": "x" * 2**20}).encode() + b"\n" for n in range(20))
    members = {"records/picture.jsonl": small, "records/action.jsonl": large, "files/exports/1.zip": b"x" * 5 * 2**20}
    reader = _archive(tmp_path, members, ArchiveLimits(ratio=10**6))
    batches = list(reader.batches("picture"))
    assert [len(batch) for batch in batches] == [2000, 2000, 500]
    assert [row["id"] for batch in batches for row in batch] == list(range(4500))
    # Of rows of a megabyte only so many come at once that they take eight.
    assert [len(batch) for batch in reader.batches("action")] == [8, 8, 4]
    assert [len(piece) for piece in reader.file("exports/1.zip")] == [2**20] * 5


def test_nothing_is_unpacked_beyond_the_limit_whatever_the_archive_says(tmp_path: Path) -> None:
    """The size in the directory is a lie of the packer; what comes is counted."""
    reader = _archive(tmp_path, {"files/exports/1.zip": b"x" * 2**22}, ArchiveLimits(ratio=10**6, file_mb=2))
    reader._members["files/exports/1.zip"].file_size = 10**12  # a buffer of that size is never asked for
    pieces = 0
    with pytest.raises(ArchiveError):
        for _ in reader.file("exports/1.zip"):
            pieces += 1
    assert pieces <= 2


def _zip_of(count: int) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as archive:
        for n in range(count):
            archive.writestr(f"a/{n}.png", b"")
        archive.comment = b"a comment " * 50
    return out.getvalue()


def _few_claimed(data: bytes) -> bytes:
    at = data.rfind(b"PK\5\6")
    return data[: at + 8] + struct.pack("<HH", 1, 1) + data[at + 12 :]


def _far(data: bytes) -> bytes:
    """The same with a directory as archives of more than 65,535 files have it (Zip64)."""
    at = data.rfind(b"PK\5\6")
    count, _, length, start = struct.unpack("<HHII", data[at + 8 : at + 20])
    far = b"PK\6\6" + struct.pack("<QHHIIQQQQ", 44, 45, 45, 0, 0, count, count, length, start)
    locator = b"PK\6\7" + struct.pack("<IQI", 0, at, 1)
    end = b"PK\5\6" + struct.pack("<HHHHIIH", 0, 0, 0xFFFF, 0xFFFF, 0xFFFFFFFF, 0xFFFFFFFF, 0)
    return data[:at] + far + locator + end


@pytest.mark.parametrize("change", [bytes, _few_claimed, _far, lambda data: b"before " * 9 + data])
def test_entries_are_counted_before_they_are_listed(tmp_path: Path, change: Callable[[bytes], bytes]) -> None:
    path = tmp_path / "a.zip"
    path.write_bytes(change(_zip_of(30)))
    check_entries(path, 30)
    with pytest.raises(ArchiveError, match="lists more than 29 files"):
        check_entries(path, 29)


@pytest.mark.parametrize("data", [b"", b"PK", b"PK\5\6" + b"\0" * 10, b"x" * 99, b"PK\5\6" + b"\xff" * 18])
def test_what_is_no_zip_is_left_to_whoever_opens_it(tmp_path: Path, data: bytes) -> None:
    path = tmp_path / "a.zip"
    path.write_bytes(data)
    check_entries(path, 1)


def test_a_source_is_counted_too(tmp_path: Path) -> None:
    path = tmp_path / "a.zip"
    path.write_bytes(_zip_of(30))
    with pytest.raises(ArchiveError, match="lists more than 28 files"), open_source(path, SourceLimits(files=14)):
        pass


def test_folders_and_links_of_a_tar_are_counted_too(tmp_path: Path) -> None:
    path = tmp_path / "a.tar"
    with tarfile.open(path, "w") as archive:
        for n in range(30):
            info = tarfile.TarInfo(f"folder {n}")
            info.type = tarfile.DIRTYPE if n % 2 else tarfile.SYMTYPE
            archive.addfile(info)
        archive.addfile(tarfile.TarInfo("plate/1.png"))
    with open_source(path, SourceLimits(files=16)) as source:
        assert source.names() == ["plate/1.png"]
    with pytest.raises(ArchiveError, match="lists more than 30 entries"), open_source(path, SourceLimits(files=15)):
        pass


def test_a_folder_is_listed_no_further_than_it_may_hold(tmp_path: Path) -> None:
    for n in range(5):
        (tmp_path / f"{n}.png").touch()
    with open_source(tmp_path, SourceLimits(files=5)) as source:
        assert source.names() == [f"{n}.png" for n in range(5)]
    with (
        open_source(tmp_path, SourceLimits(files=4)) as source,
        pytest.raises(ArchiveError, match="holds more than 4 files"),
    ):
        source.names()
