"""What the limit leaves of a bend: ties give way as little as possible, and what has no counterpart is cut. Times in s.

No stretch between two ties is stretched or squeezed beyond the limit, a share of its speed.
"""

from itertools import pairwise

import numpy as np
import numpy.typing as npt

from gullywind.core.ground.units import Floats
from gullywind.core.maps.ties import LEAST_APART_S, Levels

#: Where more than this would have to be given up to keep within the limit, a passage has no counterpart and is cut:
#: where it sounds, and in a pause, which is cut without anybody's hearing it.
MOST_GIVEN_UP_S, GIVEN_UP_IN_PAUSE_S = 0.03, 0.005
#: Passes over all stretches until they keep within the limit, and how nearly they must.
PASSES, WITHIN_S = 400, 1e-5


def _excess(goal: Floats, t_rec: Floats, limit: float) -> Floats:
    """How much longer or shorter than the limit allows each stretch would have to be, s of reference time."""
    ref, rec = np.diff(goal), np.diff(t_rec)
    return np.asarray(np.maximum(np.maximum(rec / (1 + limit) - ref, ref - rec * (1 + limit)), 0))


def torn_stretches(goal: Floats, t_rec: Floats, limit: float, levels: Levels | None) -> npt.NDArray[np.int64]:
    """Stretches, by the tie they begin with, that must be cut."""
    excess = _excess(goal, t_rec, limit)
    some = np.flatnonzero(excess > GIVEN_UP_IN_PAUSE_S)
    torn = [
        k
        for k in some.tolist()
        if excess[k] > MOST_GIVEN_UP_S or (levels and levels.pauses(float(t_rec[k]), float(t_rec[k + 1])))
    ]
    return np.array(torn, np.int64)


def placed_within(
    goal: Floats, t_rec: Floats, doubt: Floats, torn: npt.NDArray[np.int64], limit: float
) -> tuple[Floats, npt.NDArray[np.int64]]:
    """Where the ties lie within the limit, from cut to cut, and the cuts that remain.

    Where the limit would lay one run over the next there is no room for a cut: they are placed as one.
    """
    while True:
        runs = pairwise([0, *(torn + 1).tolist(), goal.size])
        parts = [_within_limit(goal[a:b], t_rec[a:b], doubt[a:b], limit) for a, b in runs]
        placed = np.concatenate(parts)
        crossed = placed[torn + 1] - placed[torn] < LEAST_APART_S
        if not crossed.any():
            return placed, torn
        torn = torn[~crossed]


def _within_limit(goal: Floats, t_rec: Floats, doubt: Floats, limit: float) -> Floats:
    """The nearest places to `goal`, by squares over `doubt`, of which no stretch is bent beyond the limit.

    Every other stretch can be put right by itself; the two halves take turns, each told what it took off before (Boyle
    and Dykstra, "A method for finding projections onto the intersection of convex sets in Hilbert spaces", 1986).
    """
    rec = np.diff(t_rec)
    least, most = rec / (1 + limit), rec * (1 + limit)
    places = goal.copy()
    taken = [np.zeros(goal.size), np.zeros(goal.size)]
    for _ in range(PASSES):
        if np.all((np.diff(places) >= least - WITHIN_S) & (np.diff(places) <= most + WITHIN_S)):
            break
        for half in (0, 1):
            before = places + taken[half]
            after = before.copy()
            k = np.arange(half, rec.size, 2)
            length = before[k + 1] - before[k]
            # A tenth of the tolerance inside the limit, so that the other half's turn does not lead beyond it again.
            off = np.clip(length, least[k] + WITHIN_S / 10, most[k] - WITHIN_S / 10) - length
            share = doubt[k] / (doubt[k] + doubt[k + 1])
            after[k] -= off * share
            after[k + 1] += off * (1 - share)
            taken[half] = before - after
            places = after
    else:
        # Much is beyond the limit, and the passes are still sharing it out: what they lack is taken off along the way.
        steps = np.clip(np.diff(places), least, most)
        places = np.concatenate([[0.0], np.cumsum(steps)])
        places += float(np.average(goal - places, weights=1 / doubt))
    return places
