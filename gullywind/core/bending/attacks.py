"""Slow attacks against quick ones: a bow is matched where it is loud, a string where it is plucked. Times in s.

The features change most where a tone is half there, which for a bow is some 40 ms after it began. How much later than
its first energy each performance is matched is measured over all its beginnings, and what the two differ by is put
right for all of them: single beginnings are too uncertain.
"""

import numpy as np
import numpy.typing as npt

from gullywind.core.features.performance import FRAME_HOP_S, Performance
from gullywind.core.ground.units import Floats

#: Bands that rise by this much, dB, from some frames before a moment to some after it, hold what begins.
RISING_DB, LEAST_RISING = 6.0, 2
EARLIER, LATER = slice(-20, -8), slice(2, 12)
#: It began where they last stood this far above their lowest, dB, within so many frames before or after: with 3 dB a
#: third of what a bow takes was missed.
BEGUN_DB, BACK_FRAMES, ON_FRAMES, NEAR_FRAMES = 0.5, 26, 6, 6
#: With fewer beginnings nothing is put right, nor what is smaller or more uncertain than this; a median needs no more
#: than so many, spread over the whole.
LEAST_BEGINNINGS, LEAST_LATE_S, MOST_SPREAD = 8, 0.008, 0.7
MOST_BEGINNINGS = 200


def attack_difference_s(reference: Performance, recording: Performance, t_ref: Floats, t_rec: Floats) -> float:
    """How much later the recording would have to be matched for beginnings to meet; 0 where attacks are alike.

    Parameters
    ----------
    t_ref, t_rec : shape (beginnings,), s. Moments at which they were matched.
    """
    some = np.unique(np.linspace(0, t_ref.size - 1, min(t_ref.size, MOST_BEGINNINGS)).astype(np.int64))
    t_ref, t_rec = t_ref[some], t_rec[some]
    late = [_late_s(one, t) for one, times in ((reference, t_ref), (recording, t_rec)) for t in times.tolist()]
    ours, theirs = (np.array(some, np.float64) for some in (late[: t_ref.size], late[t_ref.size :]))
    differ = (ours - theirs)[np.isfinite(ours - theirs)]
    if differ.size < LEAST_BEGINNINGS:
        return 0.0
    middle = float(np.median(differ))
    spread = float(np.median(np.abs(differ - middle)))
    return middle if abs(middle) >= LEAST_LATE_S and spread <= MOST_SPREAD * abs(middle) else 0.0


def _late_s(performance: Performance, moment_s: float) -> float:
    """How long after its first energy something is matched, s; NaN where nothing plainly begins."""
    frame, levels = round(moment_s / FRAME_HOP_S), performance.bands_db
    if frame + EARLIER.start < 0 or frame + LATER.stop > len(levels):
        return np.nan
    before = levels[frame + EARLIER.start : frame + EARLIER.stop].mean(axis=0)
    after = levels[frame + LATER.start : frame + LATER.stop].mean(axis=0)
    rising = after - before > RISING_DB
    if rising.sum() < LEAST_RISING:
        return np.nan
    first = max(0, frame - BACK_FRAMES)
    level = levels[first : frame + ON_FRAMES + 1, rising].mean(axis=1)
    begun = _begun(level, frame - first)
    return np.nan if begun is None else moment_s - (first + begun) * FRAME_HOP_S


def _begun(level: npt.NDArray, near: int) -> float | None:
    """Where a level begins to rise, frames: from its steepest rise back to where it stood still."""
    rises = np.diff(level)
    low = max(0, near - NEAR_FRAMES)
    at = low + int(rises[low : near + NEAR_FRAMES].argmax())
    while at > 0 and level[at - 1] < level[at]:
        at -= 1
    goal, up = level[at] + BEGUN_DB, at
    while up < level.size - 1 and level[up + 1] < goal:
        up += 1
    if up >= level.size - 1:
        return None
    return up + float(np.clip((goal - level[up]) / max(level[up + 1] - level[up], 1e-6), 0, 1))
