"""What a project takes of the disk: records where they know it, files of its own where they lie."""

from collections.abc import Iterable
from dataclasses import replace
from pathlib import Path

from sqlalchemy.orm import Session

from vast_orchard.settings import Settings
from vast_orchard.store.bin import disk_use, project_files
from vast_orchard.store.bytes import ByteStore
from vast_orchard.store.data_folder import DataFolder
from vast_orchard.store.values import DiskUse

__all__ = ["measured_disk_use"]


def _size(paths: Iterable[Path]) -> int:
    """Bytes of files and of what lies in folders; what has gone meanwhile counts nothing."""
    total = 0
    for path in paths:
        for entry in (path, *path.rglob("*")) if path.is_dir() else (path,):
            try:
                total += entry.stat().st_size if entry.is_file() else 0
            except FileNotFoundError:
                continue
    return total


def measured_disk_use(session: Session, project_id: int, settings: Settings, store: ByteStore) -> DiskUse:
    """Bytes by what they are for."""
    files = project_files(session, project_id)
    folder = DataFolder(settings.data_dir)
    waiting = [folder.upload(name) for name in files.uploads]
    notes = [folder.reading(entry) for entry in files.imports]
    return replace(
        disk_use(session, project_id),
        runs=sum(store.size(path) for path in files.weights),
        sources=_size([*waiting, *notes]),
    )
