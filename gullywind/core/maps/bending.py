"""The map that bends a recording along its ties as far as its editor wants. Times in s.

A bend takes away some or all of each tie's difference against the plain place, stretches nothing beyond a limit, and
acts between neighbouring ties only.
"""

from collections.abc import Mapping
from dataclasses import asdict, dataclass, replace
from itertools import pairwise
from typing import Any

import numpy as np
import numpy.typing as npt

from gullywind.core.ground.errors import InputError
from gullywind.core.ground.units import Floats
from gullywind.core.maps.bend_limit import placed_within, torn_stretches
from gullywind.core.maps.ties import AS_CLOSE_AS_POSSIBLE, LEAST_APART_S, BendSettings, Levels, Tie, TieKind
from gullywind.core.maps.time_map import Piece, TimeMap

#: The surest tie too gives way a little, where others would have to give way much.
LEAST_DOUBT = 0.1
#: One that is held gives way only where it must.
HELD_DOUBT = 1e-4
#: What the limit keeps further than this from its tie is told.
TOLD_GIVEN_UP_S = 0.02
#: Sound that lies between a tie and a cut at least, s: less than half of what ties are apart.
LEAST_SIDE_S = 0.001


@dataclass(frozen=True, slots=True)
class Bending:
    """What a bent map is made of, so that it can be made otherwise: its ties, its plain place (s), how it is bent."""

    ties: tuple[Tie, ...]
    offset_s: float
    settings: BendSettings = AS_CLOSE_AS_POSSIBLE

    def shifted(self, by_s: float) -> "Bending":
        """The whole recording `by_s` later in reference time."""
        if not by_s:
            return self
        ties = tuple(replace(tie, t_ref=tie.t_ref + by_s) for tie in self.ties)
        return replace(self, ties=ties, offset_s=self.offset_s + by_s)

    def made(self, duration_s: float, levels: Levels | None = None) -> "Bend":
        """The bend itself; see `bend`."""
        return bend(self.ties, self.offset_s, duration_s, self.settings, levels)

    def to_json(self) -> dict[str, Any]:
        """For storage; a tie is a list in the order of its fields."""
        ties = [[t.t_ref, t.t_rec, str(t.kind), round(t.certainty, 4), t.closeness, t.held] for t in self.ties]
        return {"ties": ties, "offset_s": self.offset_s, "settings": asdict(self.settings)}

    @classmethod
    def from_json(cls, stored: Mapping[str, Any]) -> "Bending":
        """Inverse of `to_json`; raises `InputError`."""
        try:
            ties = tuple(Tie(a, b, TieKind(kind), *rest) for a, b, kind, *rest in stored["ties"])
            return cls(ties, float(stored["offset_s"]), BendSettings(**stored["settings"]))
        except (KeyError, TypeError, ValueError) as error:
            if isinstance(error, InputError):
                raise
            raise InputError(f"a bend of another form: {error}") from error


@dataclass(frozen=True, slots=True)
class Joint:
    """Where a passage has no counterpart and the bend had to cut, and by how much the recording is too long there, s;
    below 0: too short.
    """

    t_ref: float
    t_rec: float
    too_long_s: float


@dataclass(frozen=True, slots=True)
class Stretch:
    """A stretch between two knots, reference time in s: how much longer it is than it was performed, s, and as a share;
    `at_limit`: no more may be.
    """

    start_s: float
    end_s: float
    longer_s: float
    longer: float
    at_limit: bool


@dataclass(frozen=True, slots=True)
class Bend:
    """A bent map, and what became of each tie.

    Attributes
    ----------
    moved_s : s. By how much each tie's moment was moved; 0 where it is left out.
    given_up_s : s. How far the limit keeps each from where it would lie; NaN for ties that are not followed.
    joints : where it had to be cut.
    limit : by what share nothing is bent further.
    """

    time_map: TimeMap
    moved_s: tuple[float, ...]
    given_up_s: tuple[float, ...]
    joints: tuple[Joint, ...]
    limit: float

    @property
    def stretches(self) -> tuple[Stretch, ...]:
        """All between two knots, in order."""
        return tuple(
            Stretch(start, end, end - start - rec, (end - start) / rec - 1, _nearly(rec / (end - start), self.limit))
            for piece in self.time_map.pieces
            for start, end, rec in zip(
                piece.t_ref[:-1].tolist(), piece.t_ref[1:].tolist(), np.diff(piece.t_rec).tolist(), strict=True
            )
        )

    def is_kept_back(self, index: int) -> bool:
        """Whether the limit keeps a tie so far from where it would lie that it is told."""
        return bool(abs(self.given_up_s[index]) > TOLD_GIVEN_UP_S)


