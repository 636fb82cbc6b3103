"""A small stand-in for an S3-compatible service: serves a folder as a bucket, for trying and for tests.

It answers the two requests that bringing in needs, ListObjectsV2 and GetObject, and nothing else. It looks at the name
of the key, not at the signature.
"""

import time
from dataclasses import dataclass
from pathlib import Path
from xml.sax.saxutils import escape

from starlette.applications import Starlette
from starlette.requests import Request
from starlette.responses import Response
from starlette.routing import Route

__all__ = ["StandIn", "stand_in_app"]

_PAGE = 500  # fewer than the thousand of real services, so that paging is tried with small folders too
_XML = '<?xml version="1.0" encoding="UTF-8"?>\n'


@dataclass(frozen=True, kw_only=True)
class StandIn:
    """What is served, and which faults are played."""

    folder: Path  # each folder in it is a bucket
    key: str = ""  # name of the key that is let in; empty lets in everybody
    pause_s: float = 0.0  # before each answer
    cut: bool = False  # objects end in their middle
    nonsense: bool = False  # lists are no XML


def _refusal(status: int, code: str) -> Response:
    return Response(
        f"{_XML}<Error><Code>{code}</Code><Message>{code}</Message></Error>", status, media_type="application/xml"
    )


def _list(place: Path, bucket: str, request: Request) -> Response:
    prefix, after = request.query_params.get("prefix", ""), request.query_params.get("continuation-token", "")
    found = sorted(str(path.relative_to(place)) for path in place.rglob("*") if path.is_file())
    left = [name for name in found if name.startswith(prefix) and name > after]
    page, more = left[:_PAGE], len(left) > _PAGE
    rows = "".join(
        f"<Contents><Key>{escape(name)}</Key><Size>{(place / name).stat().st_size}</Size></Contents>" for name in page
    )
    token = f"<NextContinuationToken>{escape(page[-1])}</NextContinuationToken>" if more else ""
    return Response(
        f'{_XML}<ListBucketResult xmlns="http://s3.amazonaws.com/doc/2006-03-01/"><Name>{escape(bucket)}</Name>'
        f"<Prefix>{escape(prefix)}</Prefix><KeyCount>{len(page)}</KeyCount><MaxKeys>{_PAGE}</MaxKeys>"
        f"<IsTruncated>{str(more).lower()}</IsTruncated>{token}{rows}</ListBucketResult>",
        media_type="application/xml",
    )


def stand_in_app(stand_in: StandIn) -> Starlette:
    """The service as an application."""

    def answer(request: Request) -> Response:
        time.sleep(stand_in.pause_s)
        said = request.headers.get("authorization", "")
        if stand_in.key and f"Credential={stand_in.key}/" not in said:
            return _refusal(403, "InvalidAccessKeyId")
        bucket, _, name = request.path_params["path"].partition("/")
        place = (stand_in.folder / bucket).resolve()
        if not bucket or place.parent != stand_in.folder.resolve() or not place.is_dir():
            return _refusal(404, "NoSuchBucket")
        if not name:
            if stand_in.nonsense:
                return Response("<hello", media_type="application/xml")
            return _list(place, bucket, request)
        wanted = (place / name).resolve()
        if not wanted.is_relative_to(place) or not wanted.is_file():
            return _refusal(404, "NoSuchKey")
        data = wanted.read_bytes()
        return Response(data[: len(data) // 2] if stand_in.cut else data, media_type="application/octet-stream")

    return Starlette(routes=[Route("/{path:path}", answer, methods=["GET"])])
