"""Edits of a whole time map by hand: each is a value that makes a new map and a sentence that says what was done.

Edits of single pieces are in `piece_edits`. Times in s.
"""

from dataclasses import dataclass
from typing import Protocol

import numpy as np

from gullywind.core.ground.errors import InputError
from gullywind.core.ground.words import clock_time, clock_words, later, to_the_millisecond
from gullywind.core.maps.time_map import Piece, TimeMap

#: Nobody means a day: such a number is a slip of the keyboard.
MOST_OFFSET_S = 86400.0
#: Rates beyond this are no clock and no film speed.
LEAST_RATE, MOST_RATE = 0.25, 4.0
#: Two moments nearer than this cannot tell a clock.
LEAST_HOLD_S = 0.5


@dataclass(frozen=True, slots=True)
class Edited:
    """The new map and the sentence for the history."""

    time_map: TimeMap
    sentence: str


class MapEdit(Protocol):
    """Something that a person does to a map."""

    def apply(self, time_map: TimeMap) -> Edited:
        """The new map; raises `InputError` where it cannot be done."""
        ...


@dataclass(frozen=True, slots=True)
class Nudge:
    """The whole recording later (positive) or earlier."""

    by_s: float

    def apply(self, time_map: TimeMap) -> Edited:
        """Shift all pieces."""
        if not np.isfinite(self.by_s) or self.by_s == 0 or abs(self.by_s) > MOST_OFFSET_S:
            raise InputError(f"A nudge must be a time other than 0 within a day, got {self.by_s} s.")
        return Edited(time_map.shifted(self.by_s), f"moved {later(self.by_s)}")


@dataclass(frozen=True, slots=True)
class MoveTo:
    """The whole recording so that it starts at a reference time."""

    offset_s: float

    def apply(self, time_map: TimeMap) -> Edited:
        """Shift all pieces."""
        if not np.isfinite(self.offset_s) or abs(self.offset_s) > MOST_OFFSET_S:
            raise InputError(f"An offset must be a time within a day, got {self.offset_s} s.")
        return Edited(time_map.moved_to(self.offset_s), f"start set to {self.offset_s:.6f} s")


@dataclass(frozen=True, slots=True)
class Meet:
    """The whole recording so that one of its moments is one of the reference's: two marks are one moment."""

    t_rec: float
    t_ref: float

    def apply(self, time_map: TimeMap) -> Edited:
        """Shift all pieces."""
        if not (np.isfinite(self.t_rec) and np.isfinite(self.t_ref)) or abs(self.t_ref) > MOST_OFFSET_S:
            raise InputError(f"Two moments must be times within a day, got {self.t_rec} s and {self.t_ref} s.")
        there = float(time_map.to_reference(np.array([self.t_rec]))[0])
        if np.isnan(there):
            # Beyond the pieces: as if the first ran on.
            there = float(time_map.pieces[0].reference_along(np.array([self.t_rec]))[0])
        words = f"its {to_the_millisecond(self.t_rec)} set to the reference's {to_the_millisecond(self.t_ref)}"
        return Edited(time_map.shifted(self.t_ref - there), words)


@dataclass(frozen=True, slots=True)
class SetRate:
    """Another, steady clock for the whole recording; every piece stays where it begins to be heard."""

    rate: float

    def apply(self, time_map: TimeMap) -> Edited:
        """As `UseClock` with a straight one."""
        if not (np.isfinite(self.rate) and LEAST_RATE <= self.rate <= MOST_RATE):
            raise InputError(f"A rate must be from {LEAST_RATE} to {MOST_RATE}, got {self.rate:g}.")
        return UseClock(steady(self.rate), "clock set to").apply(time_map)


@dataclass(frozen=True, slots=True)
class UseClock:
    """Another course of time for all pieces, straight or bent; each stays where it begins to be heard.

    `clock` is a piece of any length: beyond its ends it runs on straight.
    """

    clock: Piece
    why: str

    def apply(self, time_map: TimeMap) -> Edited:
        """Every piece anew between its first and last moment of the recording."""
        pieces = []
        for piece in time_map.pieces:
            (_, first), (_, last) = piece.start, piece.end_exclusive
            inner = self.clock.t_rec[1:-1]
            t_rec = np.concatenate([[first], inner[(inner > first) & (inner < last)], [last]])
            # What lies before the reference is not heard.
            hold_s = max(piece.start[0], min(0.0, piece.end_exclusive[0]))
            held_rec = piece.along(np.array([hold_s]))
            t_ref = self.clock.reference_along(t_rec) + (hold_s - float(self.clock.reference_along(held_rec)[0]))
            pieces.append(Piece(np.stack([t_ref, t_rec], axis=1)))
        return Edited(TimeMap(tuple(pieces)), f"{self.why} {clock_words(self.clock.rate)}")


@dataclass(frozen=True, slots=True)
class Stretch:
    """One moment of the reference held, the sound at another moved: the clock follows."""

    hold_s: float
    at_s: float
    by_s: float

    def apply(self, time_map: TimeMap) -> Edited:
        """Stretch about the held moment."""
        run_s = self.at_s - self.hold_s
        if not np.isfinite(run_s + self.by_s) or abs(run_s) < LEAST_HOLD_S:
            raise InputError(f"The two moments must lie at least {LEAST_HOLD_S} s apart, got {run_s} s.")
        factor = 1 + self.by_s / run_s
        if not (factor > 0 and LEAST_RATE <= time_map.rate / factor <= MOST_RATE):
            raise InputError("That would stretch the recording beyond all measure.")
        moved = stretched(time_map, self.hold_s, factor)
        return Edited(moved, f"{clock_time(self.at_s)} moved {later(self.by_s)}: clock {clock_words(moved.rate)}")


def steady(rate: float) -> Piece:
    """A straight clock."""
    return Piece(((0.0, 0.0), (1 / rate, 1.0)))


def stretched(time_map: TimeMap, hold_s: float, factor: float) -> TimeMap:
    """The map with all reference times `factor` times as far from `hold_s`."""
    return TimeMap(tuple(piece.stretched(hold_s, factor) for piece in time_map.pieces))
