"""What is tried and comes from elsewhere than a person's files: a bucket's pictures, true classes from a table."""

import tempfile
from collections.abc import Sequence
from pathlib import Path, PurePosixPath
from typing import Any

from vast_orchard.errors import InputError
from vast_orchard.formats.label_table import TableReading, guess_columns, open_table
from vast_orchard.formats.members import SourceLimits
from vast_orchard.settings import Settings

__all__ = ["bucket_to_try", "classes_from_table"]

_MOST_OBJECTS = 5000


def bucket_to_try(settings: Settings, *, location: str, key: str, secret: str) -> bytes:
    """What a bucket holds below a prefix, as a zip that is not kept.

    Parameters
    ----------
    location : str
        `bucket/prefix`.
    key, secret : str
        Empty: those of the settings.

    Raises
    ------
    ServiceError, ArchiveError
        The service refuses or does not answer, or there is too much.
    """
    # Imported here: signing and listing take twenty megabytes that nothing else here needs.
    from vast_orchard.formats.bucket import BucketAccess, fetch_bucket

    access = BucketAccess(
        url=settings.bucket_url,
        key=key or settings.bucket_key,
        secret=secret or settings.bucket_secret,
        region=settings.bucket_region,
        limit_s=min(settings.bucket_limit_s, settings.quick_limit_s),
    )
    limits = SourceLimits(total_mb=settings.try_limit_mb, files=_MOST_OBJECTS, member_mb=settings.picture_limit_mb)
    with tempfile.TemporaryDirectory() as place:
        target = Path(place) / "bucket.zip"
        fetch_bucket(access, location, target, limits, lambda _done, _total: None)
        return target.read_bytes()


def classes_from_table(*, name: str, data: bytes, paths: Sequence[str]) -> dict[str, Any]:
    """The class that a table says of each file, by its path, and what is odd about the table.

    Raises
    ------
    InputError
        It is no table, or names none of the files.
    """
    table = open_table(data, name)
    names = {part for path in paths for part in (PurePosixPath(path).name, PurePosixPath(path).stem)}
    columns = guess_columns(table, names)
    if "label" not in columns:
        raise InputError(
            f"{name} names {'no class for the files' if columns else 'none of these files'}.",
            "Give it a column of file names and one of classes.",
        )
    reading = TableReading(table, columns, names)
    told = ((path, reading.tell(path).class_name) for path in paths)
    return {"classes": {path: label for path, label in told if label}, "notes": list(reading.notes)}
