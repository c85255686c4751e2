"""Maps through maps: a recording's place on another timeline, by a recording whose place on both is known."""

from itertools import pairwise

import numpy as np

from gullywind.core.ground.errors import InputError
from gullywind.core.ground.units import Floats
from gullywind.core.maps.time_map import Piece, TimeMap

#: Shorter pieces are what roundings leave at a cut.
LEAST_LEFT_S = 1e-6


def inverse(time_map: TimeMap, duration_s: float | None = None) -> TimeMap:
    """The other way round: what was the recording is the timeline. Where pieces overlap the later one has the time.

    Parameters
    ----------
    duration_s : length of what was the timeline: all of it has a place then, not only what both have heard.
    """
    pieces = []
    for piece, after in pairwise([*time_map.pieces, None]):
        assert piece is not None
        # Both sides must rise: of an overlap in reference time only the later piece is heard.
        heard = piece if after is None or after.start[0] >= piece.end_exclusive[0] else piece.ending(after.start[0])
        pieces.append(Piece(np.stack([heard.t_rec, heard.t_ref], axis=1)))
    return TimeMap(tuple(pieces if duration_s is None else _reaching(pieces, duration_s)))


def _reaching(pieces: list[Piece], duration_s: float) -> list[Piece]:
    """The outer ones from the recording's first moment to its last, run on straight or cut."""
    inside = [one for one in pieces if one.end_exclusive[1] > 0 and one.start[1] < duration_s]
    if not inside:
        return pieces
    inside[0] = inside[0].starting(float(inside[0].reference_along(np.zeros(1))[0]))
    inside[-1] = inside[-1].ending(float(inside[-1].reference_along(np.array([duration_s]))[0]))
    return inside


def through(first: TimeMap, second: TimeMap) -> TimeMap | None:
    """The map of a recording on a timeline, where another recording, the middle, is known on both sides.

    Parameters
    ----------
    first : the middle on the timeline. Beyond its outer ends it runs on straight: time does not stop where one of the
        two recordings does.
    second : the recording on the middle.

    Returns
    -------
    TimeMap, or None where no moment of the recording lies on the timeline.
    """
    pieces: list[Piece] = []
    for way in _run_on(first, second.start_ref_s, second.end_ref_s_exclusive):
        for piece in second.pieces:
            low, high = max(way.t_rec[0], piece.t_ref[0]), min(way.t_rec[-1], piece.t_ref[-1])
            if high - low < LEAST_LEFT_S:
                continue
            bends = np.unique(np.concatenate([way.t_rec, piece.t_ref]))
            bends = bends[(bends > low + LEAST_LEFT_S) & (bends < high - LEAST_LEFT_S)]
            # The same bend on both sides, but for roundings, is one.
            middle = np.concatenate([[low], bends[np.diff(bends, prepend=-np.inf) > LEAST_LEFT_S], [high]])
            knots = np.stack([way.reference_along(middle), piece.along(middle)], axis=1)
            pieces.append(Piece(_bends_only(knots)))
    pieces.sort(key=lambda piece: piece.start)
    try:
        return TimeMap(tuple(pieces)) if pieces else None
    except InputError:
        # The middle has some of its time twice; what follows in both is not known.
        return None


def _run_on(time_map: TimeMap, low_s: float, high_s: float) -> list[Piece]:
    """The pieces, the outer ones as far as these moments of the recording."""
    pieces = list(time_map.pieces)
    if low_s < pieces[0].start[1]:
        pieces[0] = pieces[0].starting(float(pieces[0].reference_along(np.array([low_s]))[0]))
    if high_s > pieces[-1].end_exclusive[1]:
        pieces[-1] = pieces[-1].ending(float(pieces[-1].reference_along(np.array([high_s]))[0]))
    return pieces


def _bends_only(knots: Floats) -> Floats:
    """Without knots on a straight line: they would tell of a bend that is none."""
    if knots.shape[0] <= 2:
        return knots
    steps = np.diff(knots, axis=0)
    slopes = steps[:, 1] / steps[:, 0]
    bends = np.abs(np.diff(slopes)) > 1e-10
    return np.asarray(knots[np.concatenate([[True], bends, [True]])])
