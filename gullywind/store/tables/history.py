"""What was done to a project: changes, each of one or several recordings, in their order."""

from __future__ import annotations

from datetime import datetime
from typing import Any
from uuid import UUID, uuid4

from sqlalchemy import CheckConstraint, ForeignKey, Index, UniqueConstraint, func
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import Mapped, mapped_column, relationship

from gullywind.store.tables.base import Base
from gullywind.store.tables.recording import VersionRow


class ChangeRow(Base):
    """One thing that was done; `applied` is false once it was taken back.

    Of the changes that touch a recording the applied ones come first: what was taken back is dropped where a new change
    touches the same recording. A change of the reference touches all.
    """

    __tablename__ = "change"
    __table_args__ = (
        UniqueConstraint("project_id", "number"),
        CheckConstraint("number > 0", name="number"),
        # Few of many: they are asked for with every edit.
        Index("ix_change_taken_back", "project_id", "number", postgresql_where="NOT applied"),
        Index("ix_change_reference", "project_id", "number", postgresql_where="moves_reference"),
    )

    id: Mapped[UUID] = mapped_column(primary_key=True, default=uuid4)
    project_id: Mapped[UUID] = mapped_column(ForeignKey("project.id", ondelete="CASCADE"))
    number: Mapped[int]
    sentence: Mapped[str]
    applied: Mapped[bool] = mapped_column(default=True)
    moves_reference: Mapped[bool] = mapped_column(default=False)
    reference_before_id: Mapped[UUID | None] = mapped_column(ForeignKey("recording.id", ondelete="SET NULL"))
    reference_after_id: Mapped[UUID | None] = mapped_column(ForeignKey("recording.id", ondelete="SET NULL"))
    created_at: Mapped[datetime] = mapped_column(server_default=func.clock_timestamp())

    parts: Mapped[list[ChangePartRow]] = relationship(passive_deletes=True)


class ChangePartRow(Base):
    """What a change did to one recording: its version before and after, null: no place.

    `moves_set`: it also joined or left a set, or moved within it. `removes`: it was taken out of the project.
    """

    __tablename__ = "change_part"

    change_id: Mapped[UUID] = mapped_column(ForeignKey("change.id", ondelete="CASCADE"), primary_key=True)
    recording_id: Mapped[UUID] = mapped_column(
        ForeignKey("recording.id", ondelete="CASCADE"), primary_key=True, index=True
    )
    before_id: Mapped[UUID | None] = mapped_column(ForeignKey("version.id"), index=True)
    after_id: Mapped[UUID | None] = mapped_column(ForeignKey("version.id"), index=True)
    moves_set: Mapped[bool] = mapped_column(default=False)
    removes: Mapped[bool] = mapped_column(default=False, server_default="false")
    set_before: Mapped[dict[str, Any] | None] = mapped_column(JSONB(none_as_null=True), default=None)
    set_after: Mapped[dict[str, Any] | None] = mapped_column(JSONB(none_as_null=True), default=None)

    after: Mapped[VersionRow | None] = relationship(foreign_keys=[after_id])
