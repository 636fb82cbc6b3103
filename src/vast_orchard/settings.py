"""The one table of settings: name with its unit, default, help; read once and passed in."""

import os
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, fields
from pathlib import Path
from typing import TypeVar

from vast_orchard.errors import SettingError

__all__ = ["PREFIX", "Settings", "read_settings", "training_threads", "trainings_at_once"]

T = TypeVar("T")

PREFIX = "VAST_ORCHARD_"
_MOST_AT_ONCE = 8


def _setting(default: T, help_text: str, *, secret: bool = False) -> T:
    return field(default=default, metadata={"help": help_text, "secret": secret})


@dataclass(frozen=True, kw_only=True)
class Settings:
    """Everything that can be set from outside, by an environment variable `VAST_ORCHARD_<NAME>`."""

    data_dir: Path = field(
        default=Path("data"),
        metadata={"help": "Folder that holds the database, pictures, runs and exports.", "secret": False},
    )
    database_url: str = _setting(
        "", "Address of the PostgreSQL database; made by ./start for its own cluster.", secret=True
    )
    bytes_url: str = _setting("", "fsspec address for picture and model bytes; empty means the data folder.")
    host: str = _setting("127.0.0.1", "Address the server listens on; only loopback addresses are allowed.")
    port: int = _setting(8420, "Port the server listens on.")
    import_limit_mb: int = _setting(4096, "Most megabytes that one import may unpack to.")
    import_limit_files: int = _setting(200_000, "Most files that one import may hold.")
    import_ratio_limit: int = _setting(
        200, "Most times by which one file of an archive may be larger than its packed form."
    )
    upload_limit_mb: int = _setting(16_384, "Most megabytes that all files on their way in may take together.")
    upload_file_limit_mb: int = _setting(4096, "Most megabytes that one file on its way in may have.")
    upload_keep_h: int = _setting(24, "Hours after which files that were sent and not brought in are removed.")
    body_limit_mb: int = _setting(16, "Most megabytes that a request other than a file on its way in may have.")
    try_limit_mb: int = _setting(192, "Most megabytes that pictures to try may have together.")
    archive_limit_mb: int = _setting(32_768, "Most megabytes that an archive of a project may unpack to.")
    import_roots: str = _setting(
        "", "Folders of this machine that pictures may be brought in from, joined by colons; empty means none."
    )
    bucket_url: str = _setting("", "Address of the S3-compatible service that pictures may be brought in from.")
    bucket_key: str = _setting("", "Name of the key for that service.")
    bucket_secret: str = _setting("", "Secret of the key for that service.", secret=True)
    bucket_region: str = _setting("us-east-1", "Region to sign requests to that service for.")
    bucket_limit_s: int = _setting(20, "Seconds after which an answer of that service is given up; it is asked thrice.")
    hook_url: str = _setting(
        "", "Address that is told, as signed JSON, of runs that ended and of lookouts that send word; empty: none."
    )
    hook_secret: str = _setting("", "Secret that what is told is signed with (HMAC-SHA-256).", secret=True)
    outgoing_allowed: str = _setting(
        "", "Hosts that requests may go to though they are not public, as host or host:port, joined by commas."
    )
    picture_limit_megapixels: int = _setting(
        50, "Most megapixels that one picture may have; opening one takes up to 17 bytes of memory a pixel."
    )
    picture_limit_mb: int = _setting(64, "Most megabytes that one picture file may have.")
    quick_limit_s: int = _setting(20, "Seconds after which a preview or a try-out is given up.")
    stalled_after_s: int = _setting(6, "Seconds without a sign of life after which a job is handed out again.")
    stop_limit_s: int = _setting(20, "Seconds after which a job that was asked to stop, and has not, is ended.")
    threads: int = _setting(
        0, "Threads that train and judge; 0 means one for each processor, shared out among trainings at once."
    )
    trainings_at_once: int = _setting(1, "Trainings that go on side by side, each in a process of its own; 1 to 8.")
    pixel_cache_mb: int = _setting(
        8192, "Most megabytes of pictures as networks see them; each is decoded once for all runs of this machine."
    )
    serving_host: str = _setting(
        "127.0.0.1", "Address that models in use are served at; one that others reach lets them in by their tokens."
    )
    serving_port: int = _setting(8430, "Port that models in use are served at; 0 serves none.")
    serving_processes: int = _setting(1, "Processes that serve models, 1 to 16; each holds every model that is served.")
    serving_body_limit_mb: int = _setting(64, "Most megabytes that a request to a served model may have.")
    serving_room: int = _setting(256, "Most pictures that may wait for a served model; others come again in a second.")
    serving_batch: int = _setting(64, "Most pictures that a served model answers together; 1: each by itself.")
    serving_wait_ms: int = _setting(3, "Most milliseconds that a picture waits for others to be answered with.")
    serving_certificate: str = _setting("", "PEM file of the certificate that models are served with; empty: no TLS.")
    serving_certificate_key: str = _setting("", "PEM file of the key of that certificate.")
    serving_proxies: str = _setting(
        "", "Addresses of proxies before the serving process, whose word on the client counts, joined by commas."
    )
    kernel_cache_dir: str = _setting(
        "", "Folder for compiled kernels, which can be thrown away; empty means the user's cache."
    )
    proof_pictures: int = _setting(48, "Picture files on which every export is checked; at least 32.")


def read_settings(environment: Mapping[str, str] | None = None, **overrides: object) -> Settings:
    """Read settings from the environment; keyword arguments win.

    Raises
    ------
    SettingError
        A value cannot be read as its type.
    """
    environment = os.environ if environment is None else environment
    values: dict[str, object] = {}
    for entry in fields(Settings):
        text = environment.get(PREFIX + entry.name.upper())
        if text is None:
            continue
        kind: Callable[[str], object] = type(entry.default)
        try:
            values[entry.name] = Path(text) if isinstance(entry.default, Path) else kind(text)
        except ValueError as error:
            raise SettingError(
                f"{PREFIX}{entry.name.upper()} is {text!r}, which is not a {type(entry.default).__name__}.",
                f"Set it to something like {entry.default!r}.",
            ) from error
    values.update({name: value for name, value in overrides.items() if value is not None})
    return Settings(**values)  # type: ignore[arg-type]


def trainings_at_once(settings: Settings) -> int:
    """How many trainings go on side by side.

    Raises
    ------
    SettingError
        The setting is out of its range.
    """
    if not 1 <= settings.trainings_at_once <= _MOST_AT_ONCE:
        raise SettingError(
            f"VAST_ORCHARD_TRAININGS_AT_ONCE is {settings.trainings_at_once}.", f"Set it from 1 to {_MOST_AT_ONCE}."
        )
    return settings.trainings_at_once


def training_threads(settings: Settings) -> int:
    """Threads of one training: as many as are set, or as there are processors, shared out among trainings at once.

    Raises
    ------
    SettingError
        The number of trainings at once is out of its range.
    """
    return settings.threads or max(1, len(os.sched_getaffinity(0)) // trainings_at_once(settings))
