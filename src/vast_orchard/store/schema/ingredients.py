"""What runs are made of and what is kept for several of them, as tables."""

import datetime as dt
from enum import StrEnum
from typing import Any

from sqlalchemy import BigInteger, CheckConstraint, ForeignKey, Index, String, UniqueConstraint, func
from sqlalchemy.orm import Mapped, mapped_column

from vast_orchard.store.schema.base import Base, project_key

__all__ = ["Ingredient", "IngredientKind", "Split", "SplitMember"]


class IngredientKind(StrEnum):
    """What is kept by name for several runs."""

    VARIATION = "variation"
    PREPROCESSING = "preprocessing"
    NETWORK = "network"


class Ingredient(Base):
    """A version of something that runs are made of; what a run has used never changes."""

    __tablename__ = "ingredient"
    id: Mapped[int] = mapped_column(primary_key=True)
    project_id: Mapped[int] = project_key()
    kind: Mapped[str] = mapped_column(String(20))
    name: Mapped[str] = mapped_column(String(100))
    version: Mapped[int]  # of the name, from 1
    value: Mapped[dict[str, Any]]
    created_at: Mapped[dt.datetime] = mapped_column(server_default=func.now())
    deleted_at: Mapped[dt.datetime | None]
    __table_args__ = (
        Index("uq_ingredient_version", "project_id", "kind", func.lower(name), "version", unique=True),
        CheckConstraint("kind in ('variation', 'preprocessing', 'network')", name="kind"),
    )


class Split(Base):
    """A division of pictures into sets; what a run has used never changes."""

    __tablename__ = "split"
    id: Mapped[int] = mapped_column(primary_key=True)
    project_id: Mapped[int] = project_key()
    number: Mapped[int]  # within the project, from 1
    # With defaults in the database, because archives of projects may be older than these columns.
    name: Mapped[str] = mapped_column(String(100), server_default="Split")
    version: Mapped[int] = mapped_column(server_default="1")  # of the name, from 1
    revision: Mapped[int] = mapped_column(server_default="0")  # counts what was changed in it before a run used it
    method: Mapped[str] = mapped_column(String(20))  # random, folders
    shares: Mapped[dict[str, Any]]
    seed: Mapped[int] = mapped_column(BigInteger)
    rule: Mapped[dict[str, Any]] = mapped_column(
        server_default="{}"
    )  # what else it was made by, as `at_once.dividing` says
    fit: Mapped[list[Any]] = mapped_column(server_default="[]")  # what was wanted and met for each class and set
    created_at: Mapped[dt.datetime] = mapped_column(server_default=func.now())
    past_looks: Mapped[int] = mapped_column(server_default="0")  # at the test set, by runs that were removed for good
    __table_args__ = (UniqueConstraint("project_id", "number"),)


class SplitMember(Base):
    """Which set a picture is in."""

    __tablename__ = "split_member"
    split_id: Mapped[int] = mapped_column(ForeignKey("split.id", ondelete="CASCADE"), primary_key=True)
    picture_id: Mapped[int] = mapped_column(ForeignKey("picture.id", ondelete="CASCADE"), primary_key=True)
    set_name: Mapped[str] = mapped_column(String(10))
    __table_args__ = (CheckConstraint("set_name in ('training', 'validation', 'test')", name="set_name"),)
