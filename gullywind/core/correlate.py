"""Local timing at full rate: generalised cross-correlation of windows, weighted by coherence. Times in s.

Method: Knapp and Carter, "The generalized correlation method for estimation of time delay", IEEE Trans. ASSP 24(4),
1976, with the Hannan-Thomson (maximum-likelihood) weight; spectra by averaged, overlapping Hann segments (Welch).
Each segment of the recording is taken where the present map expects it, to a fraction of a sample, so that a clock
error inside a window does not bias its lag.
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
import numpy.typing as npt
import scipy.fft

from gullywind.core.segments import Spectrum, advance_ramp, grid_spectra, segment_spectra
from gullywind.core.sound import Listening
from gullywind.core.units import Floats

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
#: Bins by whose phases agreement is told: those of speech.
SPEECH_HZ = (150.0, 6000.0)
#: Peaks this near to the highest belong to it.
MAIN_LOBE_S = 0.0008
#: Within three quarters of a sample this many terms of a series hold to 1e-8.
SERIES_TERMS, SERIES_REACH = 17, 0.75
NEWTON_STEPS, LEAST_STEP = 12, 1e-9


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
    s_xy, s_xx, s_yy = _averaged(ref, rec)
    # Averages of few segments look coherent by chance (1 / segments); overlap leaves about 2/3 of them independent.
    weight = _weight(s_xy, s_xx, s_yy, bins, independent=max(1.5, count * 0.65))
    phases = _phases(s_xy)
    weighted = phases * weight
    curve = scipy.fft.irfft(weighted, size)
    top, second, spread = _highest(curve, most_lag_s, rate_hz)
    height = float(curve[top % size])
    polarity = 1 if height >= 0 else -1
    lag = _refine(weighted * np.float32(polarity), curve * polarity, top, bins)
    agreement = float((phases[bins.speech] * _turns(bins.speech, lag, size)).real.mean()) * polarity
    centre_s = float(plan.t_ref.mean())
    return WindowLag(centre_s, lag / rate_hz, abs(height) / spread, agreement, polarity, second)


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
    ref = segment_spectra(reference, t_ref, size, rate_hz)
    rec = segment_spectra(recording, t_rec, size, rate_hz)
    if ref is None or rec is None:
        return np.zeros(t_ref.size), np.zeros(t_ref.size)
    speech = _bins(size, rate_hz).speech
    x, y = (np.stack([row[speech] for row in rows]) for rows in (ref, rec))
    agreement = _phases(np.conj(x) * y).real.mean(axis=1)
    loudness = np.sqrt((np.abs(y) ** 2).mean(axis=1))
    return np.asarray(agreement, np.float64), np.asarray(loudness, np.float64)


@dataclass(frozen=True, eq=False)
class _Bins:
    """What depends only on segment size and working rate.

    Attributes
    ----------
    inside : bins that are compared at all.
    speech : bins by whose phases agreement is told.
    powers : shape (SERIES_TERMS, bins inside), float32. Each bin's frequency in radians a sample, to the power k, over
        k!: the series of a complex exponential.
    counts : shape (bins,). How many bins a smoothed one is the mean of.
    """

    inside: slice
    speech: slice
    powers: npt.NDArray[np.float32]
    counts: Floats


@lru_cache(maxsize=16)
def _bins(size: int, rate_hz: int) -> _Bins:
    bins = np.arange(size // 2 + 1)

    def between(low_hz: float, high_hz: float) -> slice:
        chosen = np.flatnonzero((bins * rate_hz / size >= low_hz) & (bins * rate_hz / size <= high_hz))
        return slice(int(chosen[0]), int(chosen[-1]) + 1) if chosen.size else slice(0, 0)

    most_hz = 0.46 * rate_hz
    inside = between(LOWEST_HZ, min(HIGHEST_HZ, most_hz))
    omega = 2 * np.pi * bins[inside] / size
    powers = np.stack([omega**k / math.factorial(k) for k in range(SERIES_TERMS)]).astype(np.float32)
    counts = np.minimum(bins + SMOOTH_BINS + 1, bins.size) - np.maximum(bins - SMOOTH_BINS, 0)
    return _Bins(inside, between(SPEECH_HZ[0], min(SPEECH_HZ[1], most_hz)), powers, counts.astype(np.float64))


def _averaged(
    ref: Sequence[Spectrum], rec: Sequence[Spectrum]
) -> tuple[Spectrum, npt.NDArray[np.float32], npt.NDArray[np.float32]]:
    """Cross spectrum and both power spectra, summed over segments, row by row: rows stay in the processor's cache."""
    s_xy = np.zeros(ref[0].size, np.complex64)
    product = np.empty_like(s_xy)
    # Real and imaginary parts are squared side by side, and added in the end.
    squares = np.zeros((2, 2 * s_xy.size), np.float32)
    square = product.view(np.float32)
    for x, y in zip(ref, rec, strict=True):
        np.conj(x, out=product)
        product *= y
        s_xy += product
        for row, total in zip((x, y), squares, strict=True):
            np.square(row.view(np.float32), out=square)
            total += square
    s_xx, s_yy = squares[:, 0::2] + squares[:, 1::2]
    return s_xy, s_xx, s_yy


