"""Local timing at full rate: generalised cross-correlation of windows, weighted by coherence. Times in s.

Method: Knapp and Carter, "The generalized correlation method for estimation of time delay", IEEE Trans. ASSP 24(4),
1976, with the Hannan-Thomson (maximum-likelihood) weight; spectra by averaged, overlapping Hann segments (Welch).
Each segment of the recording is taken where the present map expects it, to a fraction of a sample (a phase ramp), so
that a clock error inside a window does not bias its lag.
"""

import math
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt
import scipy.fft
import soxr
from numpy.polynomial import Polynomial

from gullywind.core.sound import Listening
from gullywind.core.units import Floats, Samples

#: 0.34 s at 48 kHz: long enough for a room's early part, short enough for 300 ppm to stay within a tenth of a ms.
SEGMENT_SAMPLES = 16384
#: Spectra are not compared above this; full rate of the wider world.
MOST_RATE_HZ = 48000
#: Below lies rumble and hum, above a codec's void.
LOWEST_HZ, HIGHEST_HZ = 80.0, 20000.0
#: Coherence is smoothed over this many bins on either side: single bins are too uncertain.
SMOOTH_BINS = 12
#: Weight of a bin is limited: clean copies would otherwise hang on a few bins.
MOST_WEIGHT = 200.0
#: Peaks this near to the highest belong to it.
MAIN_LOBE_S = 0.0008
NEWTON_STEPS = 6
#: Within a tenth of a sample eight terms of a series hold to 1e-9.
SERIES_TERMS, SERIES_REACH = 8, 0.1


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
    second : 0..1. The second-highest peak over the highest.
    """

    t_ref: float
    lag_s: float
    quality: float
    agreement: float
    polarity: int
    second: float


@dataclass(frozen=True, eq=False)
class SegmentPlan:
    """Where to read, at the common working rate: both arrays shape (segments,), s."""

    t_ref: npt.NDArray[np.float64]
    t_rec: npt.NDArray[np.float64]


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
    plan : centres of the segments in both times, s, as the present map pairs them.
    size : segment length in samples at the working rate.
    most_lag_s : > 0, s. Search range to either side, at most a third of a segment.

    Returns
    -------
    WindowLag, or None where one side is silent.
    """
    rate_hz = working_rate_hz(reference, recording)
    ref = _segments(reference, plan.t_ref, size, rate_hz)
    rec = _segments(recording, plan.t_rec, size, rate_hz)
    if ref is None or rec is None:
        return None
    s_xy = (np.conj(ref) * rec).sum(axis=0)
    s_xx = (ref.real**2 + ref.imag**2).sum(axis=0)
    s_yy = (rec.real**2 + rec.imag**2).sum(axis=0)
    return _peak(s_xy, s_xx, s_yy, plan, size=size, rate_hz=rate_hz, most_lag_s=most_lag_s)


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
    rate_hz = working_rate_hz(reference, recording)
    size = int(2 ** np.ceil(np.log2(window_s * rate_hz)))
    ref = _segments(reference, t_ref, size, rate_hz)
    rec = _segments(recording, t_rec, size, rate_hz)
    if ref is None or rec is None:
        return np.zeros(t_ref.size), np.zeros(t_ref.size)
    bins_hz = np.arange(ref.shape[1]) * rate_hz / size
    speech = (bins_hz >= 150) & (bins_hz <= min(6000.0, 0.46 * rate_hz))
    ref, rec = ref[:, speech], rec[:, speech]
    cross = np.conj(ref) * rec
    agreement = (cross.real / (np.abs(cross) + 1e-20)).mean(axis=1)
    loudness = np.sqrt((np.abs(rec) ** 2).mean(axis=1))
    return np.asarray(agreement, np.float64), np.asarray(loudness, np.float64)


