"""The bend of a recording: its ties, what became of each, and how far each stretch between them is bent."""

from typing import Literal

import numpy as np
from pydantic import BaseModel

from gullywind.actions.edit.bend_recording import BendNow
from gullywind.core.ground.words import clock_time
from gullywind.core.maps.bending import TOLD_GIVEN_UP_S


class TieOut(BaseModel):
    """A tie: moments in s, `late_ms` how late it is performed against the plain place, `lies_s` where it is heard.

    `followed`: it acts. `given_up_ms` is how far the limit keeps it from where it would lie.
    """

    t_ref: float
    t_rec: float
    kind: Literal["start", "opening", "end"]
    certainty: float
    closeness: float | None
    held: bool
    followed: bool
    late_ms: float
    moved_ms: float
    given_up_ms: float
    lies_s: float


class StretchOut(BaseModel):
    """A stretch between two ties, reference time in s: `percent` longer (above 0) or shorter than it was performed."""

    start_s: float
    end_s: float
    percent: float
    by_ms: float


class CutOut(BaseModel):
    """Where something had to be left out, or left open, reference time in s."""

    t_ref: float
    too_long_ms: float


class BendOut(BaseModel):
    """How a recording is bent. `offset_s` is its plain place; the limit stands in per cent."""

    offset_s: float
    closeness: float
    leave_below_ms: float
    limit_percent: float
    ends: bool
    least_certainty: float
    ties: list[TieOut]
    stretches: list[StretchOut]
    cuts: list[CutOut]
    words: str

    @classmethod
    def of(cls, found: BendNow) -> "BendOut":
        """From the core values."""
        bending, made = found.bending, found.made
        t_rec = np.array([tie.t_rec for tie in bending.ties], np.float64)
        lies = made.time_map.to_reference(t_rec)
        ties = [
            TieOut(
                t_ref=tie.t_ref,
                t_rec=tie.t_rec,
                kind=tie.kind.value,
                certainty=tie.certainty,
                closeness=tie.closeness,
                held=tie.held,
                followed=bool(np.isfinite(given_up)),
                late_ms=(tie.t_rec + bending.offset_s - tie.t_ref) * 1e3,
                moved_ms=moved * 1e3,
                given_up_ms=given_up * 1e3 if np.isfinite(given_up) else 0.0,
                lies_s=float(there) if np.isfinite(there) else tie.t_rec + bending.offset_s,
            )
            for tie, moved, given_up, there in zip(
                bending.ties, made.moved_s, made.given_up_s, lies.tolist(), strict=True
            )
        ]
        stretches = [
            StretchOut(
                start_s=start, end_s=end, percent=((end - start) / rec - 1) * 100, by_ms=(end - start - rec) * 1e3
            )
            for piece in made.time_map.pieces
            for start, end, rec in zip(
                piece.t_ref[:-1].tolist(), piece.t_ref[1:].tolist(), np.diff(piece.t_rec).tolist(), strict=True
            )
        ]
        settings = bending.settings
        return cls(
            offset_s=bending.offset_s,
            closeness=settings.closeness,
            leave_below_ms=settings.leave_below_s * 1e3,
            limit_percent=settings.limit * 100,
            ends=settings.ends,
            least_certainty=settings.least_certainty,
            ties=ties,
            stretches=stretches,
            cuts=[CutOut(t_ref=one.t_ref, too_long_ms=one.too_long_s * 1e3) for one in made.joints],
            words=_words(ties, len(made.joints)),
        )


def _words(ties: list[TieOut], cuts: int) -> str:
    """What the limit keeps back, and how often it had to be cut."""
    kept = [tie for tie in ties if abs(tie.given_up_ms) > TOLD_GIVEN_UP_S * 1e3]
    parts = []
    if kept:
        worst = max(kept, key=lambda tie: abs(tie.given_up_ms))
        parts.append(
            f"The limit keeps {len(kept)} ties from where they would lie, the one at {clock_time(worst.t_ref)} by "
            f"{abs(worst.given_up_ms):.0f} ms."
        )
    if cuts:
        parts.append(f"Cut in {cuts} places, where the two do not correspond." if cuts > 1 else "Cut in one place.")
    return " ".join(parts)
