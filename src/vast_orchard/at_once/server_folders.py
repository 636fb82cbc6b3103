"""Which folders of this machine pictures may be brought in from; knows paths only, so that the API stays small."""

import os
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

from vast_orchard.errors import InputError, MissingError
from vast_orchard.formats.source import ARCHIVE_ENDINGS
from vast_orchard.settings import Settings

__all__ = ["ServerFolder", "checked_server_path", "list_server_folder"]

_LISTED = 1000


@dataclass(frozen=True, kw_only=True)
class ServerFolder:
    """A folder, and what of it can be opened or brought in."""

    path: str  # empty: above the allowed roots
    folders: Sequence[str]
    archives: Sequence[str]
    files: int  # other files that lie in it


def _roots(settings: Settings) -> list[Path]:
    return [Path(part).resolve() for part in settings.import_roots.split(os.pathsep) if part]


def checked_server_path(settings: Settings, path: str) -> Path:
    """The folder or archive, if it lies under one of the allowed roots, links followed.

    Raises
    ------
    InputError
        It does not, or no root is allowed.
    MissingError
        There is nothing there.
    """
    roots = _roots(settings)
    if not roots:
        raise InputError(
            "No folder of this machine may be read.",
            "Set VAST_ORCHARD_IMPORT_ROOTS to the folders that may, then start again.",
        )
    try:
        found = Path(path).resolve()
        is_there = found.exists()
    except (OSError, ValueError, RuntimeError) as error:  # too long, a zero byte, a circle of links
        raise InputError(f"{path[:80]!r} is no path of this machine.", "Choose a folder from the list.") from error
    if not any(found.is_relative_to(root) for root in roots):
        raise InputError(
            f"{path[:200]} lies outside of the allowed folders.", f"Choose below {', '.join(map(str, roots))}."
        )
    if not is_there:
        raise MissingError(f"There is nothing at {path}.", "It may have been moved; choose again.")
    return found


def list_server_folder(settings: Settings, path: str) -> ServerFolder:
    """What lies in an allowed folder; without a path, the allowed roots.

    Raises
    ------
    InputError, MissingError
    """
    if not path:
        roots = [str(root) for root in _roots(settings) if root.is_dir()]
        return ServerFolder(path="", folders=roots, archives=[], files=0)
    folder = checked_server_path(settings, path)
    if not folder.is_dir():
        raise InputError(f"{path} is not a folder.", "Choose the folder that it lies in.")
    folders, archives, files = [], [], 0
    try:
        with os.scandir(folder) as entries:
            for entry in entries:
                if entry.name.startswith(".") or not entry.name.isprintable():
                    continue
                if entry.is_dir():
                    folders.append(entry.name)
                elif entry.name.lower().endswith(ARCHIVE_ENDINGS):
                    archives.append(entry.name)
                else:
                    files += 1
    except OSError as error:
        raise InputError(
            f"{path} cannot be read ({error.strerror}).", "Allow reading it, or choose another."
        ) from error
    return ServerFolder(
        path=str(folder),
        folders=sorted(folders, key=str.casefold)[:_LISTED],
        archives=sorted(archives, key=str.casefold)[:_LISTED],
        files=files,
    )
