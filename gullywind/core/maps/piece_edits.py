"""Edits of single pieces by hand: only what should move moves, everything stays between its neighbours. Times in s."""

from dataclasses import dataclass

import numpy as np

from gullywind.core.ground.errors import InputError
from gullywind.core.ground.words import clock_time, later, seconds
from gullywind.core.maps.edits import Edited
from gullywind.core.maps.time_map import Knot, Piece, TimeMap, gap_between, jump_between

#: Shorter pieces cannot be seen or heard.
LEAST_PIECE_S = 0.02
#: Neighbours that meet within this have no gap.
LEAST_GAP_S = 1e-6


@dataclass(frozen=True, slots=True)
class Split:
    """Cut the piece that lies at a moment of the reference in two; nothing moves."""

    t_ref: float

    def apply(self, time_map: TimeMap) -> Edited:
        """The later of two overlapping pieces is cut: it is the one that is heard."""
        index = _piece_at(time_map, self.t_ref)
        piece = time_map.pieces[index]
        halves = (piece.ending(self.t_ref), piece.starting(self.t_ref))
        return Edited(_with(time_map, index, 1, *halves), f"cut at {clock_time(self.t_ref)}")


@dataclass(frozen=True, slots=True)
class Join:
    """Undo a cut: piece `index` and the next become one, and the next moves to follow it as it was recorded."""

    index: int

    def apply(self, time_map: TimeMap) -> Edited:
        """What was left out between them comes back."""
        before, after = _pair(time_map, self.index)
        jump_s = jump_between(before, after)
        end, start = before.end_exclusive, after.start
        moved = after.shifted(-jump_s)
        if start[1] - end[1] > LEAST_GAP_S:
            joined = Piece((*before.knots, *moved.knots))
        else:
            # A knot that tells nothing is not kept: a cut that was undone leaves no trace.
            joined = before.followed_by(moved, keep_knot=_bends(before, after))
        where = clock_time(end[0])
        how = f", what follows moved {later(-jump_s)}" if abs(jump_s) > LEAST_GAP_S else ""
        return Edited(_with(time_map, self.index, 2, joined), f"joined at {where}{how}")


@dataclass(frozen=True, slots=True)
class Slide:
    """Move one piece; the others stay. It may overlap its neighbours, but not pass them."""

    index: int
    by_s: float

    def apply(self, time_map: TimeMap) -> Edited:
        """As far as there is room."""
        piece = _piece(time_map, self.index)
        low, high = slide_room(time_map, self.index)
        by_s = float(np.clip(self.by_s, low, high))
        if not np.isfinite(by_s) or by_s == 0:
            raise InputError("There is no room to slide this piece that way: its neighbours hold it.")
        sentence = f"piece at {clock_time(max(piece.start[0], 0.0))} slid {later(by_s)}"
        return Edited(_with(time_map, self.index, 1, piece.shifted(by_s)), sentence)


@dataclass(frozen=True, slots=True)
class Trim:
    """Move one edge of a piece to a moment of the reference; its sound stays where it is.

    Outwards it shows what was hidden, as far as the recording goes and no neighbour has that sound.
    """

    index: int
    edge: str  #: "start" or "end"
    t_ref: float
    duration_s: float

    def apply(self, time_map: TimeMap) -> Edited:
        """As far as there is sound."""
        piece = _piece(time_map, self.index)
        at_start = self.edge == "start"
        low, high = self._bounds(time_map, piece)
        t_ref = float(np.clip(self.t_ref, low, high))
        old = piece.start if at_start else piece.end_exclusive
        if not np.isfinite(t_ref) or abs(t_ref - old[0]) < LEAST_GAP_S:
            raise InputError("There is no sound left to show beyond this edge, or the piece would vanish.")
        trimmed = piece.starting(t_ref) if at_start else piece.ending(t_ref)
        sentence = f"{self.edge} of the piece set to {clock_time(max(t_ref, 0.0))}"
        return Edited(_with(time_map, self.index, 1, trimmed), sentence)

    def _bounds(self, time_map: TimeMap, piece: Piece) -> tuple[float, float]:
        """Reference times between which the edge may lie."""
        if self.edge == "start":
            before = time_map.pieces[self.index - 1] if self.index else None
            least_rec = before.end_exclusive[1] if before else 0.0
            low = float(piece.reference_along(np.array([least_rec]))[0])
            low = max(low, before.start[0] + LEAST_PIECE_S) if before else low
            return low, piece.end_exclusive[0] - LEAST_PIECE_S
        after = time_map.pieces[self.index + 1] if self.index + 1 < len(time_map.pieces) else None
        most_rec = after.start[1] if after else self.duration_s
        high = float(piece.reference_along(np.array([most_rec]))[0])
        high = min(high, after.end_exclusive[0] - LEAST_PIECE_S) if after else high
        return piece.start[0] + LEAST_PIECE_S, high


