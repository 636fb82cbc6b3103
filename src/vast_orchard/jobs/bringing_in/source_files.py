"""Where an import's files lie, and how they get there: uploaded, on the server, fetched, or packed from a project."""

from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path

from vast_orchard.at_once.server_folders import checked_server_path
from vast_orchard.errors import InputError
from vast_orchard.formats.members import Source
from vast_orchard.formats.source import ARCHIVE_ENDINGS, open_source
from vast_orchard.formats.tar_source import unpack_tar
from vast_orchard.jobs.bringing_in.opened_files import SettledFiles
from vast_orchard.jobs.context import Progress, WorkContext
from vast_orchard.jobs.handing_over.taking_out import pack_collection
from vast_orchard.store.locks import holding_bytes
from vast_orchard.store.values import ImportValue

__all__ = ["SettledSource", "open_settled", "settle_source", "settled_files", "settled_path", "source_place"]

_BUCKET_FILE = "bucket.zip"
_PROJECT_FILE = "project.zip"


@dataclass(frozen=True, kw_only=True)
class SettledSource:
    """A source that lies on this machine and can be read in any order."""

    kind: str  # upload, folder
    location: str
    left_out: list[tuple[str, str]]  # what could not even be fetched, and why


def source_place(context: WorkContext, entry: ImportValue) -> Path:
    """The file or folder of an import.

    Raises
    ------
    InputError
        A path on the server that the settings do not allow (any more).
    """
    if entry.source_kind == "folder":
        return checked_server_path(context.settings, entry.location)
    return context.folder.upload(entry.location)


def _only_archive(place: Path) -> Path:
    """The archive that lies alone in an upload; an archive among dropped files is one of them."""
    inside = list(place.iterdir()) if place.is_dir() else []
    alone = len(inside) == 1 and inside[0].is_file() and inside[0].name.lower().endswith(ARCHIVE_ENDINGS)
    return inside[0] if alone else place


def settle_source(context: WorkContext, entry: ImportValue, progress: Progress) -> SettledSource:
    """Fetch a bucket, pack another project, unpack a packed tar; everything else lies well already.

    Doing it twice does no harm.
    """
    if entry.source_kind == "bucket":
        return _fetch(context, entry, progress)
    if entry.source_kind == "project":
        return _pack(context, entry, progress)
    place = source_place(context, entry)
    archive = place if entry.source_kind == "folder" else _only_archive(place)
    if archive.is_file() and archive.name.lower().endswith(ARCHIVE_ENDINGS[1:]):
        upload = entry.location if entry.source_kind == "upload" else context.folder.new_upload()
        target = context.folder.upload(upload) / "unpacked.tar"
        draft = target.parent.with_suffix(".part")
        progress.stage("Unpacking", 0)
        try:
            if unpack_tar(archive, draft, context.source_limits, lambda _: progress.advance(0)):
                if entry.source_kind == "upload":
                    archive.unlink()
                draft.replace(target)
                return SettledSource(kind="upload", location=upload, left_out=[])
        finally:
            draft.unlink(missing_ok=True)
        if entry.source_kind == "folder":
            target.parent.rmdir()
    return SettledSource(kind=entry.source_kind, location=entry.location, left_out=[])


def _fetch(context: WorkContext, entry: ImportValue, progress: Progress) -> SettledSource:
    # Imported here: signing and listing take twenty megabytes that no other import needs.
    from vast_orchard.formats.bucket import BucketAccess, fetch_bucket

    settings = context.settings
    access = BucketAccess(
        url=settings.bucket_url,
        key=settings.bucket_key,
        secret=settings.bucket_secret,
        region=settings.bucket_region,
        limit_s=settings.bucket_limit_s,
    )
    upload = context.folder.new_upload()
    target = context.folder.upload(upload) / _BUCKET_FILE
    known = 0.0

    def hear(done: int, total: int) -> None:
        nonlocal known
        if total != known:
            progress.stage("Fetching from the bucket", total)
            known = total
        elif done:
            progress.advance()

    try:
        progress.stage("Asking the bucket what it holds", 0)
        left_out = fetch_bucket(access, entry.location, target, context.source_limits, hear)
    except BaseException:
        target.parent.rmdir()
        raise
    return SettledSource(kind="upload", location=upload, left_out=left_out)


def _pack(context: WorkContext, entry: ImportValue, progress: Progress) -> SettledSource:
    """Another project's pictures as an upload: names, labels, groups and notes come by its table."""
    upload = context.folder.new_upload()
    target = context.folder.upload(upload) / _PROJECT_FILE
    try:
        with holding_bytes(context.database):
            pack_collection(context, int(entry.location), target, progress, {})
    except BaseException:
        target.parent.rmdir()
        raise
    return SettledSource(kind="upload", location=upload, left_out=[])


def settled_path(context: WorkContext, entry: ImportValue) -> Path:
    """The folder or archive of a settled source.

    Raises
    ------
    InputError
        It is gone, or may not be read.
    """
    place = source_place(context, entry)
    if not entry.location or not place.exists():
        raise InputError(f"The files of {entry.source_name} are no longer here.", "Bring them in again.")
    return _only_archive(place) if entry.source_kind == "upload" else place


def settled_files(context: WorkContext, entry: ImportValue) -> SettledFiles:
    """A settled source for processes that open its files.

    Raises
    ------
    InputError
        It is gone, or may not be read.
    """
    return SettledFiles(
        settings=context.settings,
        place=settled_path(context, entry),
        source_limits=context.source_limits,
        limits=context.picture_limits,
        ours=entry.source_kind == "upload",
    )


@contextmanager
def open_settled(context: WorkContext, entry: ImportValue) -> Iterator[Source]:
    """A settled source, to read from.

    Raises
    ------
    ArchiveError, InputError
        It is gone, damaged, or may not be read.
    """
    with open_source(settled_path(context, entry), context.source_limits) as source:
        yield source
