"""What is asked of served models over HTTP: answers about picture files, and the open inference protocol."""

import asyncio
import json
import time
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from http import HTTPStatus
from typing import Annotated, Any

from fastapi import APIRouter, Depends, Request, Response
from fastapi.responses import JSONResponse
from starlette.datastructures import UploadFile

from vast_orchard.errors import InputError, MissingError, OrchardError
from vast_orchard.jobs.telling.outgoing import allowed_hosts, fetch
from vast_orchard.serving import protocol
from vast_orchard.serving.answering import Answered
from vast_orchard.serving.answers import PredictAnswers, answer_of
from vast_orchard.serving.doorkeeper import Doorkeeper
from vast_orchard.serving.figures import Figures
from vast_orchard.serving.shelf import Shelf, Standing
from vast_orchard.settings import Settings
from vast_orchard.store.serving import may_ask
from vast_orchard.store.values.serving import ServedValue, TokenValue

__all__ = ["Serving", "TooManyError", "router"]

_MOST_FILES = 64
# What `predict` takes, for its description: it reads the body by itself.
_TAKES: dict[str, Any] = {
    "requestBody": {
        "required": True,
        "content": {
            "image/*": {"schema": {"type": "string", "format": "binary"}},
            "multipart/form-data": {
                "schema": {
                    "type": "object",
                    "properties": {"file": {"type": "array", "items": {"type": "string", "format": "binary"}}},
                }
            },
            "application/json": {
                "schema": {"type": "object", "required": ["address"], "properties": {"address": {"type": "string"}}}
            },
        },
    }
}


@dataclass(kw_only=True)
class Serving:
    """What the process has one of."""

    settings: Settings
    shelf: Shelf
    doorkeeper: Doorkeeper
    figures: Figures


# Both are coroutines: of a plain function each call would go by a thread of its own.
async def _serving(request: Request) -> Serving:
    serving: Serving = request.app.state.serving
    return serving


ServingOf = Annotated[Serving, Depends(_serving)]


async def _standing(request: Request, serving: ServingOf, model: str) -> Standing:
    """The model of an address, if the token may ask it."""
    found = serving.shelf.find(model)
    token: TokenValue = request.scope["state"]["token"]
    if found is not None:
        version = request.path_params.get("version", str(found.served.version))
    if found is None or not may_ask(token, found.served) or version != str(found.served.version):
        raise MissingError("This token may ask no model of that name and version.", "See the names that it may ask.")
    return found


StandingOf = Annotated[Standing, Depends(_standing)]


router = APIRouter()


# First, and by itself what the others are given: what is asked most is found at once.
@router.post("/models/{model}/predict", responses={200: {"model": PredictAnswers}}, openapi_extra=_TAKES)
async def predict(request: Request, model: str) -> Response:
    """What a model says of a picture file, of several, or of one at a web address."""
    began = time.perf_counter()
    serving = await _serving(request)
    standing = await _standing(request, serving, model)
    files = await _files(request, serving)
    _check_rate(request, serving, len(files))
    read = await standing.batches.of_files([data for _, data in files])
    if len(read) == 1 and read[0].wrong is not None:
        raise read[0].wrong
    served = standing.served
    told = [answer_of(served, name, one) for (name, _), one in zip(files, read, strict=True)]
    _count(serving.figures, served, [one for one in told if one["error"] is None], began)
    said = {
        "model": served.slug,
        "version": served.version,
        "digest": served.digest,
        "answers": told,
        "seconds": time.perf_counter() - began,
    }
    # It was made as it is described; to check it once more would take as long as a picture.
    return JSONResponse(said)


@router.get("/v2/health/live")
def live() -> dict[str, bool]:
    """Whether the process answers."""
    return {"live": True}


@router.get("/v2/health/ready")
def ready(serving: ServingOf) -> Response:
    """Whether what is served is known and stands."""
    status = HTTPStatus.OK if serving.shelf.ready else HTTPStatus.SERVICE_UNAVAILABLE
    return JSONResponse({"ready": serving.shelf.ready}, int(status))


@router.get("/v2")
def server() -> dict[str, Any]:
    """What serves."""
    return protocol.server_metadata()


@router.get("/v2/models/{model}")
@router.get("/v2/models/{model}/versions/{version}")
def model_metadata(standing: StandingOf) -> dict[str, Any]:
    """What a model takes and gives."""
    return protocol.metadata(standing)