def _segments(
    view: Listening, centres_s: npt.NDArray[np.float64], size: int, rate_hz: int
) -> npt.NDArray[np.complex64] | None:
    """Spectra of Hann segments centred at exact times, shape (segments, size // 2 + 1); None if silent."""
    fs = view.sample_rate_hz
    margin_s = size / rate_hz * 0.5 + (0.02 if fs != rate_hz else 2 / fs)
    start = int(np.floor((centres_s[0] - margin_s) * fs))
    stop = int(np.ceil((centres_s[-1] + margin_s) * fs)) + 2
    sound = view.read(start, stop)
    if not np.all(np.isfinite(sound)):
        sound = np.nan_to_num(sound, nan=0.0, posinf=0.0, neginf=0.0)
    if float(np.max(np.abs(sound), initial=0.0)) < 1e-6:
        return None
    if fs != rate_hz:
        sound = soxr.resample(sound, fs, rate_hz, quality="HQ")
    positions = (centres_s - start / fs) * rate_hz - size / 2
    whole = np.floor(positions + 0.5).astype(np.int64)
    part = positions - whole
    # The last segment may reach past the end by a rounding.
    short = int(whole[-1]) + size - sound.size
    if short > 0:
        sound = np.concatenate([sound, np.zeros(short, np.float32)])
    view_ = np.lib.stride_tricks.sliding_window_view(sound, size)
    spectra = scipy.fft.rfft(view_[np.maximum(whole, 0)] * _hann(size))
    _delay(spectra, part, size)
    return np.asarray(spectra)


