"""Where windows lie along an overlap, and how they are measured together. Times in s."""

from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass

import numpy as np

from gullywind.core.correlate import SegmentPlan, WindowLag, measure_window, segment_size, working_rate_hz
from gullywind.core.sound import Listening
from gullywind.core.units import Floats, to_samples, to_seconds

#: Runs a function over items, perhaps on several cores, in order.
MapAll = Callable[[Callable[[float], WindowLag | None], Iterable[float]], Iterator[WindowLag | None]]

#: Shorter windows hold too little sound in a room.
LEAST_WINDOW_S = 1.0


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
    """Centres of the windows in reference time, s, and the length of each, s."""

    centres_s: tuple[float, ...]
    window_s: float


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
    size = segment_size(working_rate_hz(reference, recording), layout.window_s)
    size_s = size / working_rate_hz(reference, recording)
    most_lag_s = min(most_lag_s, size_s / 3)
    count = max(2, int((layout.window_s - size_s) / (size_s / 2)) + 1)
    inside = (np.arange(count) - (count - 1) / 2) * (size_s / 2)

    def measure(centre_s: float) -> WindowLag | None:
        # On whole samples of the reference only the recording's side needs turning.
        whole_s = to_seconds(to_samples(centre_s, reference.sample_rate_hz), reference.sample_rate_hz)
        t_ref = np.asarray(whole_s + inside, np.float64)
        plan = SegmentPlan(t_ref, line.to_recording(t_ref))
        return measure_window(reference, recording, plan, size=size, most_lag_s=most_lag_s)

    return tuple(lag for lag in map_all(measure, layout.centres_s) if lag is not None)
