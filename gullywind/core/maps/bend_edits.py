"""Edits of a bend by hand: each is a value that makes another bend and a sentence that says what was done. Times in s.

A tie acts between its neighbours: an edit of one changes no other.
"""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Protocol, Self

import numpy as np

from gullywind.core.ground.errors import InputError
from gullywind.core.ground.words import clock_time, later
from gullywind.core.maps.bending import Bending
from gullywind.core.maps.ties import BY_HAND, LEAST_APART_S, BendSettings, Tie, TieKind
from gullywind.core.maps.time_map import TimeMap

#: A clock that is off by less over a whole recording, s, is none to be kept.
STEADY_WITHIN_S = 1e-5


@dataclass(frozen=True, slots=True)
class BentOtherwise:
    """The new bend, and the sentence for the history."""

    bending: Bending
    sentence: str


class BendEdit(Protocol):
    """Something that a person does to a bend."""

    def apply(self, bending: Bending) -> BentOtherwise:
        """The new bend; raises `InputError` where it cannot be done."""
        ...


@dataclass(frozen=True, slots=True)
class BendSo:
    """Another closeness, limit and so on for all ties that have none of their own."""

    settings: BendSettings

    def apply(self, bending: Bending) -> BentOtherwise:
        """All ties stay."""
        return BentOtherwise(replace(bending, settings=self.settings), f"bent {settings_words(self.settings)}")


@dataclass(frozen=True, slots=True)
class PutTie:
    """A tie by hand between a moment of the reference and one of the recording; `index`: one that is moved there, and
    `lay`: where it lay, if not where it says.
    """

    t_ref: float
    t_rec: float
    index: int | None = None
    lay: float | None = None

    def apply(self, bending: Bending) -> BentOtherwise:
        """Held between its neighbours: it may not reach over them in either time."""
        if not (np.isfinite(self.t_ref) and np.isfinite(self.t_rec) and self.t_rec >= 0):
            raise InputError(f"A tie needs a moment of both, got {self.t_ref} s and {self.t_rec} s.")
        others = list(bending.ties)
        old = others.pop(_checked(self.index, others)) if self.index is not None else None
        kind = old.kind if old else TieKind.START
        tie = Tie(self.t_ref, self.t_rec, kind, BY_HAND, closeness=1.0, held=old.held if old else False)
        # What the program found and a person contradicts gives way.
        kept = [one for one in others if _agrees(one, tie) or one.by_hand]
        if not all(_agrees(one, tie) for one in kept):
            raise InputError("A tie cannot reach over another one that was set by hand.")
        ties = tuple(sorted([*kept, tie], key=lambda one: one.t_rec))
        moved = ""
        if old and _moved(old, tie):
            by_s = self.t_ref - (old.t_ref if self.lay is None else self.lay)
            moved = f"tie at {clock_time(self.t_ref)} moved {later(by_s)}"
        return BentOtherwise(replace(bending, ties=ties), moved or f"tied by hand at {clock_time(self.t_ref)}")


@dataclass(frozen=True, slots=True)
class RemoveTies:
    """Some ties taken out: what lies between their neighbours goes straight."""

    indices: tuple[int, ...]

    def apply(self, bending: Bending) -> BentOtherwise:
        """The others stay."""
        gone = {_checked(index, bending.ties) for index in self.indices}
        ties = tuple(tie for k, tie in enumerate(bending.ties) if k not in gone)
        return BentOtherwise(replace(bending, ties=ties), f"{_these(bending, sorted(gone))} removed")


@dataclass(frozen=True, slots=True)
class HoldTies:
    """Some ties held where they lie now, or freed; `places`: reference times at which they lie."""

    indices: tuple[int, ...]
    held: bool
    places: tuple[float, ...] = ()

    def apply(self, bending: Bending) -> BentOtherwise:
        """A held tie is no longer moved by what is chosen for all."""
        ties = list(bending.ties)
        for k, index in enumerate(self.indices):
            tie = ties[_checked(index, ties)]
            t_ref = self.places[k] if self.held and k < len(self.places) else tie.t_ref
            ties[index] = replace(tie, held=self.held, t_ref=t_ref)
        words = f"{_these(bending, self.indices)} {'held' if self.held else 'freed'}"
        return BentOtherwise(replace(bending, ties=tuple(ties)), words)


@dataclass(frozen=True, slots=True)
class SetCloseness:
    """How much of the difference of some ties is taken away; None: as of all; `times`: what it is now times this."""

    indices: tuple[int, ...]
    closeness: float | None = None
    times: float | None = None

    def apply(self, bending: Bending) -> BentOtherwise:
        """The ties stay, and can be brought closer again."""
        if self.closeness is not None and not 0 <= self.closeness <= 1:
            raise InputError(f"Closeness must be from 0 to 100 %, got {self.closeness * 100:g} %.")
        ties = list(bending.ties)
        for index in self.indices:
            tie = ties[_checked(index, ties)]
            now = bending.settings.closeness if tie.closeness is None else tie.closeness
            ties[index] = replace(tie, closeness=now * self.times if self.times is not None else self.closeness)
        how = "as all" if self.closeness is None else percent_words(self.closeness)
        words = f"{_these(bending, self.indices)}: {'difference split' if self.times is not None else how}"
        return BentOtherwise(replace(bending, ties=tuple(ties)), words)


