"""Who may ask models that are served, as a table."""

import datetime as dt
from typing import Any

from sqlalchemy import CheckConstraint, String, func
from sqlalchemy.orm import Mapped, mapped_column

from vast_orchard.store.schema.base import Base

__all__ = ["Token"]


class Token(Base):
    """A secret that lets its holder in; of the secret itself only a hash is kept."""

    __tablename__ = "token"
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(100))
    hash: Mapped[str] = mapped_column(String(64), unique=True)  # SHA-256; the secret is 256 random bits
    # [{project, name}] of offers, whichever version of them is in use; None: every model that is served.
    offers: Mapped[list[Any] | None]
    per_minute: Mapped[int | None]  # pictures; None: as many as there is room for
    created_at: Mapped[dt.datetime] = mapped_column(server_default=func.now())
    expires_at: Mapped[dt.datetime | None]
    used_at: Mapped[dt.datetime | None]  # within the last minute, about
    __table_args__ = (CheckConstraint("per_minute is null or per_minute > 0", name="per_minute"),)