def bend(
    ties: tuple[Tie, ...],
    offset_s: float,
    duration_s: float,
    settings: BendSettings = AS_CLOSE_AS_POSSIBLE,
    levels: Levels | None = None,
) -> Bend:
    """Bend a recording along its ties.

    Parameters
    ----------
    ties : ascending in both times.
    offset_s : s. Where the recording's first sample lies unbent, at rate 1.
    duration_s : > 0, s. Its length.
    levels : of the recording: what must be cut is cut where it is quiet. None: halfway.

    Returns
    -------
    Bend : its map goes from the recording's first sample to its end.
    """
    t_ref, t_rec = (np.array([getattr(tie, name) for tie in ties], np.float64) for name in ("t_ref", "t_rec"))
    certainty = np.array([tie.certainty for tie in ties])
    unbent = t_rec + offset_s
    apart = t_ref - unbent
    closeness = np.array([_closeness(tie, settings) for tie in ties])
    held = np.array([tie.held for tie in ties], bool)
    goal = unbent + np.where((np.abs(apart) < settings.leave_below_s) & ~held, 0.0, closeness * apart)
    chosen = certainty >= settings.least_certainty
    if not settings.ends:
        chosen &= np.array([tie.kind is not TieKind.END for tie in ties], bool)
    chosen = (chosen | held) & (t_rec > 0) & (t_rec < duration_s)
    kept = _uncrossed(goal, t_rec, certainty, np.flatnonzero(chosen))
    knots_ref, knots_rec = goal[kept], t_rec[kept]
    doubt = np.where(held, HELD_DOUBT, LEAST_DOUBT + 1 - certainty)[kept]
    if not settings.ends:
        knots_ref, knots_rec, doubt = _with_ends(ties, knots_ref, knots_rec, doubt, settings.limit)
    torn = torn_stretches(knots_ref, knots_rec, settings.limit, levels)
    placed, torn = placed_within(knots_ref, knots_rec, doubt, torn, settings.limit)
    time_map, joints = _laid(placed, knots_rec, torn, offset_s, duration_s, levels)
    lands = time_map.to_reference(t_rec)
    given_up = np.full(len(ties), np.nan)
    given_up[kept] = lands[kept] - goal[kept]
    moved = np.where(np.isnan(lands), 0.0, lands - unbent)
    return Bend(time_map, tuple(moved.tolist()), tuple(given_up.tolist()), joints, settings.limit)


def _nearly(slope: float, limit: float) -> bool:
    """Whether a stretch is bent as far as it may be, but for a fiftieth of that."""
    return max(slope, 1 / slope) - 1 >= 0.98 * limit


def _closeness(tie: Tie, settings: BendSettings) -> float:
    if tie.held:
        return 1.0
    return settings.closeness if tie.closeness is None else tie.closeness


def _uncrossed(goal: Floats, t_rec: Floats, certainty: Floats, kept: npt.NDArray[np.int64]) -> npt.NDArray[np.int64]:
    """Without ties that run back or fall together: of two such the less certain goes."""
    while kept.size > 1:
        crossed = (np.diff(goal[kept]) < LEAST_APART_S) | (np.diff(t_rec[kept]) < LEAST_APART_S)
        bad = np.flatnonzero(crossed)
        if not bad.size:
            break
        weaker = np.where(certainty[kept[bad]] < certainty[kept[bad + 1]], bad, bad + 1)
        # One of neighbours at a time: what is left may agree.
        kept = np.delete(kept, weaker[np.concatenate([[True], np.diff(weaker) > 1])])
    return kept


