"""Windows that disagree with a line: mostly pauses and coughs, seldom a break. Asked before breaks are looked for.

A break moves all that follows it, so that the sound on at least one side of a stray window lies elsewhere as well; a
pause leaves both sides in step. Times in s.
"""

import math
from collections.abc import Sequence

from gullywind.core.measure.correlate import WindowLag
from gullywind.core.measure.windows import Layout, Line, MapAll, measure_all, overlap_s
from gullywind.core.places.verify import FINE_LAG_S, window_agrees
from gullywind.core.sound.views import Listening

#: Where more windows than this share are stray the sides say little, and are many.
MOST_STRAY = 1 / 4
#: How far to either side of a stray window one is looked for that agrees.
AWAY_S = (4.5, 9.0, 13.5)
#: What lies between two that agree is no piece if it is shorter than this; at an edge of the overlap, where a piece may
#: be shorter, the nearest must agree.
LEAST_MIDDLE_PIECE_S, LEAST_EDGE_PIECE_S = 18.0, 8.0


def may_be_broken(
    reference: Listening,
    recording: Listening,
    line: Line,
    lags: Sequence[WindowLag],
    *,
    window_s: float,
    map_all: MapAll = map,
) -> bool:
    """Whether the windows that disagree with a line leave room for a break.

    Parameters
    ----------
    lags : windows along the line, their lags against it.
    window_s : > 0, s. How long they are.
    """
    strays = [lag.t_ref for lag in lags if not window_agrees(lag)]
    if len(strays) > MOST_STRAY * len(lags):
        return True
    start_s, end_s = overlap_s(line, reference, recording)

    def agrees(t_ref: float) -> bool:
        one = Layout((t_ref,), window_s, on_grid=True)
        found = measure_all(reference, recording, line, one, most_lag_s=FINE_LAG_S, map_all=map_all)
        return bool(found) and window_agrees(found[0])

    def nearest_s(stray: float, side: int) -> float:
        """How far away the first window agrees: 0 beyond the overlap, infinite where none does."""
        if not start_s <= stray + side * (AWAY_S[0] + window_s / 2) <= end_s:
            return 0.0
        return next((away_s for away_s in AWAY_S if agrees(stray + side * away_s)), math.inf)

    for stray in strays:
        before_s, after_s = nearest_s(stray, -1), nearest_s(stray, 1)
        least_s = LEAST_MIDDLE_PIECE_S if min(before_s, after_s) > 0 else LEAST_EDGE_PIECE_S
        if not 0 < before_s + after_s <= least_s:
            return True
    return False
