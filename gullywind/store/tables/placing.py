"""What is known of any two contents, and the judgements drawn from it."""

from __future__ import annotations

from datetime import datetime
from typing import Any
from uuid import UUID, uuid4

from sqlalchemy import CheckConstraint, ForeignKey, UniqueConstraint, func
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import Mapped, mapped_column, relationship

from gullywind.core.maps.version import Version
from gullywind.core.measure.evidence import Way
from gullywind.store.tables.base import Base


class MeasurementRow(Base):
    """What is known of two contents by one way; it survives another reference, another project, a removal.

    `project_id` is null for what was measured: it is true wherever both are; what a person decided counts in its
    project. `pieces` is the recording's map on the timeline, null where it does not belong there. The errors are
    standard errors, of the offset (s) at the moment `error_at_s`, where it does not depend on the rate's, and of the
    rate. `agreement` is the share of the windows that are alike, null where it was not measured. `channels` are those
    of both that were compared.
    """

    __tablename__ = "measurement"
    __table_args__ = (
        UniqueConstraint("timeline_hash", "recording_hash", "way", "project_id", postgresql_nulls_not_distinct=True),
        CheckConstraint("confidence >= 0 AND confidence <= 1", name="confidence"),
        CheckConstraint("polarity IN (-1, 1)", name="polarity"),
    )

    id: Mapped[UUID] = mapped_column(primary_key=True, default=uuid4)
    timeline_hash: Mapped[str]
    recording_hash: Mapped[str] = mapped_column(index=True)
    way: Mapped[str] = mapped_column(default=Way.SOUND)
    project_id: Mapped[UUID | None] = mapped_column(ForeignKey("project.id", ondelete="CASCADE"), index=True)
    status: Mapped[str]
    confidence: Mapped[float]
    polarity: Mapped[int]
    pieces: Mapped[list[Any] | None] = mapped_column(JSONB)
    ppm_error: Mapped[float | None]
    offset_error_s: Mapped[float | None]
    error_at_s: Mapped[float | None]
    agreement: Mapped[float | None]
    channels: Mapped[list[list[int]] | None] = mapped_column(JSONB)
    candidates: Mapped[list[Any]] = mapped_column(JSONB, default=list)
    notes: Mapped[list[Any]] = mapped_column(JSONB, default=list)
    #: Only the bench asks for it, and it is long.
    curve: Mapped[bytes | None] = mapped_column(deferred=True)
    curve_start_s: Mapped[float | None]
    curve_step_s: Mapped[float | None]
    created_at: Mapped[datetime] = mapped_column(server_default=func.clock_timestamp())


class PlacingRow(Base):
    """The judgement on a recording against one reference, drawn from measurements.

    `stored` is the version that was judged, null where it does not belong; `version_id` the version it made, null where
    none, or dropped since. `measurement_id` is the evidence where the two were compared themselves, `through` names
    what lies between them where they were not.
    """

    __tablename__ = "placing"
    __table_args__ = (
        UniqueConstraint("recording_id", "reference_id"),
        CheckConstraint("confidence >= 0 AND confidence <= 1", name="confidence"),
    )

    id: Mapped[UUID] = mapped_column(primary_key=True, default=uuid4)
    recording_id: Mapped[UUID] = mapped_column(ForeignKey("recording.id", ondelete="CASCADE"))
    reference_id: Mapped[UUID] = mapped_column(ForeignKey("recording.id", ondelete="CASCADE"), index=True)
    measurement_id: Mapped[UUID | None] = mapped_column(ForeignKey("measurement.id", ondelete="SET NULL"))
    version_id: Mapped[UUID | None] = mapped_column(ForeignKey("version.id", ondelete="SET NULL"), index=True)
    status: Mapped[str]
    confidence: Mapped[float]
    polarity: Mapped[int]
    ppm_error: Mapped[float | None]
    notes: Mapped[list[Any]] = mapped_column(JSONB)
    through: Mapped[list[str]] = mapped_column(JSONB, default=list)
    stored: Mapped[dict[str, Any] | None] = mapped_column(JSONB)

    measurement: Mapped[MeasurementRow | None] = relationship(lazy="joined")

    @property
    def judged(self) -> Version | None:
        """The version that was judged, as core value."""
        if self.stored is None:
            return None
        # Asked for several times by whoever shows a recording; made anew where another was judged.
        known: tuple[dict[str, Any], Version] | None = self.__dict__.get("_known")
        if known is None or known[0] is not self.stored:
            known = self.__dict__["_known"] = (self.stored, Version.from_json(self.stored))
        return known[1]

    @property
    def candidates(self) -> list[dict[str, float]]:
        """Places that the search offers, best first; empty where the two were not compared themselves."""
        return self.measurement.candidates if self.measurement else []
