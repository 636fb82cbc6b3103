"""What is served where, and the tokens of those who may ask, over HTTP."""

from collections.abc import Sequence
from dataclasses import replace
from typing import Annotated

from fastapi import APIRouter, Path
from fastapi import status as http

from vast_orchard.api.dependencies import LARGEST_ID, PartsOf, SessionOf
from vast_orchard.api.schemas.serving import ServedFigures, ServedRead, ServingRead, TokenCreate, TokenMade, TokenRead
from vast_orchard.at_once.served_figures import figures_of, read_figures
from vast_orchard.settings import Settings
from vast_orchard.store import serving
from vast_orchard.store.values.serving import TokenValue

__all__ = ["router"]

router = APIRouter(prefix="/api", tags=["serving"])

_LOOPBACK = ("127.0.0.1", "localhost", "::1")


@router.get("/serving", response_model=ServingRead)
def read_serving(session: SessionOf, parts: PartsOf) -> ServingRead:
    """Where models in use are served, which, and what was asked of them; of all projects."""
    settings, served = parts.settings, serving.list_served(session)
    session.commit()  # the connection is free while the process is asked
    secret = serving.inner_secret(parts.database.plain_url)
    text = read_figures(_inside(settings), secret, settings.serving_certificate) if served else None
    figures, refused = figures_of(text or "")
    return ServingRead(
        address=_address(settings),
        answers=text is not None,
        open=settings.serving_host not in _LOOPBACK,
        models=[ServedRead.model_validate(one) for one in served],
        figures=[ServedFigures.model_validate(one) for one in figures],
        refused=refused,
    )


def _inside(settings: Settings) -> str:
    """Its address for this machine."""
    host = "127.0.0.1" if settings.serving_host in ("0.0.0.0", "::") else settings.serving_host
    return _address(replace(settings, serving_host=host))


def _address(settings: Settings) -> str:
    if not settings.serving_port:
        return ""
    host = f"[{settings.serving_host}]" if ":" in settings.serving_host else settings.serving_host
    return f"{'https' if settings.serving_certificate else 'http'}://{host}:{settings.serving_port}"


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
