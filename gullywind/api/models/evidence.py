"""What is asked for once, by whoever looks closer: versions, windows of proofs, match curves, single timings."""

from uuid import UUID

from pydantic import BaseModel

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
    def of(cls, row: ProofRow) -> "ProofWindowsOut":
        """From the stored row."""
        windows = [
            WindowOut(t_ref=t, lag_ms=lag, quality=q, agreement=a, verdict=verdict_of(lag / 1e3, q))
            for t, lag, q, a in row.windows
        ]
        return cls(map_id=row.version_id, windows=windows)


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
