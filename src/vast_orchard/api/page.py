"""The files of the front end: served by their names as they were listed, so that no name from outside meets a path."""

import os
from pathlib import Path

from fastapi import FastAPI
from starlette.exceptions import HTTPException

from vast_orchard.api.files import WholeFile

__all__ = ["page_folder", "serve_page"]


def page_folder() -> Path:
    """Where the built front end lies."""
    return Path(__file__).parents[3] / "web" / "dist"


class _Files:
    """What lies in the folder; listed anew when the page was built anew."""

    def __init__(self, folder: Path) -> None:
        self._folder, self._built_at, self._files = folder, 0, dict[str, Path]()

    def find(self, name: str) -> Path | None:
        built_at = (self._folder / "index.html").stat().st_mtime_ns
        if built_at != self._built_at:
            places = [Path(place) / file for place, _, files in os.walk(self._folder) for file in files]
            self._files = {path.relative_to(self._folder).as_posix(): path for path in places}
            self._built_at = built_at
        return self._files.get(name)


def serve_page(app: FastAPI, folder: Path) -> None:
    """Files of the front end by name; every other address outside /api is the page itself, which reads it."""
    files = _Files(folder)

    @app.get("/{path:path}", include_in_schema=False)
    def serve(path: str) -> WholeFile:
        if path == "api" or (path.startswith(("api/", "assets/")) and files.find(path) is None):
            raise HTTPException(404, f"There is nothing at /{path[:200]}.")
        found = files.find(path) if path != "index.html" else None
        if found is None:
            return WholeFile(folder / "index.html", headers={"Cache-Control": "no-cache"})
        # Built names carry a hash of their content.
        lasting = {"Cache-Control": "max-age=31536000, immutable"} if path.startswith("assets/") else {}
        return WholeFile(found, headers=lasting)
