"""Work that takes time, as the person sees it: state, progress, and whether they asked to stop."""

from __future__ import annotations

from datetime import datetime
from enum import StrEnum
from uuid import UUID, uuid4

from sqlalchemy import BigInteger, CheckConstraint, ForeignKey, func
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import Mapped, mapped_column

from gullywind.store.tables.base import Base


class WorkKind(StrEnum):
    """What is done."""

    LISTEN = "listen"
    PLACE = "place"
    MATCH = "match"
    PROVE = "prove"
    DELIVER = "deliver"


class WorkState(StrEnum):
    """How far it is."""

    QUEUED = "queued"
    RUNNING = "running"
    DONE = "done"
    FAILED = "failed"
    CANCELLED = "cancelled"


OPEN_STATES = (WorkState.QUEUED, WorkState.RUNNING)


class WorkRow(Base):
    """One job; `recording_id` is null for work on a whole project."""

    __tablename__ = "work"
    __table_args__ = (
        CheckConstraint("fraction_done >= 0 AND fraction_done <= 1", name="fraction"),
        CheckConstraint("attempts >= 0", name="attempts"),
    )

    id: Mapped[UUID] = mapped_column(primary_key=True, default=uuid4)
    project_id: Mapped[UUID] = mapped_column(ForeignKey("project.id", ondelete="CASCADE"), index=True)
    recording_id: Mapped[UUID | None] = mapped_column(ForeignKey("recording.id", ondelete="CASCADE"), index=True)
    #: What a batch finds is one change, to be taken back at once.
    change_id: Mapped[UUID | None] = mapped_column(ForeignKey("change.id", ondelete="SET NULL"), default=None)
    kind: Mapped[str]
    #: What it concerns, s of the reference; null: all.
    start_s: Mapped[float | None] = mapped_column(default=None)
    end_s: Mapped[float | None] = mapped_column(default=None)
    state: Mapped[str] = mapped_column(default=WorkState.QUEUED)
    fraction_done: Mapped[float] = mapped_column(default=0.0)
    message: Mapped[str | None] = mapped_column(default=None)
    #: How often it was begun; what ends the program again and again is given up.
    attempts: Mapped[int] = mapped_column(default=0)
    stop_asked: Mapped[bool] = mapped_column(default=False)
    queue_job_id: Mapped[int | None] = mapped_column(BigInteger, default=None)
    created_at: Mapped[datetime] = mapped_column(server_default=func.clock_timestamp())
    #: Null while it is open.
    ended_at: Mapped[datetime | None] = mapped_column(default=None, index=True)


class DeliveryRow(Base):
    """A file made for the editor to take home; `file_name` is null until it is written.

    With `sound_from_id` it is the recording's picture with the sounds of those that were `chosen`, that one first; else
    aligned sound: of `recording_id`, of those that were chosen, or of all.
    """

    __tablename__ = "delivery"

    id: Mapped[UUID] = mapped_column(primary_key=True, default=uuid4)
    project_id: Mapped[UUID] = mapped_column(ForeignKey("project.id", ondelete="CASCADE"), index=True)
    work_id: Mapped[UUID] = mapped_column(ForeignKey("work.id", ondelete="CASCADE"))
    recording_id: Mapped[UUID | None] = mapped_column(ForeignKey("recording.id", ondelete="CASCADE"))
    sound_from_id: Mapped[UUID | None] = mapped_column(ForeignKey("recording.id", ondelete="CASCADE"), default=None)
    #: The new sound takes the place of a picture's own one.
    instead: Mapped[bool] = mapped_column(default=False, server_default="false")
    chosen: Mapped[list[str] | None] = mapped_column(JSONB(none_as_null=True), default=None)
    form: Mapped[str]
    file_name: Mapped[str | None] = mapped_column(default=None)
    created_at: Mapped[datetime] = mapped_column(server_default=func.clock_timestamp())
