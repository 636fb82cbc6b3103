"""Where pictures come from: a zip, a tar or a folder."""

import zipfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from vast_orchard.errors import ArchiveError
from vast_orchard.formats.folder_source import FolderSource
from vast_orchard.formats.members import Source, SourceLimits
from vast_orchard.formats.tar_source import open_tar
from vast_orchard.formats.zip_count import check_entries
from vast_orchard.formats.zip_source import ZipSource

__all__ = ["ARCHIVE_ENDINGS", "open_source"]

ARCHIVE_ENDINGS = (".zip", ".tar", ".tar.gz", ".tgz", ".tar.bz2", ".tbz2", ".tar.xz", ".txz")

# Folders are entries too, and do not count as files.
_FOLDERS_PER_FILE = 2


@contextmanager
def open_source(path: Path, limits: SourceLimits | None = None) -> Iterator[Source]:
    """A folder, or a zip or tar file.

    Raises
    ------
    ArchiveError
        It is none of them, or an archive that may not be read.
    """
    if path.is_dir():
        yield FolderSource(path, limits)
        return
    if not path.is_file():
        raise ArchiveError(f"There is nothing at {path}.", "Name a folder, or a zip or tar file.")
    if not path.stat().st_size:
        raise ArchiveError(f"{path.name} is empty (0 bytes).", "Copy or pack it again.")
    if path.name.lower().endswith(ARCHIVE_ENDINGS[1:]):
        with open_tar(path, limits) as source:
            yield source
        return
    check_entries(path, (limits or SourceLimits()).files * _FOLDERS_PER_FILE)
    try:
        archive = zipfile.ZipFile(path)
    except (zipfile.BadZipFile, OSError, ValueError) as error:
        raise ArchiveError(
            f"{path.name} is not a zip archive, or it is cut short ({error}).",
            "Pack or copy it again as a zip.",
        ) from error
    with archive:
        yield ZipSource(archive, limits)
