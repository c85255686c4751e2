"""Inside a set: by how much one microphone hears later than another, and whether it is inverted. Times in s.

Both run by one clock, so that all windows must say the same: their median is taken, with its spread. What is measured
is sound's way through air, or a digital delay; which of both it is nobody can tell from the sound.
"""

from dataclasses import dataclass

import numpy as np

from gullywind.core.measure.windows import Line, MapAll, lay_windows, measure_all, overlap_s
from gullywind.core.sound.views import Listening

#: Microphones of one recorder stand within 10 m of each other, mostly within one.
MOST_INSIDE_S = 0.03
#: So many windows along what both have, s each.
INSIDE_WINDOWS, INSIDE_WINDOW_S = 12, 2.7
#: Of windows so clear at least so many must say the same, within this of their median, s.
INSIDE_QUALITY, LEAST_INSIDE, INSIDE_SPREAD_S = 7.0, 3, 0.001


@dataclass(frozen=True, slots=True)
class Inside:
    """Of one member against another: `late_s` positive where it hears later; how many windows say so."""

    late_s: float
    polarity: int
    windows: int


def measure_inside(
    first: Listening, other: Listening, begins_later_s: float, *, map_all: MapAll = map
) -> Inside | None:
    """Compare two members of a set.

    Parameters
    ----------
    begins_later_s : by how much the other begins after the first, in the set's time.

    Returns
    -------
    Inside, or None where they have no time in common, or nothing alike in it.
    """
    line = Line(begins_later_s, 1.0)
    start_s, end_s = overlap_s(line, first, other)
    if end_s - start_s < INSIDE_WINDOW_S:
        return None
    layout = lay_windows(start_s, end_s, count=INSIDE_WINDOWS, window_s=INSIDE_WINDOW_S)
    lags = measure_all(first, other, line, layout, most_lag_s=MOST_INSIDE_S, map_all=map_all)
    clear = [lag for lag in lags if lag.quality >= INSIDE_QUALITY]
    if len(clear) < LEAST_INSIDE:
        return None
    late_s = float(np.median([lag.lag_s for lag in clear]))
    same = [lag for lag in clear if abs(lag.lag_s - late_s) <= INSIDE_SPREAD_S]
    if len(same) < max(LEAST_INSIDE, len(clear) / 2):
        return None
    polarity = 1 if sum(lag.polarity * lag.quality for lag in same) >= 0 else -1
    return Inside(float(np.median([lag.lag_s for lag in same])), polarity, len(same))
