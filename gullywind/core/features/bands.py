"""Band energies for the coarse search: 16 mel-spaced bands, 100 frames a second, streamed.

Method: power spectra of short Hann windows, summed into bands, taken as logarithms, freed from their slow course
(room, level, microphone) and scaled to one variance, so that correlation weighs every band alike. Times in s.
"""

import itertools
from dataclasses import dataclass, replace

import numpy as np
import numpy.typing as npt
import scipy.fft

from gullywind.core.ground.errors import InputError
from gullywind.core.ground.units import Samples
from gullywind.core.native import kernels

FRAME_RATE_HZ = 100
BANDS = 16
BOTTOM_BAND_HZ, TOP_BAND_HZ = 120.0, 7200.0
#: Sound is first thinned to about this rate: nothing above 7.2 kHz is used, and spectra get three times cheaper.
THINNED_RATE_HZ = 16000
FRAME_WINDOW_S = 0.032
#: Frames whose band power is 50 dB below the loud ones are treated alike: digital silence must not dominate.
FLOOR_NEPER = float(np.log(1e5))
#: One second either side: slower changes are level and room, not the event.
SLOW_FRAMES = 101
CLIP = 3.0
#: So many spectra stay in the second-level cache until they are summed.
BATCH_FRAMES = 256


@dataclass(frozen=True, eq=False)
class BandFeatures:
    """Normalised band energies.

    Attributes
    ----------
    values : shape (bands, frames), float32, mean about 0, variance about 1, in -3..3.
    valid : shape (bands,), bool. Bands below the recording's Nyquist frequency.
    origin_s : s. Centre of frame 0; frame i is centred at `origin_s + i / FRAME_RATE_HZ`.
    """

    values: npt.NDArray[np.float32]
    valid: npt.NDArray[np.bool_]
    origin_s: float

    @property
    def frames(self) -> int:
        """Number of frames."""
        return int(self.values.shape[1])


def at_speed(features: BandFeatures, speed: float) -> BandFeatures:
    """Features of the same sound heard at another speed, near enough for a search: the frames are spread anew.

    The bands shift with the speed too, but by less than half a band for 9 %.
    """
    frames = max(1, int(features.frames / speed))
    positions = np.arange(frames) * speed
    before = np.minimum(positions.astype(np.int64), features.frames - 1)
    after = np.minimum(before + 1, features.frames - 1)
    share = (positions - before).astype(np.float32)
    values = np.zeros((features.values.shape[0], frames), np.float32)
    heard = features.values[features.valid]
    values[features.valid] = heard[:, before] * (1 - share) + heard[:, after] * share
    return BandFeatures(values, features.valid, features.origin_s / speed)


