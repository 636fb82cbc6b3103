"""Working areas as tables: each once by its value, and the rules by which pictures without one of their own get one."""

import datetime as dt
from typing import Any

from sqlalchemy import CheckConstraint, ForeignKey, String, UniqueConstraint, func
from sqlalchemy.orm import Mapped, mapped_column

from vast_orchard.store.schema.base import Base, project_key

__all__ = ["AreaRules", "WorkingArea"]


class WorkingArea(Base):
    """A value of `core.pictures.area`; never changes, and whatever counts the same has the same id."""

    __tablename__ = "working_area"
    id: Mapped[int] = mapped_column(primary_key=True)
    project_id: Mapped[int] = project_key()
    digest: Mapped[str] = mapped_column(String(32))  # of the value, by which it is found again
    value: Mapped[dict[str, Any]]
    __table_args__ = (UniqueConstraint("project_id", "digest"),)


class AreaRules(Base):
    """A version of a project's rules; the newest one holds, and none of them ever changes."""

    __tablename__ = "area_rules"
    id: Mapped[int] = mapped_column(primary_key=True)
    project_id: Mapped[int] = project_key()
    number: Mapped[int]  # within the project, from 1
    rules: Mapped[list[Any]]  # [{sift, area_id}]: the first that lets a picture through gives it its area
    fresh_by: Mapped[str] = mapped_column(String(10))  # what a picture from elsewhere gets
    fresh_id: Mapped[int | None] = mapped_column(ForeignKey("working_area.id"))  # that; None: it counts whole
    created_at: Mapped[dt.datetime] = mapped_column(server_default=func.now())
    __table_args__ = (
        UniqueConstraint("project_id", "number"),
        CheckConstraint("fresh_by in ('rule', 'found', 'whole')", name="fresh_by"),
    )
