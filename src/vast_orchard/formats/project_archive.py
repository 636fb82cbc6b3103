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
from collections.abc import Callable, Iterable, Iterator, Mapping
from pathlib import Path
from typing import Any

from vast_orchard.errors import ArchiveError

__all__ = ["ArchiveReader", "ArchiveWriter", "open_project_archive", "write_project_archive"]

_FORMAT = "vast-orchard-project"
_VERSION = 1
_NAME = re.compile(
    r"project\.json|records/[a-z_]{1,40}\.jsonl|(pictures|thumbnails)/[0-9a-f]{64}"
    r"|files/(runs/\d{1,18}/(last|kept)-\d{1,9}\.safetensors|exports/\d{1,18}\.zip)"
)
_MOST_ENTRIES = 2_000_000
_LARGEST_MB = 4096  # of one member: the records of a hundred thousand pictures have a tenth of that
_DATE = (1980, 1, 1, 0, 0, 0)
_DAMAGE = (zipfile.BadZipFile, EOFError, OSError, RuntimeError, NotImplementedError, ValueError)


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

    def finish(self, name: str, program: str, counts: Mapping[str, int]) -> None:
        """Say what it is."""
        facts = {"format": _FORMAT, "version": _VERSION, "program": program, "name": name, "counts": dict(counts)}
        self.file("project.json", json.dumps(facts, indent=1, ensure_ascii=False).encode())


class ArchiveReader:
    """Reads an archive that may come from anywhere: every name is known, every picture is what its name says."""

    def __init__(self, archive: zipfile.ZipFile) -> None:
        self._archive = archive
        self._members = {info.filename: info for info in archive.infolist()}
        if len(self._members) > _MOST_ENTRIES:
            raise ArchiveError(f"The archive holds {len(self._members)} files.", f"The limit is {_MOST_ENTRIES}.")
        odd = next((name for name in self._members if not _NAME.fullmatch(name)), None)
        if odd is not None or "project.json" not in self._members:
            raise ArchiveError(
                "This is not a project's archive" + (f": it holds {odd!r}." if odd else ", or it is cut short."),
                "Take a whole project out and bring that file back; pictures are brought in within a project.",
            )
        try:
            self.facts: dict[str, Any] = json.loads(self.read("project.json"))
            known = self.facts["format"] == _FORMAT and int(self.facts["version"])
            self.name = str(self.facts["name"])
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

    def read(self, name: str) -> bytes:
        """The bytes of one member.

        Raises
        ------
        ArchiveError
            It is not there, is damaged, or is no picture of that content.
        """
        info = self._members.get(name)
        if info is None or info.file_size > _LARGEST_MB * 2**20:
            raise ArchiveError(f"The archive does not hold {name}, or too much of it.", "Make the archive again.")
        try:
            data = self._archive.read(info)
        except _DAMAGE as error:
            raise ArchiveError(f"{name} in the archive is damaged ({error}).", "Copy or make it again.") from error
        folder, _, rest = name.partition("/")
        if folder == "pictures" and hashlib.sha256(data).hexdigest() != rest:
            raise ArchiveError(f"The picture {rest[:12]}… in the archive was changed.", "Copy or make it again.")
        return data

    def records(self, table: str) -> Iterator[dict[str, Any]]:
        """The rows of a table, one at a time; none if the archive has no such table."""
        info = self._members.get(f"records/{table}.jsonl")
        if info is None:
            return
        try:
            with self._archive.open(info) as raw, io.TextIOWrapper(raw, "utf-8") as lines:
                for line in lines:
                    row = json.loads(line)
                    if not isinstance(row, dict):
                        raise ArchiveError(f"A row of {table} in the archive is none.", "Copy or make it again.")
                    yield row
        except _DAMAGE as error:
            raise ArchiveError(f"{table} in the archive is damaged ({error}).", "Copy or make it again.") from error


def open_project_archive(path: Path) -> tuple[zipfile.ZipFile, ArchiveReader]:
    """Open a file as a project's archive.

    Raises
    ------
    ArchiveError
        It is none.
    """
    try:
        archive = zipfile.ZipFile(path)
    except _DAMAGE as error:
        raise ArchiveError(
            f"{path.name} is not a project's archive, or it is cut short ({error}).", "Copy it again."
        ) from error
    try:
        return archive, ArchiveReader(archive)
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