def _phases(spectrum: Spectrum) -> Spectrum:
    """The same with every magnitude 1; nothing where there is nothing."""
    return np.asarray(spectrum / (np.abs(spectrum) + np.float32(1e-20)))


def _weight(
    s_xy: Spectrum, s_xx: npt.NDArray[np.float32], s_yy: npt.NDArray[np.float32], bins: _Bins, *, independent: float
) -> npt.NDArray[np.float32]:
    """Weight of each bin by its coherence, averaged over its neighbours."""
    coherence = (s_xy.real**2 + s_xy.imag**2).astype(np.float64) / (s_xx.astype(np.float64) * s_yy + 1e-30)
    coherence = np.clip((independent * coherence - 1) / (independent - 1), 0.0, 1.0)
    padded = np.zeros(coherence.size + 2 * SMOOTH_BINS + 1)
    padded[SMOOTH_BINS + 1 : -SMOOTH_BINS] = coherence
    total = np.cumsum(padded)
    smooth = np.clip((total[2 * SMOOTH_BINS + 1 :] - total[: -2 * SMOOTH_BINS - 1]) / bins.counts, 0.0, 0.9999)
    weight = np.zeros(s_xy.size, np.float32)
    # The small constant keeps weak windows near to plain phase weighting instead of to nothing.
    weight[bins.inside] = np.minimum(smooth / (1 - smooth), MOST_WEIGHT)[bins.inside] + 0.003
    return weight


def _highest(curve: npt.NDArray[np.float32], most_lag_s: float, rate_hz: int) -> tuple[int, float, float]:
    """Lag of the highest peak of either sign, in samples; the second-highest over it; the spread away from it."""
    reach = max(2, int(most_lag_s * rate_hz))
    heights = np.abs(np.concatenate([curve[-reach:], curve[: reach + 1]]))
    top = int(np.argmax(heights))
    lobe = max(2, int(MAIN_LOBE_S * rate_hz))
    in_lobe = curve[np.arange(top - reach - lobe, top - reach + lobe + 1) % curve.size]
    rest = float(np.dot(curve, curve)) - float(np.dot(in_lobe, in_lobe))
    spread = math.sqrt(max(rest, 0.0) / (curve.size - in_lobe.size)) + 1e-12
    highest = float(heights[top]) + 1e-12
    heights[max(0, top - lobe) : top + lobe + 1] = 0.0
    return top - reach, float(heights.max()) / highest, spread


def _refine(weighted: Spectrum, curve: npt.NDArray[np.float32], top: int, bins: _Bins) -> float:
    """Exact maximum of the correlation near a whole-sample peak, in samples: Newton on its Taylor series there.

    One product with a constant matrix, where Newton's method alone would need exponentials a step.
    """
    before, here, after = (float(curve[(top + step) % curve.size]) for step in (-1, 0, 1))
    bend = before - 2 * here + after
    start = float(np.clip(0.5 * (before - after) / bend, -0.5, 0.5)) if bend < 0 else 0.0
    turned = weighted[bins.inside] * _turns(bins.inside, top, curve.size)
    # Derivatives of cos go -sin, -cos, sin, cos.
    terms = np.zeros(SERIES_TERMS)
    terms[0::2] = bins.powers[0::2] @ turned.real
    terms[1::2] = bins.powers[1::2] @ -turned.imag
    terms *= np.array([1, 1, -1, -1])[np.arange(SERIES_TERMS) % 4]
    slope = (terms[1:] * np.arange(1, SERIES_TERMS))[::-1].tolist()
    curvature = [term * power for term, power in zip(slope, range(SERIES_TERMS - 2, 0, -1), strict=False)]
    lag = start
    for _ in range(NEWTON_STEPS):
        bent = _polynomial(curvature, lag)
        if bent >= 0:
            return top + start
        step = -_polynomial(slope, lag) / bent
        lag = min(max(lag + step, -SERIES_REACH), SERIES_REACH)
        if abs(step) < LEAST_STEP:
            break
    return top + (lag if abs(lag - start) <= 0.5 else start)


def _polynomial(terms: Sequence[float], x: float) -> float:
    """Value of a polynomial, highest power first (Horner)."""
    value = 0.0
    for term in terms:
        value = value * x + term
    return value


def _turns(bins: slice, lag: float, size: int) -> Spectrum:
    """Phases of some bins for an advance by `lag` samples; its whole part goes by exact indices, however large.

    `size` is a power of two.
    """
    whole = round(lag)
    at = np.arange(bins.start, bins.stop)
    turns: Spectrum = _circle(size)[at * whole & (size - 1)]
    return turns if lag == whole else np.asarray(turns * advance_ramp(lag - whole, size)[bins])


@lru_cache(maxsize=16)
def _circle(size: int) -> Spectrum:
    return np.asarray(np.exp(2j * np.pi * np.arange(size) / size), np.complex64)
