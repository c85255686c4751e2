"""The time map: strictly rising, piecewise-linear tie between reference time and recording time, in s.

Conventions: `t_ref` 0 is the reference's first sample, `t_rec` 0 the recording's. A placement is the simplest map,
`t_rec = rate * (t_ref - offset_s)`. Everything that draws, plays, renders or exports reads a `TimeMap`.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from enum import StrEnum

import numpy as np

from gullywind.core.ground.errors import InputError
from gullywind.core.ground.units import Floats

Knot = tuple[float, float]
#: Two places that the search offers lie further apart than this.
SAME_PLACE_S = 0.02


class Gaps(StrEnum):
    """What is heard where the recording has a gap between two pieces."""

    SILENT = "silent"
    ROOM_TONE = "room-tone"  #: the quietest stretch of the recording beside the gap


class Pitch(StrEnum):
    """What happens to the pitch where a slope is further than 0.5 % from 1."""

    SENSIBLE = "sensible"  #: follows a wrong header or film speed, is kept through any other bend
    FOLLOWS = "follows"
    KEPT = "kept"


@dataclass(frozen=True, slots=True)
class Piece:
    """Unbroken stretch of a time map: knots `(t_ref, t_rec)` in s, strictly ascending, linear between."""

    knots: tuple[Knot, ...]

    def __post_init__(self) -> None:
        # "not all > 0" refuses NaN as well; "any <= 0" would let it through.
        steps = np.diff(np.asarray(self.knots, dtype=float), axis=0) if len(self.knots) > 1 else np.zeros(0)
        if len(self.knots) < 2 or not np.all(steps > 0) or not np.all(np.isfinite(steps)):
            raise InputError(f"knots must be 2 or more, strictly ascending in both times, got {self.knots}")

    @property
    def start(self) -> Knot:
        """First knot `(t_ref, t_rec)`, s."""
        return self.knots[0]

    @property
    def end_exclusive(self) -> Knot:
        """Last knot `(t_ref, t_rec)`, s."""
        return self.knots[-1]

    @property
    def rate(self) -> float:
        """Recording seconds per reference second, over the whole piece."""
        (ref0, rec0), (ref1, rec1) = self.start, self.end_exclusive
        return (rec1 - rec0) / (ref1 - ref0)

    def to_recording(self, t_ref: Floats) -> Floats:
        """Recording times in s, same shape as `t_ref`; NaN outside the piece."""
        ref, rec = np.array(self.knots).T
        return np.asarray(np.interp(t_ref, ref, rec, left=np.nan, right=np.nan))

    def to_reference(self, t_rec: Floats) -> Floats:
        """Reference times in s, same shape as `t_rec`; NaN outside the piece."""
        ref, rec = np.array(self.knots).T
        return np.asarray(np.interp(t_rec, rec, ref, left=np.nan, right=np.nan))

    def along(self, t_ref: Floats) -> Floats:
        """Recording times in s, same shape as `t_ref`; beyond its ends the piece runs on straight."""
        ref, rec = np.array(self.knots).T
        return extrapolated(t_ref, ref, rec)

    def reference_along(self, t_rec: Floats) -> Floats:
        """Inverse of `along`."""
        ref, rec = np.array(self.knots).T
        return extrapolated(t_rec, rec, ref)

    def starting(self, t_ref: float) -> Piece:
        """Cut off, or run back, so that it starts at a reference time before its end; its sound stays where it is."""
        first = (t_ref, float(self.along(np.array([t_ref]))[0]))
        return Piece((first, *(knot for knot in self.knots[1:] if knot[0] > t_ref)))

    def ending(self, t_ref: float) -> Piece:
        """Cut off, or run on, so that it ends at a reference time after its start; its sound stays where it is."""
        last = (t_ref, float(self.along(np.array([t_ref]))[0]))
        return Piece((*(knot for knot in self.knots[:-1] if knot[0] < t_ref), last))

    def shifted(self, by_s: float) -> Piece:
        """The same piece, `by_s` later in reference time."""
        return Piece(tuple((t_ref + by_s, t_rec) for t_ref, t_rec in self.knots))


@dataclass(frozen=True, slots=True)
class TimeMap:
    """All pieces of a recording, ascending in both times; reference time that no piece covers is silence.

    Pieces may overlap in reference time (the join is crossfaded there), never in recording time. `gaps`, `pitch` and
    `polarity` (1, or -1 where the sound is inverted) say how sound is made of it.
    """

    pieces: tuple[Piece, ...]
    gaps: Gaps = Gaps.SILENT
    pitch: Pitch = Pitch.SENSIBLE
    polarity: int = 1

    def __post_init__(self) -> None:
        if not self.pieces:
            raise InputError("a time map needs at least one piece, got none")
        if self.polarity not in (1, -1):
            raise InputError(f"polarity must be 1 or -1, got {self.polarity}")
        for before, after in zip(self.pieces, self.pieces[1:], strict=False):
            if not (after.start[0] > before.start[0] and after.start[1] >= before.end_exclusive[1]):
                raise InputError(f"pieces must follow each other in both times, got {before.knots} then {after.knots}")

    @classmethod
    def placement(cls, offset_s: float, rate: float, duration_s: float) -> TimeMap:
        """Map of one piece at a constant rate.

        Parameters
        ----------
        offset_s : s. Reference time of the recording's first sample.
        rate : > 0. Recording seconds per reference second.
        duration_s : > 0, s. The recording's length by its own clock.
        """
        if not (np.isfinite(offset_s) and np.isfinite(rate) and rate > 0 and duration_s > 0):
            raise InputError(
                f"needs a finite offset, a rate and a duration above 0, got {offset_s}, {rate}, {duration_s}"
            )
        return cls((Piece(((offset_s, 0.0), (offset_s + duration_s / rate, duration_s))),))

    @property
    def rate(self) -> float:
        """Recording seconds per reference second, over the whole first piece."""
        return self.pieces[0].rate

    @property
    def offset_s(self) -> float:
        """Reference time in s at which recording time 0 falls, along the first piece."""
        ref0, rec0 = self.pieces[0].start
        return ref0 - rec0 / self.rate if rec0 else ref0

    @property
    def clock_ppm(self) -> float:
        """Clock error in parts per million; positive: the recorder runs fast."""
        return (self.rate - 1.0) * 1e6

    def lies_at(self, offset_s: float) -> bool:
        """Whether this is, but for an adjustment, the place with that offset."""
        return abs(self.offset_s - offset_s) < SAME_PLACE_S

    @property
    def start_ref_s(self) -> float:
        """First covered reference time, s."""
        return self.pieces[0].start[0]

    @property
    def end_ref_s_exclusive(self) -> float:
        """End of the covered reference time, s."""
        return max(piece.end_exclusive[0] for piece in self.pieces)

    def to_recording(self, t_ref: Floats) -> Floats:
        """Recording times in s, same shape as `t_ref`; NaN where no piece covers; the later piece wins an overlap."""
        t_rec = np.full(np.shape(t_ref), np.nan)
        for piece in self.pieces:
            there = piece.to_recording(t_ref)
            t_rec = np.where(np.isnan(there), t_rec, there)
        return t_rec

    def to_reference(self, t_rec: Floats) -> Floats:
        """Reference times in s, same shape as `t_rec`; NaN where no piece covers."""
        t_ref = np.full(np.shape(t_rec), np.nan)
        for piece in self.pieces:
            there = piece.to_reference(t_rec)
            t_ref = np.where(np.isnan(there), t_ref, there)
        return t_ref

    def shifted(self, by_s: float) -> TimeMap:
        """The whole recording `by_s` later in reference time (composition with an offset)."""
        return replace(self, pieces=tuple(piece.shifted(by_s) for piece in self.pieces))

    def moved_to(self, offset_s: float) -> TimeMap:
        """The whole recording moved so that it starts at `offset_s`; exact for a single piece."""
        ref0 = self.pieces[0].start[0]
        start = offset_s + (ref0 - self.offset_s)
        pieces = tuple(Piece(tuple((start + (t_ref - ref0), t_rec) for t_ref, t_rec in p.knots)) for p in self.pieces)
        return replace(self, pieces=pieces)

    def to_json(self) -> list[list[list[float]]]:
        """Pieces as lists of `[t_ref, t_rec]`; doubles survive JSON exactly (shortest round-trip form)."""
        return [[[t_ref, t_rec] for t_ref, t_rec in piece.knots] for piece in self.pieces]

    @classmethod
    def from_json(cls, pieces: Sequence[Sequence[Sequence[float]]]) -> TimeMap:
        """Inverse of `to_json`; raises `InputError` for anything that is not a valid map."""
        try:
            return cls(tuple(Piece(tuple((float(ref), float(rec)) for ref, rec in knots)) for knots in pieces))
        except (TypeError, ValueError) as error:
            if isinstance(error, InputError):
                raise
            raise InputError(f"pieces must be lists of [t_ref, t_rec], got {pieces!r}") from error


def extrapolated(x: Floats, knots_x: Floats, knots_y: Floats) -> Floats:
    """Linear between knots as `numpy.interp`, and straight on beyond them; same shape as `x`."""
    slopes = np.diff(knots_y) / np.diff(knots_x)
    k = np.clip(np.searchsorted(knots_x, x) - 1, 0, slopes.size - 1)
    return np.asarray(knots_y[k] + slopes[k] * (x - knots_x[k]))


def alike(one: TimeMap, other: TimeMap) -> bool:
    """Whether two maps say the same, but for roundings of up to 0.1 µs."""
    if [len(piece.knots) for piece in one.pieces] != [len(piece.knots) for piece in other.pieces]:
        return False
    pairs = zip(one.pieces, other.pieces, strict=True)
    return all(np.allclose(a.knots, b.knots, rtol=0, atol=1e-7) for a, b in pairs)


def gap_between(before: Piece, after: Piece) -> float:
    """Reference time that neither of two neighbours covers, s; below 0 where they overlap."""
    return after.start[0] - before.end_exclusive[0]


def jump_between(before: Piece, after: Piece) -> float:
    """How much later in reference time, s, the second piece lies than the first one's line would have it.

    Positive: the recorder paused; negative: it recorded too much; 0: nothing was lost, wherever the cut is.
    """
    (ref0, rec0), (ref1, rec1) = before.end_exclusive, after.start
    return (ref1 - ref0) - (rec1 - rec0) / before.rate
