"""Recordings of a project, their time maps by version, and what supports them."""

from __future__ import annotations

from dataclasses import replace
from datetime import datetime
from typing import Any
from uuid import UUID, uuid4

from sqlalchemy import CheckConstraint, ForeignKey, UniqueConstraint, func
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import Mapped, mapped_column, relationship

from gullywind.core.maps.time_map import Gaps, Pitch, TimeMap, alike
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
    proof: Mapped[ProofRow | None] = relationship(uselist=False, passive_deletes=True)
    map_versions: Mapped[list[MapVersionRow]] = relationship(
        order_by="MapVersionRow.number", cascade="all, delete-orphan", passive_deletes=True
    )

    @property
    def current(self) -> MapVersionRow | None:
        """The current version of the map."""
        return next((one for one in self.map_versions if one.number == self.map_number), None)

    @property
    def is_untouched(self) -> bool:
        """Whether nobody has changed or chosen anything since the program judged."""
        made = self.alignment.map_version_id if self.alignment else None
        return made is not None and self.current is not None and made == self.current.id

    @property
    def is_as_judged(self) -> bool:
        """Whether the current map says what the program found, perhaps after some changes were taken back."""
        made = self.version_of(self.alignment.map_version_id) if self.alignment else None
        if made is None or self.current is None:
            return False
        return made.id == self.current.id or alike(made.to_core(), self.current.to_core())

    @property
    def current_proof(self) -> ProofRow | None:
        """The proof of the current map; None where it is not measured yet."""
        current = self.current
        return self.proof if current and self.proof and self.proof.map_version_id == current.id else None

    def version_of(self, map_version_id: UUID | None) -> MapVersionRow | None:
        """A version of the map by its key; None where it was dropped."""
        return next((one for one in self.map_versions if one.id == map_version_id), None)


class MapVersionRow(Base):
    """One version of a recording's map, with a sentence that says what made it."""

    __tablename__ = "map_version"
    __table_args__ = (
        UniqueConstraint("recording_id", "number"),
        CheckConstraint("number > 0", name="number"),
        CheckConstraint("polarity IN (-1, 1)", name="polarity"),
    )

    id: Mapped[UUID] = mapped_column(primary_key=True, default=uuid4)
    recording_id: Mapped[UUID] = mapped_column(ForeignKey("recording.id", ondelete="CASCADE"), index=True)
    number: Mapped[int]
    sentence: Mapped[str]
    pieces: Mapped[list[Any]] = mapped_column(JSONB)
    gaps: Mapped[str] = mapped_column(default=Gaps.SILENT)
    pitch: Mapped[str] = mapped_column(default=Pitch.SENSIBLE)
    polarity: Mapped[int] = mapped_column(default=1)
    created_at: Mapped[datetime] = mapped_column(server_default=func.clock_timestamp())

    def to_core(self) -> TimeMap:
        """As core value."""
        bare = TimeMap.from_json(self.pieces)
        return replace(bare, gaps=Gaps(self.gaps), pitch=Pitch(self.pitch), polarity=self.polarity)


class AlignmentRow(Base):
    """The newest judgement on a recording, with its evidence.

    `reference_id` is what it was judged against, `map_version_id` the map that it made (null: none, or undone since),
    `channels` those of the reference and of the recording that it was lined up by.
    """

    __tablename__ = "alignment"
    __table_args__ = (CheckConstraint("confidence >= 0 AND confidence <= 1", name="confidence"),)

    recording_id: Mapped[UUID] = mapped_column(ForeignKey("recording.id", ondelete="CASCADE"), primary_key=True)
    reference_id: Mapped[UUID | None] = mapped_column(ForeignKey("recording.id", ondelete="CASCADE"))
    status: Mapped[str]
    confidence: Mapped[float]
    polarity: Mapped[int]
    ppm_error: Mapped[float | None]
    candidates: Mapped[list[Any]] = mapped_column(JSONB)
    notes: Mapped[list[Any]] = mapped_column(JSONB)
    channels: Mapped[list[list[int]] | None] = mapped_column(JSONB)
    #: Only the bench asks for it, and it is long.
    curve: Mapped[bytes | None] = mapped_column(deferred=True)
    curve_start_s: Mapped[float | None]
    curve_step_s: Mapped[float | None]
    map_version_id: Mapped[UUID | None] = mapped_column(ForeignKey("map_version.id", ondelete="SET NULL"))

    recording: Mapped[RecordingRow] = relationship(foreign_keys=[recording_id], back_populates="alignment")


class ProofRow(Base):
    """The newest proof of a recording: what is left over, measured from the sound rendered through one map.

    `windows` are `[t_ref in s, lag in ms, quality, agreement]`; `residual` is null where nothing was clear enough.
    """

    __tablename__ = "proof"

    recording_id: Mapped[UUID] = mapped_column(ForeignKey("recording.id", ondelete="CASCADE"), primary_key=True)
    map_version_id: Mapped[UUID] = mapped_column(ForeignKey("map_version.id", ondelete="CASCADE"))
    residual: Mapped[dict[str, Any] | None] = mapped_column(JSONB)
    windows: Mapped[list[Any]] = mapped_column(JSONB)
    window_s: Mapped[float]
