"""The proof: timing differences that are left once a map is applied, measured anew from the rendered sound. Times in s.

What is measured is what is delivered: each window of the recording is rendered through the map into reference time, as
it would be written to a file, and correlated with the reference at full rate. The fit that made the map has no say.
"""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from enum import StrEnum
from itertools import pairwise

import numpy as np

from gullywind.core.ground.units import Samples
from gullywind.core.maps.time_map import TimeMap
from gullywind.core.measure.correlate import WindowLag
from gullywind.core.measure.evidence import Residual
from gullywind.core.measure.windows import Layout, Line, MapAll, lay_common_windows, measure_all
from gullywind.core.places.verify import FINE_TOLERANCE_S, S_PER_WINDOW
from gullywind.core.render.warp import render
from gullywind.core.sound.views import Listening

#: As many windows as a fit has, within these bounds.
WINDOWS = (8, 120)
#: Windows by the quality that short ones had: in noise they must be long.
WINDOWS_S = ((20.0, 1.4), (12.0, 2.7), (0.0, 8.0))
#: First near the map; where little is found there, as far as a window reaches.
NEAR_LAG_S, FAR_LAG_S = 0.02, 0.1
#: Of windows of 2.7 s from noise-like strangers one in a hundred reaches this; what is far off must be clearer still.
PROVING_QUALITY, FAR_PROVING_QUALITY = 7.0, 9.0
#: With fewer clear windows than this share the search is widened.
ENOUGH_CLEAR = 1 / 4
#: Fewer clear windows prove nothing, if there are many: strangers too have moments that agree.
LEAST_CLEAR = 0.1
#: Quality counts up to this: beyond it a window is as sure as any.
MOST_QUALITY = 40.0
#: Shorter pieces hold too little sound.
LEAST_PROVED_S = 0.5
MOMENT_WINDOW_S, MOMENT_LAG_S = 2.0, 0.08


@dataclass(frozen=True, eq=False)
class Proof:
    """Windows along the overlap, and what they say together; None where no window is clear enough to say anything."""

    windows: tuple[WindowLag, ...]
    residual: Residual | None


class Verdict(StrEnum):
    """What a window of a proof says of the map."""

    AGREES = "agrees"
    DIFFERS = "differs"  #: clearly elsewhere
    NOTHING = "nothing"  #: too quiet or too noisy to say


class Rendered:
    """A recording's listening mix as a source in reference time, rendered through a map where it is read."""

    def __init__(self, view: Listening, time_map: TimeMap, *, sample_rate_hz: int, samples: int) -> None:
        self._mix, self._time_map = _Mix(view), time_map
        self.sample_rate_hz, self.samples, self.channels = sample_rate_hz, samples, 1

    def read(self, start: int, stop: int) -> Samples:
        """Shape (1, stop - start); zeros where no piece covers."""
        length = stop - start
        return render(self._mix, self._time_map, sample_rate_hz=self.sample_rate_hz, samples=length, first=start)


class _Mix:
    """A view as a source of one channel, by the times that its file states: maps speak of those."""

    def __init__(self, view: Listening) -> None:
        self._view = view
        self.sample_rate_hz, self.samples, self.channels = view.source.sample_rate_hz, view.source.samples, 1

    def read(self, start: int, stop: int) -> Samples:
        return self._view.read(start, stop)[None, :]


def proof_window_s(quality: float) -> float:
    """How long windows must be, s, for a place whose short ones had this median quality."""
    return next(window_s for least, window_s in WINDOWS_S if quality >= least)


def prove(
    reference: Listening, recording: Listening, time_map: TimeMap, *, window_s: float, map_all: MapAll = map
) -> Proof:
    """Render and measure again, window by window.

    Parameters
    ----------
    reference, recording : mono views.
    time_map : of the recording.
    window_s : > 0, s. Longer windows see through more noise.
    """
    rendered = rendered_listening(reference, recording, time_map)
    layouts = _lay(time_map, reference.duration_s, window_s)

    def measured(most_lag_s: float) -> tuple[WindowLag, ...]:
        found = [
            measure_all(reference, rendered, Line(0.0, 1.0), one, most_lag_s=most_lag_s, map_all=map_all)
            for one in layouts
        ]
        return tuple(sorted((lag for lags in found for lag in lags), key=lambda lag: lag.t_ref))

    windows = measured(NEAR_LAG_S)
    clear = sum(is_clear(lag.lag_s, lag.quality) for lag in windows)
    if windows and clear < ENOUGH_CLEAR * len(windows):
        windows = measured(FAR_LAG_S)
    return Proof(windows, residual_of(windows))