def _delay(spectra: npt.NDArray[np.complex64], part: npt.NDArray[np.float64], size: int) -> None:
    """Turn each row's phases by its own fraction of a sample, in place.

    Neighbouring rows differ by one of few steps (the clock's, or that less a whole sample), so that a product replaces
    most of the exponentials: they were three quarters of the time.
    """
    if not np.any(np.abs(part) > 1e-6):
        return
    bins = np.arange(size // 2 + 1, dtype=np.float32)
    ramp = _turn(bins, float(part[0]), size)
    turns: dict[float, npt.NDArray[np.complex64]] = {}
    for row, previous, current in zip(spectra, [part[0], *part], part, strict=False):
        step = round(float(current - previous), 9)
        if step:
            if step not in turns:
                turns[step] = _turn(bins, step, size)
            ramp = ramp * turns[step]
        row *= ramp


def _turn(bins: npt.NDArray[np.float32], samples: float, size: int) -> npt.NDArray[np.complex64]:
    """Phases of a delay by up to a sample. In single precision, exact to 1e-7 of a turn and six times faster."""
    angle = bins * np.float32(2 * np.pi * samples / size)
    ramp = np.empty(bins.size, np.complex64)
    ramp.real, ramp.imag = np.cos(angle), np.sin(angle)
    return ramp


_WINDOWS: dict[int, Samples] = {}


def _hann(size: int) -> Samples:
    if size not in _WINDOWS:
        _WINDOWS[size] = np.hanning(size).astype(np.float32)
    return _WINDOWS[size]


def _smooth(values: npt.NDArray[np.float32], half: int) -> npt.NDArray[np.float64]:
    total = np.concatenate([[0.0], np.cumsum(values, dtype=np.float64)])
    positions = np.arange(values.size)
    low, high = np.maximum(positions - half, 0), np.minimum(positions + half + 1, values.size)
    return np.asarray((total[high] - total[low]) / (high - low))


def _peak(
    s_xy: npt.NDArray[np.complex64],
    s_xx: npt.NDArray[np.float32],
    s_yy: npt.NDArray[np.float32],
    plan: SegmentPlan,
    *,
    size: int,
    rate_hz: int,
    most_lag_s: float,
) -> WindowLag:
    segments = plan.t_ref.size
    bins_hz = np.arange(s_xx.size) * rate_hz / size
    inside = (bins_hz >= LOWEST_HZ) & (bins_hz <= min(HIGHEST_HZ, 0.46 * rate_hz))
    magnitude = np.abs(s_xy) + 1e-20
    coherence = magnitude**2 / (s_xx.astype(np.float64) * s_yy + 1e-30)
    # Averages of few segments look coherent by chance (1 / segments); overlap leaves about 2/3 of them independent.
    independent = max(1.5, segments * 0.65)
    coherence = np.clip((independent * coherence - 1) / (independent - 1), 0.0, 1.0)
    coherence = np.clip(_smooth(coherence.astype(np.float32), SMOOTH_BINS), 0.0, 0.9999)
    # The small constant keeps weak windows near to plain phase weighting instead of to nothing.
    weight = np.minimum(coherence / (1 - coherence), MOST_WEIGHT) + 0.003
    weight[~inside] = 0.0
    weighted = (s_xy / magnitude * weight).astype(np.complex64)

    curve = scipy.fft.irfft(weighted, size)
    reach = max(2, int(most_lag_s * rate_hz))
    lags = np.concatenate([curve[-reach:], curve[: reach + 1]])
    heights = np.abs(lags)
    top = int(np.argmax(heights))
    lobe = max(2, int(MAIN_LOBE_S * rate_hz))
    elsewhere = np.ones(curve.size, bool)
    where = np.arange(top - reach - lobe, top - reach + lobe + 1)
    elsewhere[where % curve.size] = False
    spread = float(np.sqrt(np.mean(curve[elsewhere] ** 2))) + 1e-12
    others = heights.copy()
    others[max(0, top - lobe) : top + lobe + 1] = 0.0
    second = float(others.max() / (heights[top] + 1e-12))
    polarity = 1 if lags[top] >= 0 else -1
    lag = _refine(weighted * polarity, curve * polarity, top - reach, size)
    speech = (bins_hz >= 150) & (bins_hz <= min(6000.0, 0.46 * rate_hz))
    turned = s_xy[speech] * np.exp(2j * np.pi * np.arange(s_xx.size)[speech] * lag / size) * polarity
    agreement = float(np.mean(turned.real / magnitude[speech]))
    centre_s = float(np.average(plan.t_ref))
    return WindowLag(centre_s, lag / rate_hz, float(heights[top]) / spread, agreement, polarity, second)


def _refine(weighted: npt.NDArray[np.complex64], curve: npt.NDArray[np.float32], top: int, size: int) -> float:
    """Exact maximum of the correlation near a whole-sample peak, in samples: Newton on its trigonometric series."""
    before, here, after = (float(curve[(top + step) % size]) for step in (-1, 0, 1))
    bend = before - 2 * here + after
    start = top + (float(np.clip(0.5 * (before - after) / bend, -0.5, 0.5)) if bend < 0 else 0.0)
    used = np.flatnonzero(weighted)
    omega = 2 * np.pi * used / size
    spectrum = weighted[used].astype(np.complex128)
    lag = start
    for _ in range(NEWTON_STEPS):
        slope: Polynomial = _slope_series(omega, spectrum * np.exp(1j * omega * lag))
        curvature = slope.deriv()
        if curvature(0.0) >= 0:
            return start
        step = 0.0
        for _ in range(NEWTON_STEPS):
            step = float(np.clip(step - slope(step) / curvature(step), -SERIES_REACH, SERIES_REACH))
        lag += step
        if abs(step) < SERIES_REACH:
            break
    return lag if abs(lag - start) <= 0.5 else start


def _slope_series(omega: Floats, turned: npt.NDArray[np.complex128]) -> Polynomial:
    """Slope of the correlation around the lag that `turned` was turned to, as a Taylor series in samples.

    One exponential and a few products, where Newton's method alone would need an exponential a step.
    """
    terms = []
    for order in range(SERIES_TERMS):
        turned = turned * omega
        # Derivatives of cos go -sin, -cos, sin, cos.
        part = turned.imag if order % 2 == 0 else turned.real
        sign = -1 if order % 4 < 2 else 1
        terms.append(sign * float(part.sum()) / math.factorial(order))
    return Polynomial(terms)