@dataclass(frozen=True, slots=True)
class HoldEdges:
    """Both edges of a stretch of the reference held where the recording lies there now: nothing beyond them moves.

    `t_rec`: the recording's moments there. `only`: ties outside of the stretch are taken out, so that it alone is bent.
    """

    t_ref: tuple[float, float]
    t_rec: tuple[float, float]
    only: bool = False

    def __post_init__(self) -> None:
        """Raises `InputError` for edges that do not follow each other."""
        if not (self.t_ref[0] < self.t_ref[1] and self.t_rec[0] < self.t_rec[1]):
            raise InputError("A stretch needs two edges, one after the other.")

    @classmethod
    def where_it_lies(cls, time_map: TimeMap, start_s: float, end_s: float, *, only: bool = False) -> Self:
        """Of a recording that lies so; raises `InputError` where it does not sound at both edges."""
        t_rec = time_map.to_recording(np.array([start_s, end_s]))
        if not np.all(np.isfinite(t_rec)):
            raise InputError("The recording does not sound at both edges.")
        return cls((start_s, end_s), (float(t_rec[0]), float(t_rec[1])), only)

    def apply(self, bending: Bending) -> BentOtherwise:
        """Two held ties more; what lies nearer to them than a tie may gives way."""
        edges = [
            Tie(ref, rec, TieKind.START, BY_HAND, held=True) for ref, rec in zip(self.t_ref, self.t_rec, strict=True)
        ]
        kept = [
            tie
            for tie in bending.ties
            if all(_agrees(tie, edge) for edge in edges)
            and (not self.only or self.t_rec[0] < tie.t_rec < self.t_rec[1])
        ]
        done = "alone bent" if self.only else "held at its edges"
        words = f"{clock_time(self.t_ref[0])} to {clock_time(self.t_ref[1])} {done}"
        ties = tuple(sorted([*kept, *edges], key=lambda one: one.t_rec))
        return BentOtherwise(replace(bending, ties=ties), words)


@dataclass(frozen=True, slots=True)
class FollowStretch:
    """A stretch alone follows other ties, its edges held where the recording lies there now: nothing else moves.

    `ties` : within the stretch. They take the place of what the program had found there; a person's own ones stay.
    """

    edges: HoldEdges
    ties: tuple[Tie, ...]

    def apply(self, bending: Bending) -> BentOtherwise:
        """Its edges are held as by hand."""
        (first, last), t_ref = self.edges.t_rec, self.edges.t_ref
        kept = [tie for tie in bending.ties if tie.by_hand or not first < tie.t_rec < last]
        fresh = [tie for tie in self.ties if all(_agrees(tie, one) for one in kept)]
        ties = tuple(sorted([*kept, *fresh], key=lambda one: one.t_rec))
        held = self.edges.apply(replace(bending, ties=ties)).bending
        return BentOtherwise(held, f"{clock_time(t_ref[0])} to {clock_time(t_ref[1])} matched, its edges held")


def bending_nothing(time_map: TimeMap) -> Bending:
    """A bend that leaves a plain place as it is, at its clock; raises `InputError` for any other map."""
    if len(time_map.pieces) > 1 or time_map.pieces[0].t_ref.size > 2:
        raise InputError("It is cut, or follows a course: put it at a plain place before a stretch of it is bent.")
    piece = time_map.pieces[0]
    (starts, ends), (first, last) = piece.t_ref.tolist(), piece.t_rec.tolist()
    offset_s, rate = starts - first, (last - first) / (ends - starts)
    if abs((ends - starts) - (last - first)) < STEADY_WITHIN_S:
        return Bending((), offset_s)
    # Another clock goes on at both sides.
    moments = (first + LEAST_APART_S, last - LEAST_APART_S)
    at = [Tie(starts + (moment - first) / rate, moment, TieKind.START, BY_HAND, held=True) for moment in moments]
    return Bending(tuple(at), offset_s)


def settings_words(settings: BendSettings) -> str:
    """How a recording is bent, in words."""
    parts = [percent_words(settings.closeness)]
    if settings.leave_below_s:
        parts.append(f"below {settings.leave_below_s * 1e3:g} ms left alone")
    parts.append(f"by {settings.limit * 100:g}\u00a0% at most")
    if not settings.ends:
        parts.append("ends kept")
    return ", ".join(parts)


def percent_words(closeness: float) -> str:
    """`by 80 % of each difference`, `fully`, `not at all`."""
    if closeness >= 1:
        return "fully"
    return f"by {closeness * 100:g}\u00a0% of each difference" if closeness > 0 else "not at all"


def _agrees(one: Tie, other: Tie) -> bool:
    """Whether two ties rise in both times, and lie apart."""
    ref, rec = one.t_ref - other.t_ref, one.t_rec - other.t_rec
    return ref * rec > 0 and min(abs(ref), abs(rec)) >= LEAST_APART_S


def _moved(old: Tie, tie: Tie) -> bool:
    return abs(old.t_ref - tie.t_ref) > 1e-9 and abs(old.t_rec - tie.t_rec) < 1e-9


def _checked(index: int, ties: Sequence[Tie]) -> int:
    if not 0 <= index < len(ties):
        raise InputError("This tie does not exist any more.")
    return index


def _these(bending: Bending, indices: Sequence[int]) -> str:
    if len(indices) == 1:
        return f"tie at {clock_time(bending.ties[indices[0]].t_ref)}"
    return f"{len(indices)} ties"
