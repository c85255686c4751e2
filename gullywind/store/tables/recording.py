"""Recordings of a project, their versions, and what was measured of the current one."""

from __future__ import annotations

from datetime import datetime
from functools import cached_property
from typing import Any
from uuid import UUID, uuid4

from sqlalchemy import ForeignKey, func
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import Mapped, mapped_column, relationship

from gullywind.core.maps.sets import Member, Membership
from gullywind.core.maps.time_map import alike
from gullywind.core.maps.version import Version
from gullywind.store.tables.base import Base
from gullywind.store.tables.media import MediaRow
from gullywind.store.tables.placing import PlacingRow


class RecordingRow(Base):
    """A recording; `version_id` names what it is now, null where it has no place, `placing_id` what was judged."""

    __tablename__ = "recording"

    id: Mapped[UUID] = mapped_column(primary_key=True, default=uuid4)
    project_id: Mapped[UUID] = mapped_column(ForeignKey("project.id", ondelete="CASCADE"), index=True)
    content_hash: Mapped[str] = mapped_column(ForeignKey("media.content_hash"), index=True)
    name: Mapped[str]
    file_name: Mapped[str]
    version_id: Mapped[UUID | None] = mapped_column(
        ForeignKey("version.id", ondelete="SET NULL", use_alter=True), default=None, index=True
    )
    placing_id: Mapped[UUID | None] = mapped_column(
        ForeignKey("placing.id", ondelete="SET NULL", use_alter=True), default=None, index=True
    )
    #: Counts what was changed, so that nobody overwrites what they have not seen.
    version: Mapped[int] = mapped_column(default=1)
    #: A person said that it does not belong; true of it while it has no place.
    set_aside: Mapped[bool] = mapped_column(default=False)
    #: It is finished: nothing moves or changes it.
    locked: Mapped[bool] = mapped_column(default=False)
    #: The set that it belongs to, if any, and its place in it.
    membership: Mapped[dict[str, Any] | None] = mapped_column(JSONB(none_as_null=True), default=None)
    #: What a person wants to remember of it.
    remark: Mapped[str] = mapped_column(default="", server_default="")
    #: When it was taken out of the project, null while it is in it. Kept for a while, so that it can come back.
    removed_at: Mapped[datetime | None] = mapped_column(default=None)
    created_at: Mapped[datetime] = mapped_column(server_default=func.clock_timestamp())

    media: Mapped[MediaRow] = relationship(lazy="joined")
    current: Mapped[VersionRow | None] = relationship(foreign_keys=[version_id], post_update=True)
    placing: Mapped[PlacingRow | None] = relationship(foreign_keys=[placing_id], post_update=True)
    proof: Mapped[ProofRow | None] = relationship(uselist=False, passive_deletes=True)

    @property
    def member(self) -> Member | None:
        """As a member of its set; None where it is in none, or not listened to yet."""
        if self.membership is None or self.media.duration_s is None:
            return None
        return Member(Membership.from_json(self.membership), self.media.duration_s)

    @property
    def is_untouched(self) -> bool:
        """Whether nobody has changed or chosen anything since the program judged."""
        made = self.placing.version_id if self.placing else None
        return made is not None and made == self.version_id

    @property
    def is_bent(self) -> bool:
        """Whether it follows the reference by ties, as another performance."""
        return self.current is not None and self.current.value.bending is not None

    @property
    def is_set_aside(self) -> bool:
        """Whether it does not belong, as a person said, and nobody has given it a place since."""
        return self.set_aside and self.version_id is None

    @property
    def is_as_judged(self) -> bool:
        """Whether the recording lies where the program found it, perhaps after some changes were taken back."""
        if self.is_untouched:
            return True
        judged = self.placing.judged if self.placing else None
        return judged is not None and self.current is not None and alike(judged.time_map, self.current.value.time_map)

    @property
    def current_proof(self) -> ProofRow | None:
        """The proof of the current version; None where it is not measured yet."""
        return self.proof if self.proof and self.proof.version_id == self.version_id else None


class VersionRow(Base):
    """One version of a recording, with a sentence that says what made it. Never changed."""

    __tablename__ = "version"

    id: Mapped[UUID] = mapped_column(primary_key=True, default=uuid4)
    recording_id: Mapped[UUID] = mapped_column(ForeignKey("recording.id", ondelete="CASCADE"), index=True)
    sentence: Mapped[str]
    stored: Mapped[dict[str, Any]] = mapped_column(JSONB)
    created_at: Mapped[datetime] = mapped_column(server_default=func.clock_timestamp())

    @classmethod
    def of(cls, recording_id: UUID, version: Version, sentence: str) -> VersionRow:
        """From the core value."""
        row = cls(id=uuid4(), recording_id=recording_id, sentence=sentence, stored=version.to_json())
        row.__dict__["value"] = version
        return row

    @cached_property
    def value(self) -> Version:
        """As core value; a version never changes, so it is made once."""
        return Version.from_json(self.stored)


class ProofRow(Base):
    """The newest proof of a recording: what is left over, measured from the sound rendered through one version.

    `windows` are `[t_ref in s, lag in ms, quality, agreement]`; `residual` is null where nothing was clear enough.
    """

    __tablename__ = "proof"

    recording_id: Mapped[UUID] = mapped_column(ForeignKey("recording.id", ondelete="CASCADE"), primary_key=True)
    version_id: Mapped[UUID] = mapped_column(ForeignKey("version.id", ondelete="CASCADE"), index=True)
    residual: Mapped[dict[str, Any] | None] = mapped_column(JSONB)
    #: Only who draws or prints them asks for them, one recording at a time.
    windows: Mapped[list[Any]] = mapped_column(JSONB, deferred=True)
    window_s: Mapped[float]
