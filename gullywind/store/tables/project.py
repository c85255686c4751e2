"""Projects: one event or part, its recordings, its reference."""

from __future__ import annotations

from datetime import datetime
from uuid import UUID, uuid4

from sqlalchemy import ForeignKey, func
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import Mapped, mapped_column

from gullywind.store.tables.base import Base


class ProjectRow(Base):
    """A project."""

    __tablename__ = "project"
    id: Mapped[UUID] = mapped_column(primary_key=True, default=uuid4)
    name: Mapped[str]
    #: As a fraction: `25`, `30000/1001`.
    frame_rate: Mapped[str] = mapped_column(default="25")
    reference_id: Mapped[UUID | None] = mapped_column(
        ForeignKey("recording.id", ondelete="SET NULL", use_alter=True), default=None
    )
    #: Sets that were offered and are none, as a person said: lists of recordings' ids.
    refused_sets: Mapped[list[list[str]]] = mapped_column(JSONB, default=list)
    version: Mapped[int] = mapped_column(default=1)
    created_at: Mapped[datetime] = mapped_column(server_default=func.now())

    __mapper_args__ = {"version_id_col": version}  # noqa: RUF012
