"""Backs a data folder up into one tar, and makes a data folder of it again, on this machine or another.

    backup.json        version, when, what
    database.dump      pg_dump's custom format
    bytes/…            pictures, thumbnails, weights, packs

What can be made again or is under way stays behind: caches, logs, uploads, parcels.
"""

import datetime as dt
import hashlib
import io
import json
import os
import re
import shutil
import subprocess
import tarfile
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from urllib.parse import urlsplit

from vast_orchard import __version__
from vast_orchard.errors import ArchiveError, ConflictError, InputError, ServiceError
from vast_orchard.supervision.postgres import Cluster, open_cluster, postgres_program, running_url

__all__ = ["BackupFacts", "make_backup", "restore_backup"]

_FORMAT = "vast-orchard-backup"
_VERSION = 1
_DUMP = "database.dump"
_NAME = re.compile(r"bytes/(pictures|thumbnails|runs|exports|plans)/[A-Za-z0-9_./-]{1,200}")
_DAMAGE = (tarfile.TarError, EOFError, OSError, ValueError, KeyError, TypeError)

Hear = Callable[[int, int], None]


@dataclass(frozen=True, kw_only=True)
class BackupFacts:
    """What was copied."""

    files: int
    size_bytes: int


def _run(words: list[str], url: str) -> None:
    # The password goes by the environment: arguments can be read by everybody on the machine.
    parts = urlsplit(url)
    place = parts._replace(netloc=f"{parts.username}@{parts.hostname}:{parts.port}").geturl()
    environment = {**os.environ, "PGPASSWORD": parts.password or ""}
    done = subprocess.run([*words, "--dbname", place], capture_output=True, check=False, env=environment)
    if done.returncode:
        said = done.stderr.decode(errors="replace").strip().splitlines()[-3:]
        raise ServiceError(f"{Path(words[0]).name} failed: {' / '.join(said)}", "Look at the disk and the database.")


@contextmanager
def _database(data_dir: Path) -> Iterator[str]:
    """The address of the folder's database: the running one, or one that is started for this."""
    url = running_url(data_dir)
    if url is not None:
        yield url
        return
    cluster = open_cluster(data_dir)
    cluster.start()
    try:
        yield cluster.url
    finally:
        cluster.stop()


def make_backup(data_dir: Path, target: Path, hear: Hear) -> BackupFacts:
    """Write a backup; the application may be running.

    The database is dumped first. Bytes are named by their content and are written before the records that name them,
    so the files copied after it hold everything that the dump names. Bins are not emptied meanwhile.

    Raises
    ------
    InputError, ConflictError, ServiceError
        There is no data folder, the target is there already, or something cannot be read or written.
    """
    if not (data_dir / "postgres.json").exists():
        raise InputError(f"{data_dir} is not a data folder of Vast Orchard.", "Name it with --data.")
    if target.exists():
        raise ConflictError(f"{target} is there already.", "Choose another name, or remove it first.")
    draft = target.with_name(target.name + ".part")
    try:
        with _database(data_dir) as url, _bins_kept(url):
            dump = draft.with_name(draft.name + ".dump")
            try:
                _run([postgres_program("pg_dump"), "--format=custom", "--file", str(dump)], url)
                files = sorted(path for path in (data_dir / "bytes").rglob("*") if _wanted(data_dir, path))
                with tarfile.open(draft, "w") as archive:
                    _add_facts(archive, len(files))
                    archive.add(dump, _DUMP)
                    for number, path in enumerate(files):
                        hear(number, len(files))
                        _add(archive, path, str(path.relative_to(data_dir)))
            finally:
                dump.unlink(missing_ok=True)
        draft.replace(target)
    except OSError as error:
        raise ServiceError(f"The backup cannot be written: {error}.", "Make room, or choose another place.") from error
    finally:
        draft.unlink(missing_ok=True)
    return BackupFacts(files=len(files), size_bytes=target.stat().st_size)


@contextmanager
def _bins_kept(url: str) -> Iterator[None]:
    # Imported here, because the store takes half a second to import and refusals should not wait for it.
    from vast_orchard.store.database import Database
    from vast_orchard.store.locks import holding_bytes

    database = Database(url)
    try:
        with holding_bytes(database):
            yield
    finally:
        database.close()


def _wanted(data_dir: Path, path: Path) -> bool:
    return path.is_file() and path.suffix != ".part" and bool(_NAME.fullmatch(str(path.relative_to(data_dir))))