def middle_of(features: BandFeatures, frames: int) -> BandFeatures:
    """The middle of some features, at most so many frames, as if it were all there is."""
    first = max(0, (features.frames - frames) // 2)
    return replace(features, values=features.values[:, first : first + frames])


def every_other_band(features: BandFeatures) -> BandFeatures:
    """Half of the bands: neighbours say much the same."""
    return replace(features, values=features.values[::2], valid=features.valid[::2])


def at_half_rate(features: BandFeatures) -> BandFeatures:
    """The means of every two frames. Windows of 32 ms overlap so far that two neighbours say little more than that."""
    # Of an odd number the last frame stands for itself.
    some = np.concatenate([features.values, features.values[:, -1:]], axis=1)[:, : -(-features.frames // 2) * 2]
    values = (some[:, ::2] + some[:, 1::2]) / np.float32(2)
    return BandFeatures(values, features.valid, features.origin_s + 0.5 / FRAME_RATE_HZ)


class BandExtractor:
    """Streams mono sound in blocks of any size; `finish` gives the features."""

    def __init__(self, sample_rate_hz: float) -> None:
        if sample_rate_hz < 1000:
            raise InputError(f"sample_rate_hz must be 1000 or more, got {sample_rate_hz}")
        self._thin = max(1, int(sample_rate_hz // THINNED_RATE_HZ))
        self._rate_hz = sample_rate_hz / self._thin
        self._size = scipy.fft.next_fast_len(int(FRAME_WINDOW_S * self._rate_hz), real=True)
        self._window = np.hanning(self._size).astype(np.float32)
        self._bands = band_bins(self._size, self._rate_hz)
        self._carry: Samples = np.zeros(0, np.float32)
        self._tail: Samples = np.zeros(0, np.float32)
        self._tail_start = 0
        self._next_frame = 0
        self._rows: list[npt.NDArray[np.float32]] = []

    def push(self, mono: Samples) -> None:
        """Add samples, shape (samples,)."""
        if self._carry.size:
            mono = np.concatenate([self._carry, mono])
        whole = mono.size - mono.size % self._thin
        self._carry = mono[whole:].copy()
        # A plain average over `thin` samples: what folds down from above is weak in speech and music,
        # and folds in the same way in both recordings. A proper filter would cost more than the spectra.
        self._tail = np.concatenate([self._tail, kernels.thin(mono[:whole], self._thin)])
        self._analyse()

    def finish(self) -> BandFeatures:
        """Features of all that was pushed; shorter sound than one window gives one zero frame."""
        self._tail = np.concatenate([self._tail, np.zeros(self._size // 2, np.float32)])
        self._analyse()
        logs = np.concatenate(self._rows) if self._rows else np.zeros((1, BANDS), np.float32)
        edges = band_edges_hz()
        return BandFeatures(
            # As they are stored: whoever judges a file, from what is kept or from what was just heard, says the same. A
            # quarter of a per cent of a standard deviation is far finer than any use of them.
            _normalise(np.ascontiguousarray(logs.T)).astype(np.float16).astype(np.float32),
            edges[1:] <= self._rate_hz / 2,
            self._size / 2 / self._rate_hz,
        )

    def _analyse(self) -> None:
        hop = self._rate_hz / FRAME_RATE_HZ
        available = self._tail_start + self._tail.size - self._size
        last = int(available / hop)
        if available < 0 or last < self._next_frame:
            return
        starts = np.rint(np.arange(self._next_frame, last + 1) * hop).astype(np.int64) - self._tail_start
        starts = starts[starts + self._size <= self._tail.size]
        for first in range(0, starts.size, BATCH_FRAMES):
            frames = kernels.cut(self._tail, starts[first : first + BATCH_FRAMES], self._window)
            power = kernels.band_powers(scipy.fft.rfft(frames, overwrite_x=True), self._bands)
            self._rows.append(np.log(power + np.float32(1e-12)))
        self._next_frame += starts.size
        keep_from = max(0, int(self._next_frame * hop) - self._tail_start - 1)
        self._tail = self._tail[keep_from:].copy()
        self._tail_start += keep_from


def band_edges_hz() -> npt.NDArray[np.float64]:
    """Shape (BANDS + 1,), Hz, evenly spaced in mel (O'Shaughnessy, Speech Communication, 1987)."""
    low, high = 2595 * np.log10(1 + np.array([BOTTOM_BAND_HZ, TOP_BAND_HZ]) / 700)
    return np.asarray(700 * (10 ** (np.linspace(low, high, BANDS + 1) / 2595) - 1))


def band_bins(size: int, rate_hz: float) -> npt.NDArray[np.int64]:
    """Bins of spectra of `size` samples, shape (BANDS, 2): first bin of each band, and the one after its last.

    A narrow band takes its nearest bin.
    """
    bins_hz = np.arange(size // 2 + 1) * rate_hz / size
    bands = np.empty((BANDS, 2), np.int64)
    for band, (low, high) in zip(bands, itertools.pairwise(band_edges_hz()), strict=True):
        band[:] = np.searchsorted(bins_hz, [low, high])
        if band[0] == band[1]:
            band[:] = int(np.argmin(np.abs(bins_hz - (low + high) / 2))) + np.array([0, 1])
    return bands


def _normalise(logs: npt.NDArray[np.float32]) -> npt.NDArray[np.float32]:
    """Floor, free from the slow course, scale and clip; shape (bands, frames) kept, done in place, band by band."""
    frames = logs.shape[1]
    half = SLOW_FRAMES // 2
    positions = np.arange(frames)
    counts = np.minimum(positions + half + 1, frames) - np.maximum(positions - half, 0)
    # What was summed before a frame, the first and the last value repeated: no frame then lies too near an edge.
    total = np.zeros(frames + 1 + 2 * half)
    for band in logs:
        loud = np.percentile(band[:: max(1, frames // 4096)], 95)
        np.maximum(band, loud - FLOOR_NEPER, out=band)
        np.cumsum(band, dtype=np.float64, out=total[half + 1 : half + 1 + frames])
        total[half + 1 + frames :] = total[half + frames]
        band -= ((total[SLOW_FRAMES:] - total[:-SLOW_FRAMES]) / counts).astype(np.float32)
        spread = float(band.std())
        if spread > 1e-3:
            band /= spread
            np.clip(band, -CLIP, CLIP, out=band)
        else:
            band[:] = 0.0
    return logs
