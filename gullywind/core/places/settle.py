"""Where a recording put down by hand sounds alike: the highest maximum of the match within reach. Times in s."""

from collections.abc import Sequence

import numpy as np

from gullywind.core.measure.evidence import Curve
from gullywind.core.measure.windows import Line, MapAll, overlap_s
from gullywind.core.places.accumulate import REACH_S, accumulate, recording_grid, reference_grid
from gullywind.core.places.search import CoarsePlace
from gullywind.core.places.verify import LOOKS, Weighed, verify_place
from gullywind.core.places.weigh import MOST_WEIGHED_WINDOWS, SURE_HEIGHT
from gullywind.core.sound.views import Listening

#: Of the match curve's maxima within reach so many are listened to.
MOST_MAXIMA = 4
#: Agreement of windows by this many nats is enough for the windows' line; else the sum's is taken.
SETTLED_NATS = 3.0


def settle(
    reference: Listening,
    recording: Listening,
    line: Line,
    reach_s: float,
    curve: Curve | None,
    *,
    map_all: MapAll = map,
) -> float | None:
    """By how much later a recording must lie to sound alike where it was put.

    Parameters
    ----------
    line : where it lies now.
    reach_s : > 0, s. No further than this.
    curve : how well every offset fits, where that is known.

    Returns
    -------
    s, or None where nothing within reach stands above chance.
    """
    start_s, end_s = overlap_s(line, reference, recording)
    if end_s <= start_s:
        return None
    middle_rec = float(line.to_recording(np.array([(start_s + end_s) / 2]))[0])
    grids = reference_grid(reference), recording_grid(recording, most_windows=MOST_WEIGHED_WINDOWS)
    best: tuple[float, float] | None = None
    near = [Line(line.offset_s + by_s, line.rate) for by_s in (0.0, *_maxima(curve, line.offset_s, reach_s))]
    for moved, found in zip(near, accumulate(*grids, near, most_windows=MOST_WEIGHED_WINDOWS), strict=True):
        if found is None or found.height < SURE_HEIGHT:
            continue
        place = Weighed(CoarsePlace(moved.offset_s, 0.0, ()), found.line, found.height, found.windows)
        verified = verify_place(reference, recording, place, look=LOOKS[1], map_all=map_all)
        sure = verified is not None and verified.support.chance_nats >= SETTLED_NATS
        there = verified.line if verified is not None and sure else found.line
        late_s = _reference_at(there, middle_rec) - _reference_at(line, middle_rec)
        if abs(late_s) <= reach_s and (best is None or found.height > best[0]):
            best = found.height, late_s
    return None if best is None else best[1]


def _reference_at(line: Line, t_rec: float) -> float:
    return t_rec / line.rate + line.offset_s


def _maxima(curve: Curve | None, offset_s: float, reach_s: float) -> Sequence[float]:
    """How far from an offset the highest local maxima of the curve lie, within reach; nearer ones the sum sees."""
    if curve is None or reach_s <= REACH_S:
        return []
    offsets = np.asarray(curve.start_s + np.arange(curve.heights.size) * curve.step_s)
    heights = curve.heights
    inside = np.flatnonzero(np.abs(offsets - offset_s) <= reach_s)
    inside = inside[(inside > 0) & (inside < heights.size - 1)]
    tops = inside[(heights[inside] >= heights[inside - 1]) & (heights[inside] >= heights[inside + 1])]
    best = tops[np.argsort(-heights[tops])][:MOST_MAXIMA]
    return [float(offsets[k] - offset_s) for k in best]