def prove_moment(reference: Listening, recording: Listening, time_map: TimeMap, t_ref: float) -> WindowLag | None:
    """One window around a moment of the reference; None where one side is silent there or nothing is clear."""
    rendered = rendered_listening(reference, recording, time_map)
    layout = Layout((t_ref,), MOMENT_WINDOW_S)
    found = measure_all(reference, rendered, Line(0.0, 1.0), layout, most_lag_s=MOMENT_LAG_S)
    return found[0] if found and is_clear(found[0].lag_s, found[0].quality) else None


def residual_of(windows: Sequence[WindowLag]) -> Residual | None:
    """Median and 95th percentile of the timing differences in clear windows; None where too few are.

    Windows count by their quality: where a person coughs into one microphone the two differ, and that is no residual.
    """
    clear = sorted((lag for lag in windows if is_clear(lag.lag_s, lag.quality)), key=lambda lag: abs(lag.lag_s))
    if len(clear) < max(2, LEAST_CLEAR * len(windows)):
        return None
    late_ms = np.array([abs(lag.lag_s) for lag in clear]) * 1e3
    weight = np.array([min(lag.quality, MOST_QUALITY) for lag in clear]) - PROVING_QUALITY + 1
    share = (np.cumsum(weight) - weight / 2) / weight.sum()
    median_ms, p95_ms = np.interp([0.5, 0.95], share, late_ms)
    return Residual(float(median_ms), float(p95_ms), len(clear))


def is_clear(lag_s: float, quality: float) -> bool:
    """Whether a window says anything: what is far from the map must be clearer than what is near it."""
    return quality >= (PROVING_QUALITY if abs(lag_s) <= NEAR_LAG_S else FAR_PROVING_QUALITY)


def verdict_of(lag_s: float, quality: float) -> Verdict:
    """What a window says; those that say something are those that the residual is made of."""
    if not is_clear(lag_s, quality):
        return Verdict.NOTHING
    return Verdict.AGREES if is_in_step(lag_s) else Verdict.DIFFERS


def is_in_step(lag_s: float) -> bool:
    """Whether a timing difference is one that microphones at different places have anyway."""
    return abs(lag_s) <= FINE_TOLERANCE_S


def rendered_listening(reference: Listening, recording: Listening, time_map: TimeMap) -> Listening:
    """The recording as it is heard through a map, in reference time."""
    source = reference.source
    rendered = Rendered(recording, time_map, sample_rate_hz=source.sample_rate_hz, samples=source.samples)
    return Listening(rendered, (0,))


def _lay(time_map: TimeMap, reference_s: float, window_s: float) -> list[Layout]:
    """Windows of every piece that meets the reference, as many as its share of the whole."""
    spans = [(max(0.0, piece.start[0]), min(reference_s, piece.end_exclusive[0])) for piece in time_map.pieces]
    spans = [(start, end) for start, end in spans if end - start >= LEAST_PROVED_S]
    total = sum(end - start for start, end in spans)
    count = float(np.clip(total / S_PER_WINDOW, *WINDOWS))
    counts = [max(2, round(count * (end - start) / total)) for start, end in spans]
    return [
        _between(lay_common_windows(start, end, count=number + 1, window_s=window_s))
        for (start, end), number in zip(spans, counts, strict=True)
    ]


def _between(layout: Layout) -> Layout:
    """Halfway between the moments at which the fit was made: what it was fitted on proves nothing."""
    centres = layout.centres_s
    return replace(layout, centres_s=tuple((a + b) / 2 for a, b in pairwise(centres)))
