"""Media: files named by their content, with the facts of each."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import asdict
from enum import StrEnum
from fractions import Fraction
from typing import Any

from sqlalchemy import BigInteger, CheckConstraint
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import Mapped, mapped_column

from gullywind.core.features.claps import Clap
from gullywind.core.features.linear_timecode import TimecodeRun
from gullywind.core.sound.facts import Gap, GapKind, MediaFacts
from gullywind.core.sound.views import sounding_channels
from gullywind.store.tables.base import Base


class MediaState(StrEnum):
    """How far a file has been listened to."""

    WAITING = "waiting"
    #: A person stopped it; it is done when the recording is needed, or asked for again.
    STOPPED = "stopped"
    READY = "ready"
    FAILED = "failed"


class MediaRow(Base):
    """One stored file; the facts are null until it has been listened to."""

    __tablename__ = "media"
    __table_args__ = (CheckConstraint("size_bytes >= 0", name="size"),)

    content_hash: Mapped[str] = mapped_column(primary_key=True)
    size_bytes: Mapped[int] = mapped_column(BigInteger)
    state: Mapped[str] = mapped_column(default=MediaState.WAITING)
    reason: Mapped[str | None] = mapped_column(default=None)
    container: Mapped[str | None] = mapped_column(default=None)
    codec: Mapped[str | None] = mapped_column(default=None)
    sample_rate_hz: Mapped[int | None] = mapped_column(default=None)
    channels: Mapped[int | None] = mapped_column(default=None)
    samples: Mapped[int | None] = mapped_column(BigInteger, default=None)
    bits: Mapped[int | None] = mapped_column(default=None)
    is_float: Mapped[bool] = mapped_column(default=False)
    timecode: Mapped[str | None] = mapped_column(default=None)
    time_reference_samples: Mapped[int | None] = mapped_column(BigInteger, default=None)
    frame_rate: Mapped[str | None] = mapped_column(default=None)
    truncated: Mapped[bool] = mapped_column(default=False)
    gaps: Mapped[list[dict[str, Any]]] = mapped_column(JSONB, default=list)
    picture_start_s: Mapped[float | None] = mapped_column(default=None)
    peak_dbfs: Mapped[float | None] = mapped_column(default=None)
    loudness_lufs: Mapped[float | None] = mapped_column(default=None)
    true_peak_dbtp: Mapped[float | None] = mapped_column(default=None)
    clipped_samples: Mapped[int] = mapped_column(default=0)
    silent: Mapped[bool] = mapped_column(default=False)
    timecode_rate: Mapped[str | None] = mapped_column(default=None)
    timecode_drop: Mapped[bool] = mapped_column(default=False)
    #: Linear timecode that was heard; null where nobody listened for it yet, as of `claps`.
    timecode_runs: Mapped[list[dict[str, Any]] | None] = mapped_column(JSONB, default=None)
    #: Sharp sounds, `[t_rec in s, certainty]`. There may be hundreds, and few ask for them.
    claps: Mapped[list[list[float]] | None] = mapped_column(JSONB, default=None, deferred=True)

    def set_facts(self, facts: MediaFacts) -> None:
        """Take over what the file says of itself."""
        for name in (
            "container",
            "codec",
            "sample_rate_hz",
            "channels",
            "samples",
            "bits",
            "is_float",
            "timecode",
            "time_reference_samples",
            "truncated",
            "picture_start_s",
            "timecode_drop",
        ):
            setattr(self, name, getattr(facts, name))
        self.frame_rate = str(facts.frame_rate) if facts.frame_rate else None
        self.timecode_rate = str(facts.timecode_rate) if facts.timecode_rate else None
        self.gaps = [asdict(gap) for gap in facts.gaps]

    def set_heard(self, claps: Sequence[Clap], runs: Sequence[TimecodeRun]) -> None:
        """Take over what was heard in it."""
        self.claps = [[one.t_rec, one.certainty] for one in claps]
        self.timecode_runs = [run.to_json() for run in runs]

    def to_facts(self) -> MediaFacts:
        """As core value; the row must be ready."""
        assert self.sample_rate_hz and self.channels and self.samples is not None
        return MediaFacts(
            container=self.container or "",
            codec=self.codec or "",
            sample_rate_hz=self.sample_rate_hz,
            channels=self.channels,
            samples=self.samples,
            bits=self.bits,
            is_float=self.is_float,
            size_bytes=self.size_bytes,
            timecode=self.timecode,
            time_reference_samples=self.time_reference_samples,
            frame_rate=Fraction(self.frame_rate) if self.frame_rate else None,
            truncated=self.truncated,
            gaps=tuple(Gap(one["start_s"], one["duration_s"], GapKind(one["kind"])) for one in self.gaps),
            picture_start_s=self.picture_start_s,
            timecode_rate=Fraction(self.timecode_rate) if self.timecode_rate else None,
            timecode_drop=self.timecode_drop,
        )

    @property
    def sounding_channels(self) -> tuple[int, ...] | None:
        """Channels that hold sound beside others that hold timecode; None for all."""
        return sounding_channels(self.channels or 1, {run["channel"] for run in self.timecode_runs or ()})

    @property
    def duration_s(self) -> float | None:
        """Length in s, None until known."""
        return self.samples / self.sample_rate_hz if self.samples is not None and self.sample_rate_hz else None
