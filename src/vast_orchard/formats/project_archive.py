"""A whole project as one zip: records as lines of JSON, pictures, thumbnails, weights and packs.

project.json                what it is: format, program, name, counts
records/<table>.jsonl       one line a row
pictures/<sha256>           bytes of pictures, those of runs included
thumbnails/<sha256>
files/<path>                weights, training states, export packs, by their path in the store
"""

import hashlib
import io
import json
import re
import zipfile
from collections.abc import Callable, Generator, Iterable, Iterator, Mapping
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import Any, cast

from vast_orchard.errors import ArchiveError
from vast_orchard.formats.zip_count import check_entries

__all__ = ["ArchiveLimits", "ArchiveReader", "ArchiveWriter", "open_project_archive", "write_project_archive"]

_FORMAT = "vast-orchard-project"
_VERSION = 2  # 1: up to 0.7, whose runs held what models and snapshots hold now
_NAME = re.compile(
    r"project\.json|records/[a-z_]{1,40}\.jsonl|(pictures|thumbnails)/[0-9a-f]{64}"
    r"|files/(runs/\d{1,18}/((last|kept)-\d{1,9}|start)\.safetensors|exports/\d{1,18}\.(zip|onnx|html)"
    r"|plans/\d{1,18}/start-[0-9a-f]{64}\.safetensors)"
)
_FACTS_MB = 1
# Rows that are handed over at once, by number and by what they take as text.
_ROWS_AT_ONCE, _ROW_BYTES_AT_ONCE = 2000, 1 << 23
_CHUNK = 1 << 20
_DATE = (1980, 1, 1, 0, 0, 0)
_DAMAGE = (zipfile.BadZipFile, EOFError, OSError, RuntimeError, NotImplementedError, ValueError, RecursionError)


class ArchiveWriter:
    """Writes an archive; `project.json` comes last, so that one that was cut short is not taken for whole."""

    def __init__(self, archive: zipfile.ZipFile) -> None:
        self._archive = archive

    def records(self, table: str, rows: Iterable[Mapping[str, Any]]) -> int:
        """Write a table; returns how many rows it has."""
        count = 0
        info = zipfile.ZipInfo(f"records/{table}.jsonl", _DATE)
        info.compress_type = zipfile.ZIP_DEFLATED
        with self._archive.open(info, "w", force_zip64=True) as raw, io.TextIOWrapper(raw, "utf-8") as out:
            for row in rows:
                out.write(json.dumps(row, ensure_ascii=False) + "\n")
                count += 1
        return count

    def file(self, name: str, data: bytes) -> None:
        """Write bytes under a name; they are packed already."""
        self._archive.writestr(zipfile.ZipInfo(name, _DATE), data)

    def finish(self, name: str, description: str, program: str, counts: Mapping[str, int]) -> None:
        """Say what it is."""
        facts = {
            "format": _FORMAT,
            "version": _VERSION,
            "program": program,
            "name": name,
            "description": description,
            "counts": dict(counts),
        }
        self.file("project.json", json.dumps(facts, indent=1, ensure_ascii=False).encode())


@dataclass(frozen=True, kw_only=True)
class ArchiveLimits:
    """What a project's archive may cost on its way in."""

    total_mb: int = 32_768  # of everything in it, unpacked
    files: int = 500_000
    file_mb: int = 1024  # of one file of weights, or one export pack
    picture_mb: int = 64
    row_mb: int = 4  # of one record, as text
    ratio: int = 200  # unpacked size over packed size of one member, once that matters


