"""Full-rate check of one possible place: do windows all along the overlap agree on one line? Times in s."""

import math
from dataclasses import dataclass, replace

import numpy as np

from gullywind.core.ground.units import Floats
from gullywind.core.measure.bend import Bend, find_bend
from gullywind.core.measure.correlate import WindowLag
from gullywind.core.measure.drift import DriftFit, find_consensus, fit_drift
from gullywind.core.measure.evidence import Support
from gullywind.core.measure.explained import explained_share
from gullywind.core.measure.windows import Lay, Line, MapAll, lay_common_windows, measure_all, overlap_s
from gullywind.core.places.search import CoarsePlace, probe_line
from gullywind.core.sound.views import Listening

#: The coarse place is right to about 25 ms, and a minute's probe may drift by 12 ms.
ROUGH_LAG_S = 0.08


@dataclass(frozen=True, slots=True)
class Look:
    """How many windows of which length a check takes."""

    windows: int
    window_s: float


#: Most places prove themselves in a glance, though a window may fall into a pause; noise needs up to six times the
#: sound in each.
LOOKS = (Look(8, 1.4), Look(8, 2.7), Look(12, 8.0))
LONGEST = LOOKS[-1]
#: Below this quality windows are made long, above it they may be short.
LONG_BELOW_QUALITY, SHORT_ABOVE_QUALITY = 12.0, 60.0
ROUGH_TOLERANCE_S = 0.001
#: Windows of the fine measurement: one in 15 s, within these bounds.
S_PER_WINDOW, FINE_WINDOWS = 15.0, (10, 48)
FINE_LAG_S, FINE_TOLERANCE_S = 0.006, 0.0012
MOST_PPM = 600.0
#: Noise alone reaches 4 to 5.
LEAST_QUALITY = 4.5
#: Windows clearer than this are hardly ever noise within the narrow search.
CLEAR_QUALITY = 5.5
#: Shorter overlaps carry no judgement.
LEAST_OVERLAP_S = 0.4


@dataclass(frozen=True, slots=True)
class Weighed:
    """A coarse place with the line near it that the whole overlap speaks for most, and how far the sum of its windows
    stands above chance, in standard deviations; as one window, the search's height, where no sum was needed.
    """

    coarse: CoarsePlace
    line: Line
    height: float
    windows: int

    @property
    def density(self) -> float:
        """The mean of its windows, in standard deviations of one."""
        return self.height / math.sqrt(self.windows)


@dataclass(frozen=True, eq=False)
class Verified:
    """A place after the full-rate check."""

    place: Weighed
    look: Look
    reference: Listening
    recording: Listening
    line: Line
    lags: tuple[WindowLag, ...]
    support: Support


def verify_place(
    reference: Listening,
    recording: Listening,
    place: Weighed,
    *,
    look: Look,
    lay: Lay = lay_common_windows,
    map_all: MapAll = map,
) -> Verified | None:
    """Check one place with few windows.

    Parameters
    ----------
    look : how many windows, and how long.
    lay : `lay_windows` for places that rival each other: they are to be heard at the same moments of the recording.

    Returns
    -------
    Verified, or None where the two hardly overlap there.
    """
    line = place.line
    start_s, end_s = overlap_s(line, reference, recording)
    if end_s - start_s < LEAST_OVERLAP_S:
        return None
    layout = lay(start_s, end_s, count=look.windows, window_s=look.window_s)
    lags = measure_all(reference, recording, line, layout, most_lag_s=ROUGH_LAG_S, map_all=map_all)
    if not lags:
        return None
    t_ref, t_rec, quality = found_times(lags, line)
    strength = np.log(np.maximum(quality / LEAST_QUALITY, 1.05)).clip(0, 2.5)
    agreed = find_consensus(
        t_ref, t_rec, strength, expected_rate=line.rate, most_ppm=MOST_PPM, tolerance_s=ROUGH_TOLERANCE_S
    )
    coverage = (end_s - start_s) / min(reference.duration_s, recording.duration_s)
    support = _support(place, lags, agreed.inliers, end_s - start_s, min(coverage, 1.0))
    return Verified(place, look, reference, recording, Line(agreed.offset_s, agreed.rate), lags, support)


def starting_line(place: CoarsePlace) -> Line:
    """Line through the probes where three or more agree; else the plain offset at rate 1."""
    t_rec, offset_s, z = probe_line(place)
    if t_rec.size >= 3:
        t_ref = t_rec + offset_s
        agreed = find_consensus(t_ref, t_rec, z, expected_rate=1.0, most_ppm=MOST_PPM, tolerance_s=0.06)
        if np.count_nonzero(agreed.inliers) >= 3:
            used = agreed.inliers
            fit = fit_drift(t_ref[used], t_rec[used], z[used], tolerance_s=0.06)
            if abs(fit.clock_ppm) <= MOST_PPM:
                return Line(fit.offset_s, fit.rate)
    if t_rec.size:
        return Line(float(offset_s[int(np.argmax(z))]), 1.0)
    return Line(place.offset_s, 1.0)


