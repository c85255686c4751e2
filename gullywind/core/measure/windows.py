"""Where windows lie along an overlap, and how they are measured together. Times in s."""

import math
from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass, replace

import numpy as np

from gullywind.core.ground.units import Floats, to_samples, to_seconds
from gullywind.core.measure.correlate import SegmentPlan, WindowLag, measure_window, segment_size, working_rate_hz
from gullywind.core.measure.segments import grid_centres_s
from gullywind.core.sound.views import Listening

#: Runs a function over items, perhaps on several cores, in order.
MapAll = Callable[[Callable[[float], WindowLag | None], Iterable[float]], Iterator[WindowLag | None]]

#: Shorter windows hold too little sound in a room.
LEAST_WINDOW_S = 1.0
#: Looks at different recordings meet at multiples of this, s, or of a half, a quarter and so on of it.
COMMON_S = 5.0


@dataclass(frozen=True, slots=True)
class Line:
    """A straight map: `t_rec = rate * (t_ref - offset_s)`."""

    offset_s: float
    rate: float

    def to_recording(self, t_ref: Floats) -> Floats:
        """Same shape as `t_ref`, s."""
        return self.rate * (t_ref - self.offset_s)


@dataclass(frozen=True, slots=True)
class Layout:
    """Centres of the windows in reference time, s, and the length of each, s.

    On the grid, windows give way by up to half a segment, so that the reference's spectra are made once for all looks.
    """

    centres_s: tuple[float, ...]
    window_s: float
    on_grid: bool = False


#: Lays windows from a start to an end: `lay(start_s, end_s, count=..., window_s=...)`.
Lay = Callable[..., Layout]


def overlap_s(line: Line, reference: Listening, recording: Listening) -> tuple[float, float]:
    """Reference time that both cover, start and end, s; start >= end where they do not meet."""
    return max(0.0, line.offset_s), min(reference.duration_s, line.offset_s + recording.duration_s / line.rate)


def lay_windows(start_s: float, end_s: float, *, count: int, window_s: float) -> Layout:
    """Evenly spread windows that reach from edge to edge; shorter ones where the overlap is short.

    Windows of a short overlap overlap each other by up to a half; at least two are laid. A short overlap is cut into
    many short windows rather than few long ones: what must agree is several of them.
    """
    length = end_s - start_s
    window_s = min(window_s, max(length / 4, LEAST_WINDOW_S), length / 2)
    count = max(2, min(count, int(length / (window_s / 2)) - 1))
    centres = np.linspace(start_s + window_s / 2, end_s - window_s / 2, count)
    return Layout(tuple(float(c) for c in centres), window_s)


def lay_common_windows(start_s: float, end_s: float, *, count: int, window_s: float) -> Layout:
    """About as many on the grid, inner ones at moments that other layouts share, from edge to edge.

    So the reference's spectra serve the first check, the refinement and the proof, and the next recording's as well.
    Windows that lie close are left where they are: of overlapping ones more would say the same twice.
    """
    layout = replace(lay_windows(start_s, end_s, count=count, window_s=window_s), on_grid=True)
    first, last = layout.centres_s[0], layout.centres_s[-1]
    spacing_s = (last - first) / (len(layout.centres_s) - 1)
    if spacing_s < 2 * layout.window_s:
        return layout
    times = spacing_s / COMMON_S
    step_s = COMMON_S * (math.floor(times) if times >= 1 else 2.0 ** math.floor(math.log2(times)))
    inner = range(math.ceil(first / step_s + 0.5), math.floor(last / step_s - 0.5) + 1)
    return replace(layout, centres_s=(first, *(i * step_s for i in inner), last))


def measure_all(
    reference: Listening,
    recording: Listening,
    line: Line,
    layout: Layout,
    *,
    most_lag_s: float,
    map_all: MapAll = map,
) -> tuple[WindowLag, ...]:
    """Measure all windows of a layout against the line; silent ones are left out."""
    rate_hz = working_rate_hz(reference, recording)
    size = segment_size(rate_hz, layout.window_s)
    most_lag_s = min(most_lag_s, size / rate_hz / 3)
    hop_s = size / rate_hz / 2
    count = max(2, int(layout.window_s / hop_s) - 1)
    middle_s = (layout.centres_s[0] + layout.centres_s[-1]) / 2

    def segments_of(centre_s: float) -> tuple[int | None, Floats]:
        if not layout.on_grid:
            # On whole samples of the reference only the recording's side needs turning.
            whole_s = to_seconds(to_samples(centre_s, reference.sample_rate_hz), reference.sample_rate_hz)
            return None, np.asarray(whole_s + (np.arange(count) - (count - 1) / 2) * hop_s, np.float64)
        # By less than a hop, and towards the middle: never beyond what both cover.
        begin = centre_s / hop_s - (count + 1) / 2
        first = math.ceil(begin) if centre_s < middle_s else math.floor(begin)
        return first, grid_centres_s(first, count, size, rate_hz)

    def measure(centre_s: float) -> WindowLag | None:
        first, t_ref = segments_of(centre_s)
        plan = SegmentPlan(t_ref, line.to_recording(t_ref), first)
        return measure_window(reference, recording, plan, size=size, most_lag_s=most_lag_s)

    return tuple(lag for lag in map_all(measure, layout.centres_s) if lag is not None)