@dataclass(frozen=True, slots=True)
class Remove:
    """Take one piece out; the others stay."""

    index: int

    def apply(self, time_map: TimeMap) -> Edited:
        """At least one piece remains."""
        piece = _piece(time_map, self.index)
        if len(time_map.pieces) == 1:
            raise InputError("The only piece cannot be removed.")
        start, end = piece.start[0], piece.end_exclusive[0]
        sentence = f"{seconds(end - start)} removed at {clock_time(max(start, 0.0))}"
        return Edited(_with(time_map, self.index, 1), sentence)


@dataclass(frozen=True, slots=True)
class CloseGap:
    """Close the gap after piece `index`: all that follows moves up to it."""

    index: int

    def apply(self, time_map: TimeMap) -> Edited:
        """Overlaps have no gap to close."""
        before, after = _pair(time_map, self.index)
        gap_s = gap_between(before, after)
        if gap_s <= LEAST_GAP_S:
            raise InputError("There is no gap here: the pieces meet.")
        pieces = (
            *time_map.pieces[: self.index + 1],
            *(piece.shifted(-gap_s) for piece in time_map.pieces[self.index + 1 :]),
        )
        sentence = f"gap of {seconds(gap_s)} closed at {clock_time(before.end_exclusive[0])}"
        return Edited(TimeMap(pieces), sentence)


def slide_room(time_map: TimeMap, index: int) -> tuple[float, float]:
    """How far a piece may slide, s: earlier (at most 0) and later (at least 0)."""
    piece = _piece(time_map, index)
    low, high = -np.inf, np.inf
    if index:
        before = time_map.pieces[index - 1]
        # Later than its neighbour at both ends, so that their order can be heard.
        low = max(before.start[0] - piece.start[0], before.end_exclusive[0] - piece.end_exclusive[0]) + LEAST_PIECE_S
    if index + 1 < len(time_map.pieces):
        after = time_map.pieces[index + 1]
        high = min(after.start[0] - piece.start[0], after.end_exclusive[0] - piece.end_exclusive[0]) - LEAST_PIECE_S
    return min(low, 0.0), max(high, 0.0)


def _piece(time_map: TimeMap, index: int) -> Piece:
    if not 0 <= index < len(time_map.pieces):
        raise InputError("This piece does not exist any more.")
    return time_map.pieces[index]


def _pair(time_map: TimeMap, index: int) -> tuple[Piece, Piece]:
    return _piece(time_map, index), _piece(time_map, index + 1)


def _piece_at(time_map: TimeMap, t_ref: float) -> int:
    for index in reversed(range(len(time_map.pieces))):
        piece = time_map.pieces[index]
        if piece.start[0] + LEAST_PIECE_S <= t_ref <= piece.end_exclusive[0] - LEAST_PIECE_S:
            return index
    raise InputError("There is nothing to cut here: no piece lies at this moment, or its edge is too near.")


def _with(time_map: TimeMap, index: int, count: int, *instead: Piece) -> TimeMap:
    return TimeMap((*time_map.pieces[:index], *instead, *time_map.pieces[index + count :]))


def _bends(before: Piece, after: Piece) -> bool:
    """Whether the slope changes at the cut between two pieces."""

    def slope(first: Knot, second: Knot) -> float:
        return (second[1] - first[1]) / (second[0] - first[0])

    last, first = before.knots[-2:], after.knots[:2]
    return abs(slope(*last) - slope(*first)) > 1e-10