def found_times(lags: tuple[WindowLag, ...], line: Line) -> tuple[Floats, Floats, Floats]:
    """Window centres, where each was found in the recording, and qualities; each shape (windows,)."""
    t_ref = np.array([lag.t_ref for lag in lags])
    t_rec = line.to_recording(t_ref) + np.array([lag.lag_s for lag in lags])
    return t_ref, t_rec, np.array([lag.quality for lag in lags])


@dataclass(frozen=True, eq=False)
class Refined:
    """A line fitted twice at full rate, how the clock bends along it, and the windows, of `window_s`, against both."""

    verified: Verified
    line: Line
    window_s: float
    bend: Bend | None
    fit: DriftFit
    lags: tuple[WindowLag, ...]
    support: Support


def fine_window_s(quality: float) -> float:
    """How long windows must be, s, for a place whose short ones had this median quality."""
    if quality < LONG_BELOW_QUALITY:
        return LOOKS[2].window_s
    return LOOKS[0].window_s if quality > SHORT_ABOVE_QUALITY else LOOKS[1].window_s


def refine_line(
    verified: Verified, *, window_s: float, lay: Lay = lay_common_windows, map_all: MapAll = map
) -> Refined:
    """Measure again along the agreed line, with windows all along the overlap, and fit.

    Rivals are to be refined with the same `window_s`: scores of long and short windows do not compare; and by
    `lay_windows`, so that they are compared at the same moments of the recording.

    The second measurement starts from the first's line, so that drift inside a window no longer biases it.
    """
    line = verified.line
    start_s, end_s = overlap_s(line, verified.reference, verified.recording)
    length = end_s - start_s
    count = int(np.clip(length / S_PER_WINDOW, *FINE_WINDOWS))
    layout = lay(start_s, end_s, count=count, window_s=window_s)
    lags = measure_all(verified.reference, verified.recording, line, layout, most_lag_s=FINE_LAG_S, map_all=map_all)
    if not lags:
        lags = verified.lags
    t_ref, t_rec, quality = found_times(lags, line)
    strength = np.maximum(quality - LEAST_QUALITY + 0.5, 0.05)
    agreed = find_consensus(
        t_ref, t_rec, np.log1p(strength), expected_rate=line.rate, most_ppm=60.0, tolerance_s=FINE_TOLERANCE_S
    )
    used = agreed.inliers
    fit = fit_drift(t_ref[used], t_rec[used], strength[used], tolerance_s=FINE_TOLERANCE_S)
    final = Line(fit.offset_s, fit.rate)
    late = t_rec - final.to_recording(t_ref)
    clear = quality >= CLEAR_QUALITY
    bend = find_bend(t_ref[clear], late[clear], strength[clear])
    if bend:
        late = late - bend.late_s(t_ref)
    lags = tuple(replace(lag, lag_s=float(late_s)) for lag, late_s in zip(lags, late, strict=True))
    # In the narrow search noise often falls within the tolerance: what agrees must be clear as well.
    agreeing = (np.abs(late) <= FINE_TOLERANCE_S) & clear
    support = _support(verified.place, lags, agreeing, length, verified.support.coverage)
    return Refined(verified, final, layout.window_s, bend, fit, lags, support)


def window_agrees(lag: WindowLag) -> bool:
    """Whether a window of the narrow search lies on the map: near it, and clearer than noise."""
    return abs(lag.lag_s) <= FINE_TOLERANCE_S and lag.quality >= CLEAR_QUALITY


def _support(
    place: Weighed, lags: tuple[WindowLag, ...], agreeing: np.ndarray, overlap: float, coverage: float
) -> Support:
    count, m = len(lags), int(np.count_nonzero(agreeing))
    quality = np.array([lag.quality for lag in lags])
    agreement = np.array([max(lag.agreement, 0.0) for lag in lags])
    nats = chance_nats(count, m, chosen=2 if overlap * MOST_PPM * 1e-6 > ROUGH_TOLERANCE_S else 1)
    return Support(
        envelope_z=place.coarse.z,
        height=place.height,
        windows=count,
        agreeing=m,
        chance_nats=float(nats),
        quality=float(np.median(quality[agreeing])) if m else 0.0,
        score=float((agreement * agreeing).mean()),
        explained=explained_share(lags),
        overlap_s=overlap,
        coverage=coverage,
    )


def chance_nats(windows: int, agreeing: int, *, chosen: int) -> float:
    """How improbable it is, in nats, that windows fall within the tolerance of lines that `chosen` of them fixed."""
    share = ROUGH_TOLERANCE_S / ROUGH_LAG_S
    spare, hits = max(windows - chosen, 0), max(agreeing - chosen, 0)
    return max(0.0, _log_tail(spare, hits, share) - float(np.log(max(windows, 1))) * chosen)


def _log_tail(trials: int, hits: int, share: float) -> float:
    """Minus the logarithm of the binomial tail's leading term (Chernoff's bound), nats; 0 where unsurprising."""
    if trials == 0 or hits <= trials * share:
        return 0.0
    q = hits / trials
    rest = (1 - q) * np.log((1 - q) / (1 - share)) if q < 1 else 0.0
    return float(trials * (q * np.log(q / share) + rest))
