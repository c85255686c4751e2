"""Slips: where a course of a tune follows the next note or beat for a while, and comes back. Times in s.

Notes repeat, and a path that takes one for the next is as near for as long as it lasts; what tells is that nobody jumps
ahead by half a second and back. So the course is also looked for near an even one, and of the two the even one is taken
where it is as near.
"""

import numpy as np
import numpy.typing as npt
from scipy.ndimage import median_filter
from scipy.stats import theilslopes

from gullywind.core.ground.units import Floats

#: Slips are shorter than half of this. What jumps and stays, a note that is held or words that are put in, is no slip.
EVENED_S = 6.0
#: Moments that the straight line is laid through.
MOST_FITTED = 300
#: Where two courses are no further apart than this they are one, and so are stretches no further apart.
UNPARTED_S, SAME_SLIP_S = 0.06, 0.5
#: An even course is as near that is no further than so many times. Of 20 tunes against drums and other instruments two
#: lay a beat beside for 3 and 8 s, and no longer do; from 1.1 on notes that are held would be taken for slips.
AS_NEAR = 1.02
#: A slip goes as far as the next note, and is an exception: noise, whose moments are all alike, wavers throughout.
LEAST_SLIP_S, MOST_SLIPPED = 0.2, 0.5
#: Sound on either side of a slip that is judged with it: the jumps cost something, too.
ABOUT_SLIP_S = 0.1


def evened(t_ref: Floats, t_rec: Floats) -> tuple[Floats, ...]:
    """Even courses along a rough one: without what leaves it and comes back, by the running median of its distance from
    a straight line; and that line itself, for one of two parts may be a beat beside the other (Sen, JASA 63, 1968).

    Parameters
    ----------
    t_ref, t_rec : shape (steps,), s, `t_ref` rising.

    Returns
    -------
    Recording times, shape (steps,), s, never falling; none of less than two steps.
    """
    if t_ref.size < 2:
        return ()
    some = np.unique(np.linspace(0, t_ref.size - 1, MOST_FITTED).astype(np.int64))
    slope, start, *_ = theilslopes(t_rec[some], t_ref[some], method="joint")  # type: ignore[call-overload]
    straight = start + max(float(slope), 0.0) * t_ref
    step_s = (t_ref[-1] - t_ref[0]) / (t_ref.size - 1)
    away = median_filter(t_rec - straight, size=2 * int(EVENED_S / 2 / step_s) + 1, mode="nearest")
    return np.maximum.accumulate(straight + away), straight


def without_slips(
    hop_s: float,
    known: npt.NDArray[np.bool_],
    t_rec: Floats,
    distance: Floats,
    even_t_rec: Floats,
    even_distance: Floats,
) -> tuple[Floats, Floats]:
    """A course and its distance, but the even one's wherever they part and that is no further from the sound.

    Parameters
    ----------
    hop_s : > 0, s. From one moment of the reference to the next.
    known : shape (moments,). Those of the passage: only what reaches into it can have slipped.
    t_rec, distance : shape (moments,). Where the course is in the recording, s, and how far from its sound; below 0
        outside of it.
    even_t_rec, even_distance : of the even course.
    """
    chosen, near = t_rec.copy(), distance.copy()
    about, apart = round(ABOUT_SLIP_S / hop_s), np.abs(t_rec - even_t_rec)
    for first, last in _stretches(apart > UNPARTED_S, round(SAME_SLIP_S / hop_s)):
        slipped = np.count_nonzero(known[first:last])
        if not 0 < slipped <= MOST_SLIPPED * np.count_nonzero(known) or apart[first:last].max() < LEAST_SLIP_S:
            continue
        ours, its = (one[max(first - about, 0) : last + about] for one in (distance, even_distance))
        inside = (ours >= 0) & (its >= 0)
        if inside.any() and its[inside].mean() <= AS_NEAR * ours[inside].mean():
            chosen[first:last], near[first:last] = even_t_rec[first:last], even_distance[first:last]
    return chosen, near


def _stretches(where: npt.NDArray[np.bool_], joined: int) -> list[tuple[int, int]]:
    """Half-open stretches that are true, those no further apart than `joined` as one."""
    edges = np.flatnonzero(np.diff(np.concatenate([[False], where, [False]])))
    found: list[tuple[int, int]] = []
    for first, last in edges.reshape(-1, 2).tolist():
        if found and first - found[-1][1] <= joined:
            found[-1] = (found[-1][0], last)
        else:
            found.append((first, last))
    return found
