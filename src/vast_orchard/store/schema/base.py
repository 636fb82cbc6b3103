"""The base of all tables, and what they name alike."""

import datetime as dt
from typing import Any

from sqlalchemy import DateTime, ForeignKey, MetaData
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column

__all__ = ["Base", "project_key"]


class Base(DeclarativeBase):
    """Names every constraint, so that migrations can refer to it."""

    metadata = MetaData(
        naming_convention={
            "ix": "ix_%(table_name)s_%(column_0_N_name)s",
            "uq": "uq_%(table_name)s_%(column_0_N_name)s",
            "ck": "ck_%(table_name)s_%(constraint_name)s",
            "fk": "fk_%(table_name)s_%(column_0_N_name)s",
            "pk": "pk_%(table_name)s",
        }
    )
    type_annotation_map = {  # noqa: RUF012 (SQLAlchemy reads a plain dict)
        dt.datetime: DateTime(timezone=True),
        dict[str, Any]: JSONB,
        list[Any]: JSONB,
    }


def project_key() -> Mapped[int]:
    """The project that a record belongs to, and goes with."""
    return mapped_column(ForeignKey("project.id", ondelete="CASCADE"), index=True)
