"""Sets: recordings of one recorder, which run by one clock and keep their relation. Times in s.

The set has a time of its own, in which every member has a fixed place. Where one member lies on a timeline all lie: a
member's map is another's, moved by the difference of their places. Microphones of one recorder begin together; the
parts of a split file follow each other.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from itertools import pairwise
from uuid import UUID

import numpy as np

from gullywind.core.ground.errors import InputError
from gullywind.core.maps.time_map import Piece, TimeMap

#: What is left of a piece beyond the file's end is no piece.
LEAST_KEPT_S = 1e-4
#: Members that share less of the set's time follow each other.
LEAST_SHARED_S = 1e-3


@dataclass(frozen=True, slots=True)
class Membership:
    """A recording's place in a set.

    Attributes
    ----------
    set_id : names the set.
    place_s : when its first sample falls, in the set's time.
    corrected_s : by how much it is drawn earlier than that, on purpose: the delay of its microphone. 0: as recorded.
    """

    set_id: UUID
    place_s: float = 0.0
    corrected_s: float = 0.0

    @property
    def begins_s(self) -> float:
        """When its first sample is to be heard, in the set's time."""
        return self.place_s - self.corrected_s

    def with_correction(self, corrected_s: float) -> "Membership":
        """The same, drawn earlier by so much."""
        return replace(self, corrected_s=corrected_s)

    def to_json(self) -> dict[str, object]:
        """For storage."""
        return {"set_id": str(self.set_id), "place_s": self.place_s, "corrected_s": self.corrected_s}

    @classmethod
    def from_json(cls, stored: Mapping[str, object]) -> "Membership":
        """Inverse of `to_json`; raises `InputError`."""
        try:
            place_s, corrected_s = float(str(stored["place_s"])), float(str(stored["corrected_s"]))
            return cls(UUID(str(stored["set_id"])), place_s, corrected_s)
        except (KeyError, ValueError) as error:
            raise InputError(f"a membership of another form: {error}") from error


@dataclass(frozen=True, slots=True)
class Member:
    """A member with the length of its file, s."""

    membership: Membership
    duration_s: float

    @property
    def begins_s(self) -> float:
        """In the set's time."""
        return self.membership.begins_s

    @property
    def ends_s(self) -> float:
        """In the set's time."""
        return self.membership.begins_s + self.duration_s


def carried(time_map: TimeMap, of: Member, to: Member) -> TimeMap | None:
    """Where a member lies, if another lies by a map: by the same clock, with the same breaks.

    Beyond the other's file its outer pieces run on straight, unless it was cut short there and both were running.

    Returns
    -------
    TimeMap, or None where nothing of the member is left: the other was cut down to what it alone has.
    """
    by_s = of.begins_s - to.begins_s
    pieces = [_moved(piece, by_s) for piece in time_map.pieces]
    follows = min(of.ends_s, to.ends_s) - max(of.begins_s, to.begins_s) < LEAST_SHARED_S
    whole_start = time_map.pieces[0].start[1] <= LEAST_KEPT_S
    whole_end = time_map.pieces[-1].end_exclusive[1] >= of.duration_s - LEAST_KEPT_S
    if (whole_start or follows) and pieces[0].start[1] > 0:
        pieces[0] = pieces[0].starting(float(pieces[0].reference_along(np.zeros(1))[0]))
    if (whole_end or follows) and pieces[-1].end_exclusive[1] < to.duration_s:
        pieces[-1] = pieces[-1].ending(float(pieces[-1].reference_along(np.array([to.duration_s]))[0]))
    kept = [part for piece in pieces if (part := _within(piece, to.duration_s)) is not None]
    return TimeMap(tuple(kept)) if kept else None


def follow_each_other(members: Sequence[Member]) -> bool:
    """Whether members are the parts of one recording, one after the other."""
    ordered = sorted(members, key=lambda one: one.begins_s)
    return all(after.begins_s >= before.ends_s - LEAST_SHARED_S for before, after in pairwise(ordered))


def _moved(piece: Piece, by_s: float) -> Piece:
    """The same moments of the timeline, `by_s` later in the recording."""
    return Piece(np.stack([piece.t_ref, piece.t_rec + by_s], axis=1))


def _within(piece: Piece, duration_s: float) -> Piece | None:
    """What of a piece lies within the file."""
    low, high = max(piece.start[1], 0.0), min(piece.end_exclusive[1], duration_s)
    if high - low < LEAST_KEPT_S:
        return None
    inner = (piece.t_rec > low) & (piece.t_rec < high)
    t_rec = np.concatenate([[low], piece.t_rec[inner], [high]])
    t_ref = np.concatenate([[_reference_at(piece, low)], piece.t_ref[inner], [_reference_at(piece, high)]])
    return Piece(np.stack([t_ref, t_rec], axis=1))


def _reference_at(piece: Piece, t_rec: float) -> float:
    # A knot itself is told as it is, to the last bit: members that begin together must.
    known = np.flatnonzero(piece.t_rec == t_rec)
    return float(piece.t_ref[known[0]]) if known.size else float(piece.reference_along(np.array([t_rec]))[0])
