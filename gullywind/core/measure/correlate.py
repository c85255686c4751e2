"""Local timing at full rate: generalised cross-correlation of windows, weighted by coherence. Times in s.

Method: Knapp and Carter, "The generalized correlation method for estimation of time delay", IEEE Trans. ASSP 24(4),
1976, with the Hannan-Thomson (maximum-likelihood) weight; spectra by averaged, overlapping Hann segments (Welch).
Each segment of the recording is taken where the present map expects it, to a fraction of a sample, so that a clock
error inside a window does not bias its lag.
"""

import math
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
import numpy.typing as npt
import scipy.fft

from gullywind.core.features.bands import band_bins, band_edges_hz
from gullywind.core.ground.units import Floats
from gullywind.core.measure.segments import grid_spectra, segment_spectra
from gullywind.core.native import kernels
from gullywind.core.native.kernels import Spectrum
from gullywind.core.sound.views import Listening

#: 0.34 s at 48 kHz: long enough for a room's early part, short enough for 300 ppm to stay within a tenth of a ms.
SEGMENT_SAMPLES = 16384
#: Spectrum are not compared above this; full rate of the wider world.
MOST_RATE_HZ = 48000
#: Below lies rumble and hum, above a codec's void.
LOWEST_HZ, HIGHEST_HZ = 80.0, 20000.0
#: Coherence is smoothed over this many bins on either side: single bins are too uncertain.
SMOOTH_BINS = 12
#: Weight of a bin is limited: clean copies would otherwise hang on a few bins.
MOST_WEIGHT = 200.0
#: Keeps weak windows near to plain phase weighting instead of to nothing.
LEAST_WEIGHT = 0.003
#: Bins by whose phases agreement is told: those of speech.
SPEECH_HZ = (150.0, 6000.0)
#: Peaks this near to the highest belong to it.
MAIN_LOBE_S = 0.0008
#: Moments that are compared from one stretch of sound: 30 s at the usual step.
MOST_MOMENTS = 600
#: 1e-6 samples are 20 ps; the step after one that short would be shorter still by orders.
NEWTON_STEPS, LEAST_STEP = 12, 1e-6


@dataclass(frozen=True, slots=True)
class WindowLag:
    """One window's timing difference.

    Attributes
    ----------
    t_ref : s. Centre of the window.
    lag_s : s. Found minus expected; positive: the recording is late.
    quality : peak height over the spread of the correlation elsewhere; noise alone reaches 4 to 5.
    agreement : -1..1. How well the phases agree at the lag, 150 Hz to 6 kHz; 1 for copies, about 0 for strangers.
    polarity : 1 or -1.
    power, coherent : the reference's power in every band, and what of it the recording holds as well, freed from what
        is coherent by chance; any unit, the same for all windows of one reference.
    """

    t_ref: float
    lag_s: float
    quality: float
    agreement: float
    polarity: int
    power: tuple[float, ...]
    coherent: tuple[float, ...]


@dataclass(frozen=True, eq=False)
class SegmentPlan:
    """Centres of a window's segments as a map pairs them, both shape (segments,), s.

    `first` is the number of the first one on the reference's grid; None where they lie off it.
    """

    t_ref: Floats
    t_rec: Floats
    first: int | None = None


def working_rate_hz(reference: Listening, recording: Listening) -> int:
    """The lower of both sample rates, at most 48 kHz: what one of them lacks cannot agree."""
    return int(min(reference.sample_rate_hz, recording.sample_rate_hz, MOST_RATE_HZ))


def segment_size(working_hz: int, window_s: float) -> int:
    """Segment length in samples for windows of `window_s`: about a third of a second, less in short windows."""
    wanted = min(SEGMENT_SAMPLES * working_hz / 48000, window_s * working_hz / 3)
    return int(2 ** np.clip(np.round(np.log2(max(wanted, 256))), 8, 15))


def measure_window(
    reference: Listening,
    recording: Listening,
    plan: SegmentPlan,
    *,
    size: int,
    most_lag_s: float,
) -> WindowLag | None:
    """Lag of one window.

    Parameters
    ----------
    reference, recording : mono views.
    plan : centres of the segments in both times, as the present map pairs them.
    size : segment length in samples at the working rate.
    most_lag_s : > 0, s. Search range to either side, at most a third of a segment.

    Returns
    -------
    WindowLag, or None where one side is silent.
    """
    rate_hz = working_rate_hz(reference, recording)
    count = plan.t_ref.size
    if plan.first is None:
        ref = segment_spectra(reference, plan.t_ref, size, rate_hz)
    else:
        ref = grid_spectra(reference, plan.first, count, size, rate_hz)
    rec = segment_spectra(recording, plan.t_rec, size, rate_hz) if ref is not None else None
    if ref is None or rec is None:
        return None
    bins = _bins(size, rate_hz)
    cross, ref_power, rec_power = kernels.sum_spectra(ref, rec)
    phases, coherence = kernels.compare(cross, ref_power, rec_power)
    # Averages of few segments look coherent by chance (1 / segments); overlap leaves about 2/3 of them independent.
    independent = max(1.5, count * 0.65)
    power, coherent = kernels.band_coherence(coherence, ref_power, bins.bands).T
    coherent = (independent * coherent - power) / (independent - 1)
    weighted = kernels.weigh(
        phases,
        coherence,
        bins.inside,
        independent=independent,
        reach=SMOOTH_BINS,
        most=MOST_WEIGHT,
        least=LEAST_WEIGHT,
    )
    curve = scipy.fft.irfft(weighted, size)
    top, spread = _highest(curve, most_lag_s, rate_hz)
    height = float(curve[top % size])
    polarity = 1 if height >= 0 else -1
    lag = _refine(weighted, curve, top, bins.inside, polarity)
    agreement = _agreement(phases, bins.speech, lag) * polarity
    centre_s = float(plan.t_ref.mean())
    shares = tuple(power.tolist()), tuple(coherent.tolist())
    return WindowLag(centre_s, lag / rate_hz, abs(height) / spread, agreement, polarity, *shares)


