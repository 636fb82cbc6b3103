"""Values of serving: models that answer others, and who may ask them."""

import datetime as dt
from dataclasses import dataclass
from typing import Any

__all__ = ["ServedValue", "TokenValue"]


@dataclass(frozen=True, kw_only=True)
class ServedValue:
    """A model that is in use, under the name by which others ask it."""

    slug: str  # in an address
    name: str
    version: int
    project_id: int
    model_id: int
    digest: str | None
    path: str
    classes: list[str]
    temperature: float | None
    unsure_below: list[float | None] | None


@dataclass(frozen=True, kw_only=True)
class TokenValue:
    """Who may ask, and how much."""

    id: int
    name: str
    offers: list[dict[str, Any]] | None  # {project, name}; None: every model that is served
    per_minute: int | None
    created_at: dt.datetime
    expires_at: dt.datetime | None
    used_at: dt.datetime | None
