"""Moments of a recording that a person marked."""

from __future__ import annotations

from uuid import UUID, uuid4

from sqlalchemy import CheckConstraint, ForeignKey
from sqlalchemy.orm import Mapped, mapped_column

from gullywind.store.tables.base import Base


class MarkRow(Base):
    """A named moment, s of the recording; what was found by listening stands with the media."""

    __tablename__ = "mark"
    __table_args__ = (CheckConstraint("t_rec >= 0", name="time"),)

    id: Mapped[UUID] = mapped_column(primary_key=True, default=uuid4)
    recording_id: Mapped[UUID] = mapped_column(ForeignKey("recording.id", ondelete="CASCADE"), index=True)
    t_rec: Mapped[float]
    name: Mapped[str]