def _with_ends(
    ties: tuple[Tie, ...], goal: Floats, t_rec: Floats, doubt: Floats, limit: float
) -> tuple[Floats, Floats, Floats]:
    """Ends that stay: each word or note keeps its length from its start on, where what lies after it can give way."""
    ends = np.array([tie.t_rec for tie in ties if tie.kind is TieKind.END])
    new_ref, new_rec = [], []
    for (ref, rec), (next_ref, next_rec) in pairwise(zip(goal.tolist(), t_rec.tolist(), strict=True)):
        for end in ends[(ends > rec + LEAST_APART_S) & (ends < next_rec - LEAST_APART_S)][:1].tolist():
            at = ref + end - rec
            if next_ref - at > LEAST_APART_S and 1 / (1 + limit) <= (next_rec - end) / (next_ref - at) <= 1 + limit:
                new_ref.append(at)
                new_rec.append(end)
    order = np.argsort(np.concatenate([t_rec, new_rec]))
    more = ((goal, new_ref), (t_rec, new_rec), (doubt, np.ones(len(new_rec))))
    ref, rec, doubts = (np.concatenate(both)[order] for both in more)
    return ref, rec, doubts


def _laid(
    goal: Floats,
    t_rec: Floats,
    torn: npt.NDArray[np.int64],
    offset_s: float,
    duration_s: float,
    levels: Levels | None,
) -> tuple[TimeMap, tuple[Joint, ...]]:
    """Pieces through the ties; unbent before the first and after the last, and around passages without counterpart."""
    if not goal.size:
        return TimeMap.placement(offset_s, 1.0, duration_s), ()
    pieces, joints = [], []
    head = (goal[0] - t_rec[0], 0.0)
    for first, last in pairwise([0, *(torn + 1).tolist(), goal.size]):
        knots = [(goal[k], t_rec[k]) for k in range(first, last)]
        if last < goal.size:
            tail, following = _met(goal[last - 1 : last + 1], t_rec[last - 1 : last + 1], levels)
            too_long_s = float((t_rec[last] - t_rec[last - 1]) - (goal[last] - goal[last - 1]))
            joints.append(Joint(float(tail[0]), float(tail[1]), too_long_s))
        else:
            tail, following = (goal[-1] + duration_s - t_rec[-1], duration_s), (0.0, 0.0)
        pieces.append(Piece(_rising([head, *knots, tail])))
        head = following
    return TimeMap(tuple(pieces)), tuple(joints)


def _met(goal: Floats, t_rec: Floats, levels: Levels | None) -> tuple[tuple[float, float], tuple[float, float]]:
    """Where the sound before a cut ends and that after it begins, both unbent: where it is quiet, nothing twice."""
    ref_s, rec_s = float(goal[1] - goal[0]), float(t_rec[1] - t_rec[0])
    gone = max(rec_s - ref_s, 0.0)
    cut = t_rec[0] + (rec_s - gone) / 2
    if levels:
        times, level = levels.between(float(t_rec[0]), float(t_rec[1] - gone))
        # Both sides of what is left out are heard; nearer to the middle where it makes no difference.
        beyond = np.minimum(np.rint((times + gone) / levels.hop_s).astype(np.int64), levels.level_db.size - 1)
        loud = np.maximum(level, levels.level_db[beyond])
        loud = loud + 3.0 * np.abs(times - cut) / max(rec_s, 1e-6)
        # Each side keeps some sound of its own, so that it is a piece.
        cut = float(np.clip(times[int(loud.argmin())], t_rec[0] + LEAST_SIDE_S, t_rec[1] - gone - LEAST_SIDE_S))
    begins = cut + gone
    return (goal[0] + cut - t_rec[0], cut), (goal[1] - (t_rec[1] - begins), begins)


def _rising(knots: list[tuple[float, float]]) -> list[tuple[float, float]]:
    """Without knots that do not rise: an end of the recording may be a tie itself."""
    found = knots[:1]
    for knot in knots[1:]:
        if knot[0] - found[-1][0] > 1e-6 and knot[1] - found[-1][1] > 1e-6:
            found.append(knot)
    return found