def _add_facts(archive: tarfile.TarFile, files: int) -> None:
    facts = {
        "format": _FORMAT,
        "version": _VERSION,
        "program": __version__,
        "made_at": dt.datetime.now(dt.UTC).isoformat(timespec="seconds"),
        "files": files,
    }
    data = json.dumps(facts, indent=1).encode()
    info = tarfile.TarInfo("backup.json")
    info.size = len(data)
    archive.addfile(info, io.BytesIO(data))


def _add(archive: tarfile.TarFile, path: Path, name: str) -> None:
    try:
        archive.add(path, name, recursive=False)
    except FileNotFoundError:
        return  # a training state that was replaced by the next one since the files were listed


def restore_backup(source: Path, data_dir: Path, hear: Hear) -> BackupFacts:
    """Make a data folder of a backup; one that cannot be read whole leaves none.

    Raises
    ------
    InputError, ConflictError, ArchiveError
        There is no such file, the folder is not empty, or the backup is damaged.
    """
    if not source.is_file():
        raise InputError(f"There is no file {source}.", "Name the file that orchard backup wrote.")
    if data_dir.exists() and any(data_dir.iterdir()):
        raise ConflictError(f"{data_dir} is not empty.", "Restore into a folder that is not there yet.")
    made = not data_dir.exists()
    data_dir.mkdir(parents=True, exist_ok=True)
    cluster: Cluster | None = None
    try:
        count = _unpack(source, data_dir, hear)
        cluster = open_cluster(data_dir)
        cluster.start()
        _run(
            [postgres_program("pg_restore"), "--no-owner", "--exit-on-error", "--single-transaction",
             str(data_dir / _DUMP)],
            cluster.url,
        )  # fmt: skip
        _bring_up_to_date(cluster.url)
    except BaseException:
        if cluster is not None:
            cluster.stop()
            shutil.rmtree(cluster.folder, ignore_errors=True)
        for path in data_dir.iterdir():
            shutil.rmtree(path) if path.is_dir() else path.unlink()
        if made:
            data_dir.rmdir()
        raise
    cluster.stop()
    (data_dir / _DUMP).unlink()
    return BackupFacts(files=count, size_bytes=source.stat().st_size)


def _bring_up_to_date(url: str) -> None:
    from vast_orchard.store.database import Database
    from vast_orchard.store.migrate import migrate

    database = Database(url)
    migrate(database)
    database.close()


def _unpack(source: Path, data_dir: Path, hear: Hear) -> int:
    """Files of known names only; pictures must be what their names say."""
    count = total = 0
    facts: dict[str, object] = {}
    try:
        with tarfile.open(source, "r:") as archive:
            for info in archive:
                file = archive.extractfile(info) if info.isfile() else None
                if file is None:
                    raise ArchiveError(f"The backup holds {info.name}, which is no file.", "Make the backup again.")
                if info.name == "backup.json":
                    facts = json.loads(file.read(1 << 20))
                    total = int(str(facts["files"]))
                    continue
                if info.name != _DUMP and (not _NAME.fullmatch(info.name) or ".." in info.name.split("/")):
                    raise ArchiveError(f"The backup holds {info.name!r}, which is not its own.", "Make it again.")
                target = data_dir / info.name
                target.parent.mkdir(parents=True, exist_ok=True)
                digest = hashlib.sha256()
                with target.open("wb") as out:
                    while chunk := file.read(1 << 20):
                        digest.update(chunk)
                        out.write(chunk)
                if info.name.startswith("bytes/pictures/") and digest.hexdigest() != target.name:
                    raise ArchiveError(f"The picture {target.name[:12]}… in the backup was changed.", "Use another.")
                count += info.name != _DUMP
                hear(count, total)
            # One that was cut between two files reads as if it ended there; a whole one ends with two empty blocks.
            if source.stat().st_size < archive.offset + 2 * tarfile.BLOCKSIZE:
                raise ArchiveError(
                    f"{source.name} is not a whole backup: it ends after {count} of {total} files.",
                    "Copy it again, or use another.",
                )
    except _DAMAGE as error:
        why = f"{source.name} is not a whole backup ({error})."
        raise ArchiveError(why, "Copy it again, or use another.") from error
    if facts.get("format") != _FORMAT or not (data_dir / _DUMP).exists():
        raise ArchiveError(f"{source.name} is not a backup of Vast Orchard.", "Name a file that orchard backup wrote.")
    if int(str(facts["version"])) > _VERSION:
        raise ArchiveError(f"{source.name} was made by a newer version.", "Bring the program up to date.")
    return count