class ArchiveReader:
    """Reads an archive that may come from anywhere: every name is known, every picture is what its name says.

    Nothing is unpacked beyond the limits, whatever the archive says of itself, and nothing but a picture, some records
    or a piece of a file is held in memory.
    """

    def __init__(self, archive: zipfile.ZipFile, limits: ArchiveLimits | None = None) -> None:
        self._archive = archive
        self._limits = limits or ArchiveLimits()
        self._left = self._limits.total_mb * 2**20
        self._members = {info.filename: info for info in archive.infolist()}
        odd = next((name for name in self._members if not _NAME.fullmatch(name)), None)
        if odd is not None or "project.json" not in self._members:
            raise ArchiveError(
                "This is not a project's archive" + (f": it holds {odd!r}." if odd else ", or it is cut short."),
                "Take a whole project out and bring that file back; pictures are brought in within a project.",
            )
        try:
            self.facts: dict[str, Any] = json.loads(b"".join(self._pieces("project.json", _FACTS_MB)))
            self.version = int(self.facts["version"])
            known = self.facts["format"] == _FORMAT and self.version
            self.name = str(self.facts["name"])
            self.description = str(self.facts.get("description", ""))[:5000]
        except (ValueError, KeyError, TypeError) as error:
            raise ArchiveError(f"The archive's project.json is damaged ({error}).", "Copy or make it again.") from error
        if not known or known > _VERSION:
            raise ArchiveError(
                f"The archive has version {self.facts['version']}; this program reads up to {_VERSION}.",
                "Bring the program up to date.",
            )

    def names(self, folder: str) -> list[str]:
        """Names below a folder, without it."""
        return [name.removeprefix(folder + "/") for name in self._members if name.startswith(folder + "/")]

    def picture(self, sha256: str) -> bytes:
        """The bytes of one picture.

        Raises
        ------
        ArchiveError
            It is not there, too large, damaged, or no picture of that content.
        """
        data = b"".join(self._pieces(f"pictures/{sha256}", self._limits.picture_mb))
        if hashlib.sha256(data).hexdigest() != sha256:
            raise ArchiveError(f"The picture {sha256[:12]}… in the archive was changed.", "Copy or make it again.")
        return data

    def file(self, path: str) -> Iterator[bytes]:
        """The pieces of a file of weights or an export pack.

        Raises
        ------
        ArchiveError
            It is not there, too large or damaged.
        """
        return self._pieces(f"files/{path}", self._limits.file_mb)

    def _pieces(self, name: str, most_mb: int) -> Iterator[bytes]:
        info = self._members.get(name)
        if info is None:
            raise ArchiveError(f"The archive does not hold {name}.", "Make the archive again.")
        size = 0
        with self._in_words(name), self._archive.open(info) as member:
            while piece := member.read(_CHUNK):
                size += len(piece)
                self._count(info, size, len(piece), most_mb)
                yield piece

    def _count(self, info: zipfile.ZipInfo, size: int, more: int, most_mb: int) -> None:
        """Refuse a member that unpacks to too much, by what came of it and not by what it says."""
        self._left -= more
        if size > most_mb * 2**20 or self._left < 0:
            limit = f"{most_mb} MB of one" if self._left >= 0 else f"{self._limits.total_mb} MB in all"
            raise ArchiveError(f"{info.filename} in the archive unpacks to too much.", f"The limit is {limit}.")
        if size > 2**20 and size > self._limits.ratio * max(1, info.compress_size):
            raise ArchiveError(
                f"{info.filename} in the archive unpacks to more than {self._limits.ratio} times its packed size.",
                "No project packs that well; make the archive again.",
            )

    @contextmanager
    def _in_words(self, name: str) -> Iterator[None]:
        try:
            yield
        except ArchiveError:
            raise
        except _DAMAGE as error:
            raise ArchiveError(f"{name} in the archive is damaged ({error}).", "Copy or make it again.") from error
        # The packers raise errors of their own modules, which share no base with those above.
        except Exception as error:
            if type(error).__module__ not in ("zlib", "_lzma", "_bz2"):
                raise
            raise ArchiveError(f"{name} in the archive is damaged ({error}).", "Copy or make it again.") from error

    def batches(self, table: str) -> Generator[list[dict[str, Any]]]:
        """The rows of a table, some at a time: not many, and not much; none if the archive has no such table.

        Closed before it ends, it lets go of the archive's file.
        """
        name = f"records/{table}.jsonl"
        info = self._members.get(name)
        if info is None:
            return
        longest, size, taken = self._limits.row_mb * 2**20, 0, 0
        batch: list[dict[str, Any]] = []
        with self._in_words(name), self._archive.open(info) as member:
            lines = io.BufferedReader(cast("io.RawIOBase", member), _CHUNK)
            while line := lines.readline(longest + 1):
                size += len(line)
                self._count(info, size, len(line), self._limits.total_mb)
                if len(line) > longest:
                    raise ArchiveError(
                        f"A row of {table} in the archive has more than {self._limits.row_mb} MB.",
                        "No record is that large; make the archive again.",
                    )
                row = json.loads(line)
                if not isinstance(row, dict):
                    raise ArchiveError(f"A row of {table} in the archive is none.", "Copy or make it again.")
                batch.append(row)
                taken += len(line)
                if len(batch) >= _ROWS_AT_ONCE or taken >= _ROW_BYTES_AT_ONCE:
                    yield batch
                    batch, taken = [], 0
            if batch:
                yield batch


def open_project_archive(path: Path, limits: ArchiveLimits) -> tuple[zipfile.ZipFile, ArchiveReader]:
    """Open a file as a project's archive.

    Raises
    ------
    ArchiveError
        It is none.
    """
    try:
        check_entries(path, limits.files)
        archive = zipfile.ZipFile(path)
    except _DAMAGE as error:
        raise ArchiveError(
            f"{path.name} is not a project's archive, or it is cut short ({error}).", "Copy it again."
        ) from error
    try:
        return archive, ArchiveReader(archive, limits)
    except ArchiveError:
        archive.close()
        raise


def write_project_archive(target: Path, write: Callable[[ArchiveWriter], None]) -> None:
    """Write an archive whole, or leave nothing."""
    draft = target.with_suffix(".part")
    try:
        with zipfile.ZipFile(draft, "w", zipfile.ZIP_STORED) as archive:
            write(ArchiveWriter(archive))
        draft.replace(target)
    finally:
        draft.unlink(missing_ok=True)
