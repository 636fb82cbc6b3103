"""The page for visitors of a model: the same for all, and it names none; the token stands in the link's fragment."""

from pathlib import Path

from fastapi import APIRouter, Response

from vast_orchard.errors import MissingError

__all__ = ["VISIT", "is_visit", "router"]

router = APIRouter(include_in_schema=False)

VISIT = "/visit/"
_PROGRAM = Path(__file__).parents[3] / "web" / "dist" / "one-page"
_FILES = {"visit.js": "text/javascript", "visit.css": "text/css"}
_PAGE = """<!doctype html>
<html lang="en">
<head>
<meta charset="utf-8">
<meta name="viewport" content="width=device-width, initial-scale=1">
<title>Ask the model</title>
<link rel="icon" href="data:,">
<link rel="stylesheet" href="/visit/files/visit.css">
</head>
<body>
<div id="root"></div>
<script src="/visit/files/visit.js"></script>
</body>
</html>
"""
# It may ask this address and nothing else, and stands in no frame of somebody else's.
_HEADERS = {
    "Content-Security-Policy": (
        "default-src 'none'; script-src 'self'; style-src 'self'; img-src blob: data:; media-src blob:; "
        "connect-src 'self'; base-uri 'none'; form-action 'none'; frame-ancestors 'none'"
    ),
    "Permissions-Policy": "camera=(self), microphone=(), geolocation=()",
}


def is_visit(path: str) -> bool:
    """Whether an address is of the visitors' page, which is shown without a token: it holds nothing."""
    return path.startswith(VISIT)


@router.get("/visit/files/{name}")
def visit_file(name: str) -> Response:
    """A part of the page."""
    kind = _FILES.get(name)
    if kind is None or not (_PROGRAM / name).exists():
        raise MissingError("There is no such file.", "Open the page anew.")
    return Response((_PROGRAM / name).read_bytes(), media_type=kind)


@router.get("/visit/{model}")
def visit(model: str) -> Response:
    """The page; whether there is such a model, only a token tells."""
    return Response(_PAGE, media_type="text/html; charset=utf-8", headers=_HEADERS)
