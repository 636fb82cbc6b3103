"""What is served, under which names, and who may ask."""

import datetime as dt
import hashlib
import re
import secrets
import unicodedata
from collections.abc import Mapping, Sequence
from itertools import chain, count
from typing import Any

from sqlalchemy import func, select, update
from sqlalchemy.orm import Session

from vast_orchard.errors import ConflictError, InputError, MissingError
from vast_orchard.store.database import tell
from vast_orchard.store.projects import checked_name
from vast_orchard.store.schema import Model, Offer, OfferState, Project, Run
from vast_orchard.store.schema.serving import Token
from vast_orchard.store.values.serving import ServedValue, TokenValue

__all__ = [
    "delete_token",
    "inner_secret",
    "list_served",
    "list_tokens",
    "make_token",
    "mark_used",
    "may_ask",
    "token_of",
]

# 256 bits, which nobody guesses; so a plain hash of it is enough.
_SECRET_BYTES = 32
_PREFIX = "orchard_"


def _slug(name: str) -> str:
    plain = unicodedata.normalize("NFKD", name).encode("ascii", "ignore").decode().lower()
    return re.sub(r"[^a-z0-9]+", "-", plain).strip("-") or "model"


def _slugs(session: Session) -> dict[tuple[int, str], str]:
    """A name for addresses of each name on offer, by project and name in small letters; no two are the same.

    Whoever came first has the plain one, whether it is in use or not, so that what others put on offer or in use
    later changes no address that is known already.
    """
    name = func.lower(Offer.name)
    lines = session.execute(
        select(Offer.project_id, name).group_by(Offer.project_id, name).order_by(func.min(Offer.id))
    )
    found: dict[tuple[int, str], str] = {}
    taken: set[str] = set()
    for project_id, lowered in lines:
        plain = _slug(lowered)
        candidates = chain((plain, f"{plain}-{project_id}"), (f"{plain}-{project_id}-{n}" for n in count(2)))
        found[project_id, lowered] = slug = next(one for one in candidates if one not in taken)
        taken.add(slug)
    return found


def list_served(session: Session) -> Sequence[ServedValue]:
    """The models in use, of all projects, with names for addresses."""
    rows = session.execute(
        select(Offer, Model, func.lower(Offer.name))
        .join(Model, Model.id == Offer.model_id)
        .join(Project, Project.id == Offer.project_id)
        .outerjoin(Run, Run.id == Model.run_id)
        .where(Offer.state == OfferState.IN_USE.value, Run.deleted_at.is_(None), Project.deleted_at.is_(None))
        .order_by(Offer.project_id, func.lower(Offer.name))
    ).all()
    slugs = _slugs(session) if rows else {}
    return [
        ServedValue(
            slug=slugs[offer.project_id, lowered],
            name=offer.name,
            version=offer.version,
            project_id=offer.project_id,
            model_id=model.id,
            digest=model.digest,
            path=model.path,
            classes=[entry["name"] for entry in model.classes],
            temperature=model.temperature,
            unsure_below=model.unsure_below,
        )
        for offer, model, lowered in rows
    ]


def _value(row: Token) -> TokenValue:
    return TokenValue(
        id=row.id,
        name=row.name,
        offers=row.offers,
        per_minute=row.per_minute,
        created_at=row.created_at,
        expires_at=row.expires_at,
        used_at=row.used_at,
    )


def _hash(secret: str) -> str:
    return hashlib.sha256(secret.encode()).hexdigest()


def make_token(
    session: Session,
    name: str,
    *,
    offers: Sequence[Mapping[str, Any]] | None = None,
    per_minute: int | None = None,
    expires_at: dt.datetime | None = None,
) -> tuple[TokenValue, str]:
    """A new token and its secret, which is told this once.

    Parameters
    ----------
    offers : sequence of mapping, optional
        `project` and `name` of the models that it may ask, whichever of their versions is in use; all by default.
    per_minute : int, optional
        Pictures.
    expires_at : datetime, optional

    Raises
    ------
    InputError, ConflictError
        It has no name, names no model, or has expired already.
    """
    if offers is not None and not offers:
        raise InputError("The token names no model.", "Choose at least one, or all of them.")
    if expires_at is not None and expires_at <= dt.datetime.now(dt.UTC):
        raise ConflictError("The token would have expired already.", "Choose a day that is to come.")
    secret = _PREFIX + secrets.token_urlsafe(_SECRET_BYTES)
    listed = (
        None if offers is None else [{"project": one["project"], "name": str(one["name"]).lower()} for one in offers]
    )
    row = Token(
        name=checked_name(name, "token"), hash=_hash(secret), offers=listed, per_minute=per_minute,
        expires_at=expires_at,
    )  # fmt: skip
    session.add(row)
    session.flush()
    tell(session, "tokens", 0)
    return _value(row), secret


def list_tokens(session: Session) -> Sequence[TokenValue]:
    """All that stand, the newest first."""
    return [_value(row) for row in session.scalars(select(Token).order_by(Token.id.desc()))]


def delete_token(session: Session, token_id: int) -> None:
    """Take a token back: from now on it lets nobody in.

    Raises
    ------
    MissingError
    """
    row = session.get(Token, token_id)
    if row is None:
        raise MissingError(f"There is no token {token_id}.", "It may have been taken back in another window.")
    session.delete(row)
    tell(session, "tokens", 0)


def token_of(session: Session, secret: str) -> TokenValue | None:
    """The token that a secret is of, if it stands and has not expired."""
    row = session.scalar(select(Token).where(Token.hash == _hash(secret)))
    if row is None or (row.expires_at is not None and row.expires_at <= dt.datetime.now(dt.UTC)):
        return None
    return _value(row)


def may_ask(token: TokenValue, served: ServedValue) -> bool:
    """Whether a token's holder may ask a model."""
    if token.offers is None:
        return True
    return {"project": served.project_id, "name": served.name.lower()} in token.offers


def inner_secret(database_url: str) -> str:
    """By which the application reads the figures of its own serving process: of what both know and nobody else does."""
    return hashlib.sha256(f"figures of serving {database_url}".encode()).hexdigest()


def mark_used(session: Session, token_id: int) -> None:
    """Remember that a token was used just now."""
    session.execute(update(Token).where(Token.id == token_id).values(used_at=func.now()))
