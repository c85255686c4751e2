"""The time map: strictly rising, piecewise-linear tie between reference time and recording time, in s.

Conventions: `t_ref` 0 is the reference's first sample, `t_rec` 0 the recording's. A placement is the simplest map,
`t_rec = rate * (t_ref - offset_s)`. Everything that draws, plays, renders or exports reads a `TimeMap`.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from gullywind.core.ground.errors import InputError
from gullywind.core.ground.units import Floats

Knot = tuple[float, float]
#: Two places that the search offers lie further apart than this.
SAME_PLACE_S = 0.02
#: Characters of what was refused that an error shows.
MOST_TOLD = 120


class Piece:
    """Unbroken stretch of a time map, linear between its knots; ten thousand are as quick to ask as two.

    Attributes
    ----------
    t_ref, t_rec : shape (knots,), s, read-only. Strictly ascending, 2 or more.
    """

    __slots__ = ("_hash", "t_rec", "t_ref")
    t_ref: Floats
    t_rec: Floats

    def __init__(self, knots: Sequence[Sequence[float]] | Floats) -> None:
        """`knots`: pairs `(t_ref, t_rec)`, s; raises `InputError` where they do not ascend."""
        # Plus 0: the negative zero is equal to the other, and would be another key.
        pairs = np.array(knots, dtype=np.float64) + 0.0
        # "not all > 0" refuses NaN as well; "any <= 0" would let it through.
        ascend = pairs.ndim == 2 and pairs.shape[0] >= 2 and pairs.shape[1] == 2
        steps = np.diff(pairs, axis=0) if ascend else np.zeros(0)
        if not ascend or not np.all(steps > 0) or not np.all(np.isfinite(steps)):
            raise InputError(f"knots must be 2 or more, strictly ascending in both times, got {_few(knots)}")
        self.t_ref, self.t_rec = (np.ascontiguousarray(column) for column in pairs.T)
        for column in (self.t_ref, self.t_rec):
            column.setflags(write=False)
        self._hash = hash((self.t_ref.tobytes(), self.t_rec.tobytes()))

    def __eq__(self, other: object) -> bool:
        """Equal where every knot is, to the last bit."""
        if not isinstance(other, Piece):
            return NotImplemented
        return np.array_equal(self.t_ref, other.t_ref) and np.array_equal(self.t_rec, other.t_rec)

    def __hash__(self) -> int:
        """Made once: rendered stretches are kept by their piece."""
        return self._hash

    def __repr__(self) -> str:
        """Its first and last knots."""
        return f"Piece({_few(self.knots)})"

    @property
    def knots(self) -> tuple[Knot, ...]:
        """All knots as pairs `(t_ref, t_rec)`, s; for few of them."""
        return tuple(zip(self.t_ref.tolist(), self.t_rec.tolist(), strict=True))

    @property
    def is_straight(self) -> bool:
        """Whether it has one rate, with no knots between its ends."""
        return self.t_ref.size == 2

    @property
    def start(self) -> Knot:
        """First knot `(t_ref, t_rec)`, s."""
        return float(self.t_ref[0]), float(self.t_rec[0])

    @property
    def end_exclusive(self) -> Knot:
        """Last knot `(t_ref, t_rec)`, s."""
        return float(self.t_ref[-1]), float(self.t_rec[-1])

    @property
    def rate(self) -> float:
        """Recording seconds per reference second, over the whole piece."""
        (ref0, rec0), (ref1, rec1) = self.start, self.end_exclusive
        return (rec1 - rec0) / (ref1 - ref0)

    def to_recording(self, t_ref: Floats) -> Floats:
        """Recording times in s, same shape as `t_ref`; NaN outside the piece."""
        return np.asarray(np.interp(t_ref, self.t_ref, self.t_rec, left=np.nan, right=np.nan))

    def to_reference(self, t_rec: Floats) -> Floats:
        """Reference times in s, same shape as `t_rec`; NaN outside the piece."""
        return np.asarray(np.interp(t_rec, self.t_rec, self.t_ref, left=np.nan, right=np.nan))

    def along(self, t_ref: Floats) -> Floats:
        """Recording times in s, same shape as `t_ref`; beyond its ends the piece runs on straight."""
        return extrapolated(t_ref, self.t_ref, self.t_rec)

    def reference_along(self, t_rec: Floats) -> Floats:
        """Inverse of `along`."""
        return extrapolated(t_rec, self.t_rec, self.t_ref)

    def starting(self, t_ref: float) -> Piece:
        """Cut off, or run back, so that it starts at a reference time before its end; its sound stays where it is."""
        first = np.array([[t_ref, float(self.along(np.array([t_ref]))[0])]])
        kept = 1 + int(np.searchsorted(self.t_ref[1:], t_ref, side="right"))
        return Piece(np.concatenate([first, self._pairs(kept, None)]))

    def ending(self, t_ref: float) -> Piece:
        """Cut off, or run on, so that it ends at a reference time after its start; its sound stays where it is."""
        last = np.array([[t_ref, float(self.along(np.array([t_ref]))[0])]])
        kept = int(np.searchsorted(self.t_ref[:-1], t_ref, side="left"))
        return Piece(np.concatenate([self._pairs(0, kept), last]))

    def shifted(self, by_s: float) -> Piece:
        """The same piece, `by_s` later in reference time."""
        return Piece(np.stack([self.t_ref + by_s, self.t_rec], axis=1))

    def followed_by(self, after: Piece, *, keep_knot: bool) -> Piece:
        """Both as one, where they meet; `keep_knot`: the place where they do stays a knot."""
        return Piece(np.concatenate([self._pairs(0, None if keep_knot else -1), after._pairs(1, None)]))

    def stretched(self, hold_s: float, factor: float) -> Piece:
        """All reference times `factor` times as far from `hold_s`."""
        return Piece(np.stack([hold_s + (self.t_ref - hold_s) * factor, self.t_rec], axis=1))

    def _pairs(self, first: int, stop: int | None) -> Floats:
        return np.stack([self.t_ref[first:stop], self.t_rec[first:stop]], axis=1)


@dataclass(frozen=True, slots=True)
class TimeMap:
    """All pieces of a recording, ascending in both times; reference time that no piece covers is silence.

    Pieces may overlap in reference time (the join is crossfaded there), never in recording time. How sound is made of
    it stands apart, in `Sounding`.
    """

    pieces: tuple[Piece, ...]

    def __post_init__(self) -> None:
        if not self.pieces:
            raise InputError("a time map needs at least one piece, got none")
        for before, after in zip(self.pieces, self.pieces[1:], strict=False):
            if not (after.start[0] > before.start[0] and after.start[1] >= before.end_exclusive[1]):
                raise InputError(f"pieces must follow each other in both times, got {before} then {after}")

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
        return TimeMap(tuple(piece.shifted(by_s) for piece in self.pieces))

    def moved_to(self, offset_s: float) -> TimeMap:
        """The whole recording moved so that it starts at `offset_s`; exact for a single piece."""
        ref0 = self.pieces[0].start[0]
        start = offset_s + (ref0 - self.offset_s)
        return TimeMap(tuple(Piece(np.stack([start + (p.t_ref - ref0), p.t_rec], axis=1)) for p in self.pieces))

    def to_json(self) -> list[list[list[float]]]:
        """Pieces as lists of `[t_ref, t_rec]`; doubles survive JSON exactly (shortest round-trip form)."""
        return [[[t_ref, t_rec] for t_ref, t_rec in piece.knots] for piece in self.pieces]

    @classmethod
    def from_json(cls, pieces: Sequence[Sequence[Sequence[float]]]) -> TimeMap:
        """Inverse of `to_json`; raises `InputError` for anything that is not a valid map."""
        try:
            return cls(tuple(Piece(knots) for knots in pieces))
        except (TypeError, ValueError) as error:
            if isinstance(error, InputError):
                raise
            raise InputError(f"pieces must be lists of [t_ref, t_rec], got {_few(pieces)}") from error


def extrapolated(x: Floats, knots_x: Floats, knots_y: Floats) -> Floats:
    """Linear between knots as `numpy.interp`, and straight on beyond them; same shape as `x`."""
    slopes = np.diff(knots_y) / np.diff(knots_x)
    k = np.clip(np.searchsorted(knots_x, x) - 1, 0, slopes.size - 1)
    return np.asarray(knots_y[k] + slopes[k] * (x - knots_x[k]))


def alike(one: TimeMap, other: TimeMap) -> bool:
    """Whether two maps say the same, but for roundings of up to 0.1 µs."""
    if [piece.t_ref.size for piece in one.pieces] != [piece.t_ref.size for piece in other.pieces]:
        return False
    pairs = zip(one.pieces, other.pieces, strict=True)
    return all(
        np.allclose(a.t_ref, b.t_ref, rtol=0, atol=1e-7) and np.allclose(a.t_rec, b.t_rec, rtol=0, atol=1e-7)
        for a, b in pairs
    )


def gap_between(before: Piece, after: Piece) -> float:
    """Reference time that neither of two neighbours covers, s; below 0 where they overlap."""
    return after.start[0] - before.end_exclusive[0]


def jump_between(before: Piece, after: Piece) -> float:
    """How much later in reference time, s, the second piece lies than the first one's line would have it.

    Positive: the recorder paused; negative: it recorded too much; 0: nothing was lost, wherever the cut is.
    """
    (ref0, rec0), (ref1, rec1) = before.end_exclusive, after.start
    return (ref1 - ref0) - (rec1 - rec0) / before.rate


def _few(values: object) -> str:
    """The beginning of what was given, for a sentence: there may be thousands."""
    told = repr(values)
    return told if len(told) <= MOST_TOLD else f"{told[:MOST_TOLD]}…"
