"""Coarse search over all offsets: block-FFT cross-correlation of band features, with rivals. Times in s.

A long recording is cut into probes of a minute, each is correlated with the whole reference, and what they say is
added up with room for a clock error, since 300 ppm shift the end of an hour by more than a second. A recording that
lies only partly within the reference is found by the probes that do.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property, lru_cache

import numpy as np
import numpy.typing as npt
import scipy.fft

from gullywind.core.features.bands import FRAME_RATE_HZ, BandFeatures, at_half_rate, every_other_band
from gullywind.core.ground.units import Floats
from gullywind.core.native import kernels

PROBE_FRAMES = 6000
#: More probes than this bring no more certainty; they are spread evenly.
MOST_PROBES = 64
#: Blocks of the reference, for short and for long ones: a probe is padded to a block, so that small ones cost less
#: where there are few. Still larger ones were no faster, and need more memory.
SHORT_FRAMES, SHORT_BLOCK_FRAMES, LONG_BLOCK_FRAMES = 60000, 16384, 32768
#: Recorders are within 100 ppm, phones within 300.
SEARCHED_PPM = 400.0
#: Sums of probes are kept at this step; the exact place is taken from the probes again.
POOL_FRAMES = 5
#: Peaks nearer than this are one place.
SEPARATION_S = 0.35
#: Overlaps shorter than 3 s are judged as if they were that long: too little sound for more.
LEAST_OVERLAP_FRAMES = 300
#: Above this z grows only with its logarithm: one probe may not outvote all others by a single loud coincidence, yet
#: the highest peak must stay the highest.
FULL_Z = 20.0
#: So many values tell what is chance.
CHANCE_SAMPLE = 4000

Row = npt.NDArray[np.float32]


@dataclass(frozen=True, slots=True)
class CoarsePlace:
    """One possible place: `offset_s` at the recording's middle, its height `z` (robust standard deviations), and
    `(t_rec, offset_s, z)` of the probes that speak for it.
    """

    offset_s: float
    z: float
    probes: tuple[tuple[float, float, float], ...]


@dataclass(frozen=True, eq=False)
class MatchCurve:
    """How well every offset fits.

    Attributes
    ----------
    start_s, step_s : s. Offset of the first value, and the step between values.
    heights : shape (offsets,), float32. Robust standard deviations above chance.
    places : best first.
    """

    start_s: float
    step_s: float
    heights: Row
    places: tuple[CoarsePlace, ...]


class ReferenceIndex:
    """Spectra of the reference's features in overlapping blocks, made once and shared by all recordings."""

    def __init__(self, features: BandFeatures, *, coarseness: int = 1) -> None:
        self.features = features
        self.probe_frames = PROBE_FRAMES // coarseness
        self._least_overlap = LEAST_OVERLAP_FRAMES // coarseness
        padded = features.frames + 2 * self.probe_frames
        block = SHORT_BLOCK_FRAMES if features.frames * coarseness < SHORT_FRAMES else LONG_BLOCK_FRAMES
        self.size = min(scipy.fft.next_fast_len(padded, real=True), block // coarseness)
        self.hop = self.size - self.probe_frames + 1
        blocks = -(-(features.frames + self.probe_frames) // self.hop)
        values = np.zeros((features.values.shape[0], (blocks - 1) * self.hop + self.size), np.float32)
        values[:, self.probe_frames : self.probe_frames + features.frames] = features.values
        self.spectra = np.stack(
            [scipy.fft.rfft(values[:, b * self.hop : b * self.hop + self.size]) for b in range(blocks)]
        )

    @cached_property
    def coarser(self) -> "ReferenceIndex":
        """The same in every other band at half the frame rate, a quarter of the work: enough to tell whether anything
        is alike at all. Made when it is first asked for.
        """
        return ReferenceIndex(at_half_rate(every_other_band(self.features)), coarseness=2)

    def heights(self, probe: Row, bands: npt.NDArray[np.bool_]) -> Row:
        """How far a probe's correlation stands above chance, in robust standard deviations, from 0.

        `probe` has shape (bands, up to `probe_frames`); lags are -`probe_frames` .. frames - 1.
        """
        used = np.flatnonzero(bands)
        spectrum = list(scipy.fft.rfft(probe[used], self.size))
        products = [kernels.sum_spectra(spectrum, [block[band] for band in used])[0] for block in self.spectra]
        # All at once: four are made side by side in the time of two.
        rows = scipy.fft.irfft(np.stack(products), self.size)[:, : self.hop]
        curve = rows.reshape(-1)[: self.features.frames + self.probe_frames].astype(np.float32, copy=False)
        return self._standardised(curve, probe.shape[1])

    def _standardised(self, curve: Row, probe_frames: int) -> Row:
        """Robust z-scores: the median absolute deviation ignores the peak itself.

        Where the probe reaches past the reference less of it is summed, and chance is smaller too: without the
        correction a true half overlap loses to a false whole one.
        """
        scale, full = _overlap_scale(curve.size, probe_frames, self.probe_frames, self._least_overlap)
        curve = curve * scale
        sample = curve[full] if full.stop > full.start else curve
        sample = sample[:: max(1, sample.size // CHANCE_SAMPLE)]
        middle = np.median(sample)
        spread = np.median(np.abs(sample - middle)) * 1.4826
        if spread < 1e-6:
            return np.zeros_like(curve)
        z = np.maximum((curve - middle) / spread, 0.0)
        high = z > FULL_Z
        z[high] = FULL_Z * (1 + np.log(z[high] / FULL_Z))
        return np.asarray(z, np.float32)


def search_offsets(index: ReferenceIndex, recording: BandFeatures, *, most_places: int = 12) -> MatchCurve:
    """Correlate a recording with the whole reference at every offset.

    Parameters
    ----------
    index : of the reference.
    recording : its features; any length, also longer than the reference.
    most_places : 1 or more. How many rivals to keep, by non-maximum suppression.

    Returns
    -------
    MatchCurve : offsets count from the recording's first sample, as if its clock were the reference's.
    """
    bands = index.features.valid & recording.valid
    frames = recording.frames
    starts = _probe_starts(frames)
    middle = frames / 2
    shift = recording.frames  # the curve begins where the recording ends at the reference's start
    length = index.features.frames + shift
    pooled = np.zeros(-(-length // POOL_FRAMES), np.float32)
    curves: list[Row] = []
    tops: list[npt.NDArray[np.uint8]] = []
    for start in starts:
        probe = recording.values[:, start : start + PROBE_FRAMES]
        pool, top = _pool(index.heights(probe, bands))
        curves.append(pool)
        tops.append(top)
        first = shift - start - PROBE_FRAMES  # where lag -PROBE_FRAMES of this probe lies on the curve
        slack = abs(start + probe.shape[1] / 2 - middle) * SEARCHED_PPM * 1e-6
        widened = _highest_within(curves[-1], int(np.ceil(slack / POOL_FRAMES))) if slack >= 1 else curves[-1]
        _add_at(pooled, widened, round(first / POOL_FRAMES))
    heights = pooled / np.sqrt(len(starts))
    lag0_s = index.features.origin_s - recording.origin_s
    places = _places(index, recording, starts, curves, tops, heights, shift, most_places)
    return MatchCurve(lag0_s - shift / FRAME_RATE_HZ, POOL_FRAMES / FRAME_RATE_HZ, heights, places)


def _probe_starts(frames: int) -> Sequence[int]:
    count = max(1, -(-frames // PROBE_FRAMES))
    if count == 1:
        return [0]
    last = frames - PROBE_FRAMES
    return [round(start) for start in np.linspace(0, last, min(count, MOST_PROBES))]


# As many as there are speeds, each of which has a length of its own.
@lru_cache(maxsize=32)
def _overlap_scale(lags: int, probe_frames: int, before: int, least: int) -> tuple[Row, slice]:
    """What makes up for a smaller overlap at each lag from -`before` on, shape (lags,), and the lags whose overlap is
    long enough.
    """
    lag = np.arange(lags) - before
    overlap = np.minimum(np.minimum(lag + probe_frames, lags - before - lag), probe_frames)
    scale = np.sqrt(probe_frames / np.maximum(overlap, least)).astype(np.float32)
    scale[overlap <= 0] = 0.0
    full = np.flatnonzero(overlap >= least)
    return scale, slice(int(full[0]), int(full[-1]) + 1) if full.size else slice(0, 0)


def _pool(curve: Row) -> tuple[Row, npt.NDArray[np.uint8]]:
    """The highest of every few values, and which of them it was."""
    columns = np.pad(curve, (0, -curve.size % POOL_FRAMES)).reshape(-1, POOL_FRAMES).T
    highest, which = columns[0].copy(), np.zeros(columns.shape[1], np.uint8)
    # Column by column: maxima along rows of five are slow.
    for i, column in enumerate(columns[1:], 1):
        which[column > highest] = i
        np.maximum(highest, column, out=highest)
    return highest, which


def _highest_within(curve: Row, half: int) -> Row:
    """The highest value within `half` steps to either side; values are >= 0.

    By maxima over spans that double; loading the library's filter takes longer than a search.
    """
    highest, span = np.pad(curve, half), 1
    while span < 2 * half + 1:
        step = min(span, 2 * half + 1 - span)
        highest = np.maximum(highest[:-step], highest[step:])
        span += step
    return highest


def _add_at(total: Row, part: Row, first: int) -> None:
    low, high = max(0, first), min(total.size, first + part.size)
    if high > low:
        total[low:high] += part[low - first : high - first]


def _places(
    index: ReferenceIndex,
    recording: BandFeatures,
    starts: Sequence[int],
    curves: Sequence[Row],
    tops: Sequence[npt.NDArray[np.uint8]],
    heights: Row,
    shift: int,
    most: int,
) -> tuple[CoarsePlace, ...]:
    """Peaks of the sum and of the single probes, merged, each with the probes' exact lags."""
    lag0_s = index.features.origin_s - recording.origin_s
    step = POOL_FRAMES
    found: list[tuple[float, int]] = [(float(heights[i]), i) for i in _peaks(heights, most)]
    if len(starts) > 1:
        # A probe alone must stand out more to be heard: it competes with the sum of all.
        for start, curve in zip(starts, curves, strict=True):
            first = round((shift - start - PROBE_FRAMES) / step)
            found += [(float(curve[i]) / np.sqrt(2.0), i + first) for i in _peaks(curve, 2)]
    found.sort(reverse=True)
    kept: list[tuple[float, int]] = []
    for height, i in found:
        if all(abs(i - other) * step > SEPARATION_S * FRAME_RATE_HZ for _, other in kept):
            kept.append((height, i))
        if len(kept) == most:
            break
    middle = recording.frames / 2
    places = []
    for height, i in kept:
        probes = []
        for start, curve, top in zip(starts, curves, tops, strict=True):
            half = step * 2 + abs(start + PROBE_FRAMES / 2 - middle) * SEARCHED_PPM * 1e-6
            first = round((shift - start - PROBE_FRAMES) / step)
            low = max(0, int(i - first - half / step))
            high = min(curve.size, int(i - first + half / step) + 1)
            if high > low:
                best = low + int(np.argmax(curve[low:high]))
                if curve[best] > 0:
                    lag = best * step + int(top[best]) - PROBE_FRAMES - start
                    lag_s = lag / FRAME_RATE_HZ + lag0_s
                    t_rec = min(start + PROBE_FRAMES / 2, middle if len(starts) == 1 else np.inf) / FRAME_RATE_HZ
                    probes.append((float(t_rec), float(lag_s), float(curve[best])))
        offset_s = ((i + 0.5) * step - shift) / FRAME_RATE_HZ + lag0_s
        places.append(CoarsePlace(offset_s, height, tuple(probes)))
    return tuple(places)


def _peaks(curve: Row, most: int) -> Sequence[int]:
    """Indices of the highest values that are maxima within the separation, best first."""
    is_peak = (curve == _highest_within(curve, int(SEPARATION_S * FRAME_RATE_HZ / POOL_FRAMES))) & (curve > 0)
    where = np.flatnonzero(is_peak)
    if where.size > most:
        where = where[np.argpartition(curve[where], -most)[-most:]]
    return [int(i) for i in where[np.argsort(-curve[where])]]


def probe_line(place: CoarsePlace) -> tuple[Floats, Floats, Floats]:
    """`t_rec`, `offset_s` and `z` of a place's probes, each shape (probes,)."""
    t_rec, offset_s, z = np.array(place.probes, dtype=float).reshape(-1, 3).T
    return t_rec, offset_s, z
