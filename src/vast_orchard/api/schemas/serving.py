"""What goes over the wire of serving: what is served where, and tokens."""

import datetime as dt
from typing import Annotated

from pydantic import BaseModel, Field

from vast_orchard.api.schemas.base import Read, Write

__all__ = ["ServedFigures", "ServedRead", "ServingRead", "TokenCreate", "TokenMade", "TokenOffer", "TokenRead"]


class ServedRead(Read):
    """A model in use, under the name by which others ask it."""

    slug: str = Field(description="In its address.")
    name: str
    version: int
    project_id: int
    digest: str | None
    classes: list[str]


class ServedFigures(BaseModel):
    """What was asked of a model since its process was started."""

    model: str
    version: int
    requests: int
    pictures: int
    unsure: int
    answers: dict[str, int] = Field(description="By class.")
    within_s: float | None = Field(description="Nineteen of twenty answers took no longer; of a few bounds the next.")


class ServingRead(BaseModel):
    """Where models in use are served, and which."""

    address: str = Field(description="Of the serving process; empty: none is set.")
    answers: bool = Field(description="It is there.")
    open: bool = Field(description="Other machines reach it.")
    models: list[ServedRead]
    figures: list[ServedFigures]
    refused: dict[str, int] = Field(description="Requests that were refused, by status.")


class TokenOffer(Write):
    """A model that a token may ask, whichever of its versions is in use."""

    project: int = Field(ge=1, le=2**31 - 1)
    name: str = Field(min_length=1, max_length=100)


class TokenCreate(Write):
    """A token to be made."""

    name: str = Field(min_length=1, max_length=100)
    offers: Annotated[list[TokenOffer], Field(max_length=200)] | None = Field(None, description="Null: every model.")
    per_minute: int | None = Field(None, ge=1, le=1_000_000, description="Pictures; null: as there is room.")
    expires_at: dt.datetime | None = None


class TokenRead(Read):
    """A token; nobody reads its secret again."""

    id: int
    name: str
    offers: list[TokenOffer] | None
    per_minute: int | None
    created_at: dt.datetime
    expires_at: dt.datetime | None
    used_at: dt.datetime | None = Field(description="When it was used last, within a minute.")


class TokenMade(BaseModel):
    """A token that was made, with its secret, which is told this once."""

    token: TokenRead
    secret: str
