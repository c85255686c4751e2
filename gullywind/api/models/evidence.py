"""What is asked for once, by whoever looks closer: versions, windows of proofs, match curves, single timings."""

from typing import Literal
from uuid import UUID

from pydantic import BaseModel

from gullywind.actions.hear.channel_levels import ChannelHolds
from gullywind.actions.place.place_by_timecode import CodedOffset
from gullywind.actions.words import doubling_words
from gullywind.core.bending.prove import bend_verdict
from gullywind.core.ground.frames import rate_name
from gullywind.core.measure.doubling import Doubling, DoublingKind
from gullywind.core.proof import Verdict, verdict_of
from gullywind.store.tables import ProofRow, VersionRow


class VersionOut(BaseModel):
    """One version of a recording: its pieces of knots `[t_ref, t_rec]`, s. It never changes."""

    id: UUID
    pieces: list[list[list[float]]]

    @classmethod
    def of(cls, row: VersionRow) -> "VersionOut":
        """From the stored row."""
        return cls(id=row.id, pieces=row.value.heard_map.to_json())


class WindowOut(BaseModel):
    """One dot of the trace, and what it says of the map."""

    t_ref: float
    lag_ms: float
    quality: float
    agreement: float
    verdict: Verdict


class ProofWindowsOut(BaseModel):
    """The windows of a proof, and the version that they were measured through."""

    map_id: UUID
    windows: list[WindowOut]

    @classmethod
    def of(cls, row: ProofRow, *, bent: bool) -> "ProofWindowsOut":
        """From the stored row; `bent`: it is the proof of a bend."""
        verdict = bend_verdict if bent else verdict_of
        windows = [
            WindowOut(t_ref=t, lag_ms=lag, quality=q, agreement=a, verdict=verdict(lag / 1e3, q))
            for t, lag, q, a in row.windows
        ]
        return cls(map_id=row.version_id, windows=windows)


class TimecodeOut(BaseModel):
    """What a recording says of its own time; `offset_s` is where it would lie by it, null where the reference has none.

    `agrees`: it lies there now, within a frame or two.
    """

    source: Literal["sound", "bwf", "track"]
    start: str
    rate: str
    offset_s: float | None
    agrees: bool

    @classmethod
    def of(cls, found: CodedOffset) -> "TimecodeOut":
        """From what was compared."""
        code = found.code
        return cls(
            source=code.source.value,
            start=code.start,
            rate=rate_name(code.counting.rate),
            offset_s=found.offset_s,
            agrees=found.agrees,
        )


class CurveOut(BaseModel):
    """The match curve: heights in robust standard deviations at `start_s + i * step_s`."""

    start_s: float
    step_s: float
    heights: list[float]


class TimingOut(BaseModel):
    """Timing measured anew at one moment: ms, positive is late; null where the sound there says nothing."""

    t_ref: float
    lag_ms: float | None
    quality: float


class DoublingOut(BaseModel):
    """What an ear makes of both together around a moment; `lag_ms` positive: the recording is late."""

    lag_ms: float
    kind: DoublingKind
    words: str

    @classmethod
    def of(cls, found: Doubling) -> "DoublingOut":
        """From the core value."""
        return cls(lag_ms=found.lag_s * 1e3, kind=found.kind, words=doubling_words(found))


class ChannelOut(BaseModel):
    """A channel, counted from 0: what it holds, and its level at evenly spread moments, dBFS."""

    channel: int
    holds: ChannelHolds
    levels_dbfs: list[float]


class DifferenceOut(BaseModel):
    """What the recording is multiplied by before it is taken from the reference, and how many dB of that cancel."""

    gain: float
    cancelled_db: float
