"""What is wrong with pictures, as tables: found anew each time somebody looks, but for what was dismissed."""

import datetime as dt
from enum import StrEnum
from typing import Any

from sqlalchemy import BigInteger, ForeignKey, Index, String, func
from sqlalchemy.dialects.postgresql import REAL
from sqlalchemy.orm import Mapped, mapped_column

from vast_orchard.store.schema.base import Base

__all__ = ["Finding", "FindingKind", "FindingReport"]


class FindingKind(StrEnum):
    """What may be wrong with a picture, in the order of what it costs."""

    LABEL = "label"  # probably another class
    DARK = "dark"
    BLURRED = "blurred"
    CUT_OFF = "cut-off"
    FLAT = "flat"
    NOISY = "noisy"
    BRIGHT = "bright"
    TINY = "tiny"
    ODD_SHAPE = "odd-shape"
    ALONE = "alone"  # unlike all others under its label, whatever the reason is

    @property
    def bit(self) -> int:
        """Its own in `Picture.dismissed`; given once and for all, whatever the order becomes."""
        return 1 << _BITS.index(self)


_BITS = (
    FindingKind.LABEL, FindingKind.ALONE, FindingKind.DARK, FindingKind.BLURRED, FindingKind.CUT_OFF, FindingKind.FLAT,
    FindingKind.NOISY, FindingKind.BRIGHT, FindingKind.TINY, FindingKind.ODD_SHAPE,
)  # fmt: skip


class Finding(Base):
    """Something found of a picture; whether it is open follows from what the picture is now."""

    __tablename__ = "finding"
    picture_id: Mapped[int] = mapped_column(BigInteger, ForeignKey("picture.id", ondelete="CASCADE"), primary_key=True)
    kind: Mapped[str] = mapped_column(String(10), primary_key=True)
    project_id: Mapped[int] = mapped_column(ForeignKey("project.id", ondelete="CASCADE"))
    weight: Mapped[float] = mapped_column(REAL)  # the larger the stranger, within its kind
    class_id: Mapped[int | None]  # its label then; with another one it is settled
    proposal: Mapped[int | None]  # of `label`: the class that it probably is of
    p_label: Mapped[float | None] = mapped_column(REAL)
    p_proposal: Mapped[float | None] = mapped_column(REAL)
    __table_args__ = (Index("ix_finding_project_id_kind", "project_id", "kind"),)


class FindingReport(Base):
    """What was found when somebody looked last, besides single pictures."""

    __tablename__ = "finding_report"
    project_id: Mapped[int] = mapped_column(ForeignKey("project.id", ondelete="CASCADE"), primary_key=True)
    looked_at: Mapped[dt.datetime] = mapped_column(server_default=func.now())
    report: Mapped[dict[str, Any]]  # see `jobs.finding.looking`
    dismissed: Mapped[list[Any]] = mapped_column(server_default="[]")  # names of what is no matter of single pictures