@router.get("/v2/models/{model}/ready")
@router.get("/v2/models/{model}/versions/{version}/ready")
def model_ready(standing: StandingOf) -> dict[str, Any]:
    """Whether a model answers."""
    return {"name": standing.served.slug, "ready": True}


@router.post("/v2/models/{model}/infer")
@router.post("/v2/models/{model}/versions/{version}/infer")
async def infer(
    request: Request, serving: ServingOf, standing: StandingOf, body: protocol.InferRequest
) -> dict[str, Any]:
    """Probabilities for pixels as the network sees them."""
    began = time.perf_counter()
    pixels = protocol.pixels_of(standing, body)
    _check_rate(request, serving, len(pixels))
    probabilities = await standing.batches.of_pixels(pixels)
    _count(
        serving.figures,
        standing.served,
        [answer_of(standing.served, "", Answered(probabilities=p)) for p in probabilities],
        began,
    )
    return protocol.infer_answer(standing, body, probabilities)


@router.get("/models")
def models(request: Request, serving: ServingOf) -> list[dict[str, Any]]:
    """The models that a token may ask."""
    token: TokenValue = request.scope["state"]["token"]
    return [
        {"model": one.served.slug, "version": one.served.version, "classes": one.served.classes}
        for one in serving.shelf.all()
        if may_ask(token, one.served)
    ]


@router.get("/metrics")
def metrics(request: Request, serving: ServingOf) -> Response:
    """What was counted of the models that the token may ask, in the text form of Prometheus."""
    token: TokenValue | None = request.scope.get("state", {}).get("token")
    names = None
    if token is not None and token.offers is not None:
        names = {one.served.slug for one in serving.shelf.all() if may_ask(token, one.served)}
    return Response(serving.figures.text(names), media_type="text/plain; version=0.0.4; charset=utf-8")


async def _files(request: Request, serving: Serving) -> list[tuple[str, bytes]]:
    """Names and contents of the pictures of a request, however they were sent."""
    kind = request.headers.get("content-type", "").partition(";")[0].strip().lower()
    if kind == "multipart/form-data":
        async with request.form(max_files=_MOST_FILES, max_fields=8) as form:
            sent = [(one.filename or "picture", await one.read()) for _, one in form.multi_items()
                    if isinstance(one, UploadFile)]  # fmt: skip
        if not sent:
            raise InputError("The form holds no file.", "Send picture files in its fields.")
        return sent
    body = await request.body()
    if kind == "application/json":
        address = _address(body)
        loop = asyncio.get_running_loop()
        settings = serving.settings
        found = await loop.run_in_executor(
            None,
            lambda: fetch(
                address, allowed=allowed_hosts(settings.outgoing_allowed),
                limit_bytes=settings.picture_limit_mb * 2**20,
            ),
        )  # fmt: skip
        return [(address, found)]
    if not body:
        raise InputError("No picture was sent.", "Send a picture file as the body, several as a form, or an address.")
    return [("picture", body)]


def _address(body: bytes) -> str:
    try:
        said = json.loads(body)
        address = said["address"]
    except (ValueError, TypeError, KeyError, RecursionError):
        address = None
    if not isinstance(address, str) or len(address) > 2000:
        raise InputError("The body names no address.", 'Send {"address": "https://…"}.')
    return address


def _check_rate(request: Request, serving: Serving, pictures: int) -> None:
    token: TokenValue = request.scope["state"]["token"]
    seconds = serving.doorkeeper.seconds_to_wait(token, pictures)
    if seconds:
        raise TooManyError(token.per_minute or 0, seconds)


class TooManyError(OrchardError):
    """A token asks more than it may."""

    def __init__(self, per_minute: int, seconds: int) -> None:
        super().__init__(f"The token may ask about {per_minute} pictures a minute.", f"Go on in {seconds} s.")
        self.seconds = seconds


def _count(figures: Figures, served: ServedValue, told: Sequence[Mapping[str, Any]], began: float) -> None:
    labels = served.slug, str(served.version)
    figures.pictures.labels(*labels).inc(len(told))
    figures.unsure.labels(*labels).inc(sum(bool(one["unsure"]) for one in told))
    for one in told:
        figures.answers.labels(*labels, one["answer"]).inc()
    figures.seconds.labels(*labels).observe(time.perf_counter() - began)