def local_agreement(
    reference: Listening,
    recording: Listening,
    t_ref: npt.NDArray[np.float64],
    t_rec: npt.NDArray[np.float64],
    *,
    window_s: float,
) -> tuple[npt.NDArray[np.float64], npt.NDArray[np.float64]]:
    """How well both agree at single moments, -1..1, and how loud the recording is there: quiet moments say little.

    `t_ref`, `t_rec` pair the moments, shape (moments,), s, ascending; windows of `window_s` around them are compared
    as they stand, without a search.
    """
    if t_ref.size > MOST_MOMENTS:
        # A long stretch is read in parts: three hours at once would take gigabytes.
        parts = [
            local_agreement(
                reference, recording, t_ref[k : k + MOST_MOMENTS], t_rec[k : k + MOST_MOMENTS], window_s=window_s
            )
            for k in range(0, t_ref.size, MOST_MOMENTS)
        ]
        return np.concatenate([one for one, _ in parts]), np.concatenate([loud for _, loud in parts])
    rate_hz = working_rate_hz(reference, recording)
    size = int(2 ** np.ceil(np.log2(window_s * rate_hz)))
    ref = segment_spectra(reference, t_ref, size, rate_hz)
    rec = segment_spectra(recording, t_rec, size, rate_hz)
    if ref is None or rec is None:
        return np.zeros(t_ref.size), np.zeros(t_ref.size)
    speech = _bins(size, rate_hz).speech
    found = []
    for x, y in zip(ref, rec, strict=True):
        cross, x_power, y_power = kernels.sum_spectra([x], [y])
        phases, _ = kernels.compare(cross, x_power, y_power)
        found.append((_agreement(phases, speech, 0.0), float(np.sqrt(y_power[speech].mean()))))
    agreement, loudness = np.array(found).T
    return agreement, loudness


def _agreement(phases: Spectrum, bins: slice, lag: float) -> float:
    """Mean cosine of what a lag, in samples, leaves of the phases."""
    value, _, _ = kernels.correlation_at(phases, bins, lag)
    return value / float(max(bins.stop - bins.start, 1))


@dataclass(frozen=True, eq=False)
class _Bins:
    """What depends only on segment size and working rate.

    Attributes
    ----------
    inside : bins that are compared at all.
    speech : bins by whose phases agreement is told.
    bands : shape (bands, 2), those of the features that the working rate holds, as half-open ranges of bins.
    """

    inside: slice
    speech: slice
    bands: npt.NDArray[np.int64]


@lru_cache(maxsize=16)
def _bins(size: int, rate_hz: int) -> _Bins:
    bins = np.arange(size // 2 + 1)

    def between(low_hz: float, high_hz: float) -> slice:
        chosen = np.flatnonzero((bins * rate_hz / size >= low_hz) & (bins * rate_hz / size <= high_hz))
        return slice(int(chosen[0]), int(chosen[-1]) + 1) if chosen.size else slice(0, 0)

    most_hz = 0.46 * rate_hz
    bands = band_bins(size, rate_hz)[: max(1, int(np.count_nonzero(band_edges_hz()[1:] <= most_hz)))]
    inside = between(LOWEST_HZ, min(HIGHEST_HZ, most_hz))
    return _Bins(inside, between(SPEECH_HZ[0], min(SPEECH_HZ[1], most_hz)), bands)


def _highest(curve: npt.NDArray[np.float32], most_lag_s: float, rate_hz: int) -> tuple[int, float]:
    """Lag of the highest peak of either sign, in samples, and the spread away from it."""
    reach = max(2, int(most_lag_s * rate_hz))
    heights = np.abs(np.concatenate([curve[-reach:], curve[: reach + 1]]))
    top = int(np.argmax(heights))
    lobe = max(2, int(MAIN_LOBE_S * rate_hz))
    in_lobe = curve[np.arange(top - reach - lobe, top - reach + lobe + 1) % curve.size]
    rest = float(np.dot(curve, curve)) - float(np.dot(in_lobe, in_lobe))
    spread = math.sqrt(max(rest, 0.0) / (curve.size - in_lobe.size)) + 1e-12
    return top - reach, spread


def _refine(weighted: Spectrum, curve: npt.NDArray[np.float32], top: int, bins: slice, polarity: int) -> float:
    """Exact maximum of the correlation, times its polarity, near a whole-sample peak, in samples: Newton's method."""
    before, here, after = (float(curve[(top + step) % curve.size]) * polarity for step in (-1, 0, 1))
    bend = before - 2 * here + after
    start = top + (min(max(0.5 * (before - after) / bend, -0.5), 0.5) if bend < 0 else 0.0)
    lag = start
    for _ in range(NEWTON_STEPS):
        _, slope, curvature = kernels.correlation_at(weighted, bins, lag)
        if curvature * polarity >= 0 or abs(lag - start) > 0.5:
            return start
        step = -slope / curvature
        lag += step
        if abs(step) < LEAST_STEP:
            break
    return lag if abs(lag - start) <= 0.5 else start
