"""Fetches what an S3-compatible bucket holds below a prefix into one zip, from which it is read like any other."""

import zipfile
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import boto3
from botocore.config import Config
from botocore.exceptions import BotoCoreError, ClientError, HTTPClientError

from vast_orchard.errors import ArchiveError, ServiceError
from vast_orchard.formats.members import SourceLimits, readable_name

__all__ = ["BucketAccess", "bucket_name", "fetch_bucket"]

_TRIES = 3
_KNOWN_REFUSALS = {
    "NoSuchBucket": "There is no such bucket; look at its name.",
    "AccessDenied": "The key may not read it; ask for the right, or use another key.",
    "InvalidAccessKeyId": "The service does not know the key; look at bucket_key.",
    "SignatureDoesNotMatch": "The secret does not fit the key; look at bucket_secret.",
}


@dataclass(frozen=True, kw_only=True)
class BucketAccess:
    """Where the service is, and as whom it is asked."""

    url: str
    key: str
    secret: str
    region: str
    limit_s: int


def bucket_name(location: str) -> tuple[str, str]:
    """Bucket and prefix of `bucket/prefix`, with or without `s3://` before it."""
    bucket, _, prefix = location.strip().removeprefix("s3://").partition("/")
    return bucket, prefix


def _client(access: BucketAccess) -> Any:
    if not access.url:
        raise ServiceError(
            "No bucket service is set.",
            "Set VAST_ORCHARD_BUCKET_URL, _KEY and _SECRET, then start again.",
        )
    config = Config(
        connect_timeout=access.limit_s,
        read_timeout=access.limit_s,
        retries={"total_max_attempts": _TRIES, "mode": "standard"},
        s3={"addressing_style": "path"},  # works without a name of its own for each bucket
    )
    try:
        return boto3.session.Session().client(
            "s3",
            endpoint_url=access.url,
            aws_access_key_id=access.key,
            aws_secret_access_key=access.secret,
            region_name=access.region,
            config=config,
        )
    except ValueError as error:
        raise ServiceError(f"{access.url} is not an address.", "Mend VAST_ORCHARD_BUCKET_URL.") from error


def _in_words(error: Exception, what: str) -> Exception:
    if isinstance(error, ClientError):
        code = str(error.response.get("Error", {}).get("Code", "?"))
        return ServiceError(
            f"The bucket service refused {what} ({code}).",
            _KNOWN_REFUSALS.get(code, "Ask who runs it; nothing was stored."),
        )
    return ServiceError(
        f"The bucket service did not answer for {what} ({str(error)[:200]}).",
        "Look at bucket_url and the network, then try again; nothing was stored.",
    )


def _objects(client: Any, bucket: str, prefix: str) -> Iterator[tuple[str, int]]:
    pages = client.get_paginator("list_objects_v2").paginate(Bucket=bucket, Prefix=prefix)
    for page in pages:
        for entry in page.get("Contents", []):
            if not entry["Key"].endswith("/"):
                yield entry["Key"], int(entry["Size"])


def fetch_bucket(
    access: BucketAccess,
    location: str,
    target: Path,
    limits: SourceLimits,
    progress: Callable[[int, int], None],
) -> list[tuple[str, str]]:
    """Copy every object below a prefix into a zip, unpacked, under its name without the prefix.

    Parameters
    ----------
    location : str
        `bucket/prefix`.
    target : Path
        The zip; it is there only when everything was fetched.
    progress : callable
        Hears how many objects are there, and of how many.

    Returns
    -------
    list of (str, str)
        Objects that were left out, and why.

    Raises
    ------
    ServiceError
        The service does not answer, answers wrongly, or refuses.
    ArchiveError
        The bucket holds nothing there, or more than the limits.
    """
    bucket, prefix = bucket_name(location)
    client = _client(access)
    draft = target.with_suffix(".part")
    left_out: list[tuple[str, str]] = []
    try:
        objects = _listed(client, bucket, prefix, limits)
        inner = prefix if prefix.endswith("/") else prefix.rpartition("/")[0] + "/" if "/" in prefix else ""
        with zipfile.ZipFile(draft, "w", zipfile.ZIP_STORED) as archive:
            for number, (key, size) in enumerate(objects):
                progress(number, len(objects))
                name = readable_name(key.removeprefix(inner)).lstrip("/")
                if ".." in name.split("/") or size > limits.member_mb * 2**20:
                    reason = f"larger than {limits.member_mb} MB" if ".." not in name.split("/") else "a name with .."
                    left_out.append((key, reason))
                    continue
                data = client.get_object(Bucket=bucket, Key=key)["Body"].read()
                if len(data) != size:
                    raise ServiceError(
                        f"The bucket service sent {len(data)} of {size} bytes of {key}.",
                        "Try again; if it stays so, ask who runs it. Nothing was stored.",
                    )
                archive.writestr(name, data)
        draft.replace(target)
    except (BotoCoreError, ClientError, HTTPClientError) as error:
        raise _in_words(error, f"s3://{bucket}/{prefix}") from error
    finally:
        draft.unlink(missing_ok=True)
        client.close()
    return left_out


def _listed(client: Any, bucket: str, prefix: str, limits: SourceLimits) -> list[tuple[str, int]]:
    objects, total = [], 0
    for key, size in _objects(client, bucket, prefix):
        objects.append((key, size))
        total += size
        if len(objects) > limits.files or total > limits.total_mb * 2**20:
            raise ArchiveError(
                f"The bucket holds more than {limits.files} objects or {limits.total_mb} MB there.",
                "Name a longer prefix, or raise import_limit_files or import_limit_mb.",
            )
    if not objects:
        raise ArchiveError(
            f"Nothing lies at s3://{bucket}/{prefix}; the bucket answers and is empty there.",
            "Look at the prefix: it is the beginning of the objects' names, without a slash before it.",
        )
    return objects
