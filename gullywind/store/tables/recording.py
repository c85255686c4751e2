"""Recordings of a project, their time maps by version, and what supports them."""

from __future__ import annotations

from datetime import datetime
from typing import Any
from uuid import UUID, uuid4

from sqlalchemy import CheckConstraint, ForeignKey, UniqueConstraint, func
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import Mapped, mapped_column, relationship

from gullywind.core.time_map import TimeMap
from gullywind.store.tables.base import Base
from gullywind.store.tables.media import MediaRow


class RecordingRow(Base):
    """A recording; `map_number` names the current version of its map, 0 for none."""

    __tablename__ = "recording"
    __table_args__ = (CheckConstraint("map_number >= 0", name="map_number"),)

    id: Mapped[UUID] = mapped_column(primary_key=True, default=uuid4)
    project_id: Mapped[UUID] = mapped_column(ForeignKey("project.id", ondelete="CASCADE"), index=True)
    content_hash: Mapped[str] = mapped_column(ForeignKey("media.content_hash"), index=True)
    name: Mapped[str]
    file_name: Mapped[str]
    map_number: Mapped[int] = mapped_column(default=0)
    version: Mapped[int] = mapped_column(default=1)
    created_at: Mapped[datetime] = mapped_column(server_default=func.clock_timestamp())

    media: Mapped[MediaRow] = relationship(lazy="joined")
    alignment: Mapped[AlignmentRow | None] = relationship(
        foreign_keys="AlignmentRow.recording_id",
        uselist=False,
        passive_deletes=True,
        back_populates="recording",
    )
    map_versions: Mapped[list[MapVersionRow]] = relationship(
        order_by="MapVersionRow.number", cascade="all, delete-orphan", passive_deletes=True
    )

    @property
    def current(self) -> MapVersionRow | None:
        """The current version of the map."""
        return next((one for one in self.map_versions if one.number == self.map_number), None)


class MapVersionRow(Base):
    """One version of a recording's map, with a sentence that says what made it."""

    __tablename__ = "map_version"
    __table_args__ = (
        UniqueConstraint("recording_id", "number"),
        CheckConstraint("number > 0", name="number"),
    )

    id: Mapped[UUID] = mapped_column(primary_key=True, default=uuid4)
    recording_id: Mapped[UUID] = mapped_column(ForeignKey("recording.id", ondelete="CASCADE"), index=True)
    number: Mapped[int]
    sentence: Mapped[str]
    pieces: Mapped[list[Any]] = mapped_column(JSONB)
    created_at: Mapped[datetime] = mapped_column(server_default=func.clock_timestamp())

    def to_core(self) -> TimeMap:
        """As core value."""
        return TimeMap.from_json(self.pieces)


class AlignmentRow(Base):
    """The newest judgement on a recording, with its evidence; `reference_id` is what it was judged against."""

    __tablename__ = "alignment"
    __table_args__ = (CheckConstraint("confidence >= 0 AND confidence <= 1", name="confidence"),)

    recording_id: Mapped[UUID] = mapped_column(ForeignKey("recording.id", ondelete="CASCADE"), primary_key=True)
    reference_id: Mapped[UUID | None] = mapped_column(ForeignKey("recording.id", ondelete="CASCADE"))
    status: Mapped[str]
    confidence: Mapped[float]
    polarity: Mapped[int]
    ppm_error: Mapped[float | None]
    candidates: Mapped[list[Any]] = mapped_column(JSONB)
    residual: Mapped[dict[str, Any] | None] = mapped_column(JSONB)
    notes: Mapped[list[Any]] = mapped_column(JSONB)
    trace: Mapped[list[Any]] = mapped_column(JSONB)
    #: Only the bench asks for it, and it is long.
    curve: Mapped[bytes | None] = mapped_column(deferred=True)
    curve_start_s: Mapped[float | None]
    curve_step_s: Mapped[float | None]
    map_number: Mapped[int]

    recording: Mapped[RecordingRow] = relationship(foreign_keys=[recording_id], back_populates="alignment")
