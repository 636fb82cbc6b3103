"""What is served where, and the tokens of those who may ask, over HTTP."""

import urllib.error
import urllib.request
from collections.abc import Sequence
from typing import Annotated

from fastapi import APIRouter, Path
from fastapi import status as http

from vast_orchard.api.dependencies import LARGEST_ID, PartsOf, SessionOf
from vast_orchard.api.schemas.serving import ServedRead, ServingRead, TokenCreate, TokenMade, TokenRead
from vast_orchard.settings import Settings
from vast_orchard.store import serving
from vast_orchard.store.values.serving import TokenValue

__all__ = ["router"]

router = APIRouter(prefix="/api", tags=["serving"])

_LOOPBACK = ("127.0.0.1", "localhost", "::1")
_PATIENCE_S = 0.5


@router.get("/serving", response_model=ServingRead)
def read_serving(session: SessionOf, parts: PartsOf) -> ServingRead:
    """Where models in use are served, and which; of all projects."""
    settings, served = parts.settings, serving.list_served(session)
    session.commit()  # the connection is free while the process is asked
    return ServingRead(
        address=_address(settings),
        answers=bool(served) and _answers(settings),
        open=settings.serving_host not in _LOOPBACK,
        models=[ServedRead.model_validate(one) for one in served],
    )


def _address(settings: Settings) -> str:
    if not settings.serving_port:
        return ""
    host = f"[{settings.serving_host}]" if ":" in settings.serving_host else settings.serving_host
    return f"{'https' if settings.serving_certificate else 'http'}://{host}:{settings.serving_port}"


def _answers(settings: Settings) -> bool:
    """Whether the process is there; asked on this machine, where a certificate need not hold for its name."""
    if settings.serving_certificate:
        return True
    host = "127.0.0.1" if settings.serving_host == "0.0.0.0" else settings.serving_host
    try:
        with urllib.request.urlopen(f"http://{host}:{settings.serving_port}/v2/health/live", timeout=_PATIENCE_S):
            return True
    except (OSError, urllib.error.URLError, ValueError):
        return False


@router.get("/tokens", response_model=list[TokenRead])
def list_tokens(session: SessionOf) -> Sequence[TokenValue]:
    """All that stand, the newest first."""
    return serving.list_tokens(session)


@router.post("/tokens", response_model=TokenMade, status_code=http.HTTP_201_CREATED)
def make_token(session: SessionOf, body: TokenCreate) -> TokenMade:
    """A new token; its secret is told this once."""
    offers = None if body.offers is None else [one.model_dump() for one in body.offers]
    token, secret = serving.make_token(
        session, body.name, offers=offers, per_minute=body.per_minute, expires_at=body.expires_at
    )
    return TokenMade(token=TokenRead.model_validate(token), secret=secret)


@router.delete("/tokens/{token_id}", status_code=http.HTTP_204_NO_CONTENT)
def delete_token(session: SessionOf, token_id: Annotated[int, Path(ge=1, le=LARGEST_ID)]) -> None:
    """Take a token back: it lets nobody in from now on."""
    serving.delete_token(session, token_id)
