"""What two performances of one part have in common, whoever performs: 200 frames a second. Times in s.

Method: logarithms of mel-spaced band powers above their noise, with their rises and falls from frame to frame; besides
them the pitch classes of the whitened spectrum, which see past instruments as bands see past voices.
"""

from collections.abc import Iterator
from dataclasses import dataclass
from functools import cached_property

import numpy as np
import numpy.typing as npt
import scipy.fft
import soxr

from gullywind.core.ground.errors import InputError
from gullywind.core.ground.units import Checkpoint, Floats, Samples, no_checkpoint
from gullywind.core.sound.views import Listening

#: Sound is brought to this rate: what tells words and notes apart lies below 7.6 kHz.
HEARD_RATE_HZ = 16000
HOP_SAMPLES, FRAME_SAMPLES, FRAME_SPECTRUM = 80, 400, 512
FRAME_HOP_S = HOP_SAMPLES / HEARD_RATE_HZ
MEL_BANDS = 28
LOWEST_MEL_HZ, HIGHEST_MEL_HZ = 80.0, 7600.0
#: Of a band nothing counts that lies 40 dB below its loud moments, or near its noise.
BAND_FLOOR = 1e-4
NOISE_PERCENTILE, OVER_NOISE = 8, 2.0
#: Frames within 30 dB of the loud ones sound.
SOUNDING = 1e-3
PITCH_SAMPLES, PITCH_EVERY = 2048, 4
LOWEST_PITCH_HZ, HIGHEST_PITCH_HZ, A4_HZ = 110.0, 1800.0, 440.0
#: Width of a pitch class, semitones; whitening takes off the mean of so many bins.
CLASS_WIDTH, WHITENED_BINS = 0.35, 25
#: A frame whose pitch classes stand out less than this share of the clear ones is a noise, and no pitch.
LEAST_PITCH = 0.15
#: Frames whose spectra stay in the cache until they are summed.
FRAMES_AT_ONCE = 512
#: Nobody bends an hour at once: parts are minutes long, and memory grows with them.
MOST_BENT_S = 2400.0
BROUGHT_S = 30.0


@dataclass(frozen=True, eq=False)
class Performance:
    """A performance as far as another one of the same part can be compared with it.

    Attributes
    ----------
    sound : shape (samples,), at HEARD_RATE_HZ.
    logs : shape (frames, MEL_BANDS). Bands above their noise, from 0; frame i is centred at `i * FRAME_HOP_S`.
    pitches : shape (frames, 12).
    bands_db : shape (frames, MEL_BANDS), dB. The same bands, plain.
    sounding : shape (frames,), bool. Whether it sounds there.
    """

    sound: Samples
    logs: Samples
    pitches: Samples
    bands_db: Samples
    sounding: npt.NDArray[np.bool_]

    @property
    def frames(self) -> int:
        """Number of frames."""
        return len(self.logs)

    @property
    def times_s(self) -> Floats:
        """Shape (frames,), s: centres."""
        return np.asarray(np.arange(self.frames) * FRAME_HOP_S, np.float64)

    def cut(self, start_s: float, end_s: float) -> tuple["Performance", float]:
        """What lies between two moments, as far as there is any, and where that begins, s."""
        first = max(int(start_s / FRAME_HOP_S), 0)
        last = min(max(int(end_s / FRAME_HOP_S) + 1, first), self.frames)
        frames = slice(first, last)
        sound = self.sound[first * HOP_SAMPLES : last * HOP_SAMPLES]
        logs, pitches, bands_db = (one[frames] for one in (self.logs, self.pitches, self.bands_db))
        return Performance(sound, logs, pitches, bands_db, self.sounding[frames]), first * FRAME_HOP_S

    @property
    def rises(self) -> Samples:
        """Shape (frames,). How much begins to sound."""
        return _scaled_sum(np.maximum(self._change, 0))

    @property
    def falls(self) -> Samples:
        """Shape (frames,). How much ceases to sound."""
        return _scaled_sum(np.maximum(-self._change, 0))

    @cached_property
    def _change(self) -> Samples:
        return change_of(self.logs, 1)

    @property
    def level_db(self) -> Samples:
        """Shape (frames,), dB."""
        return np.asarray(10 * np.log10((10 ** (self.bands_db / 10)).sum(axis=1)), np.float32)


def change_of(values: Samples, reach: int) -> Samples:
    """From so many frames before to as many after, same shape; 0 at the ends."""
    change = np.zeros_like(values)
    change[reach:-reach] = values[2 * reach :] - values[: -2 * reach]
    return change


def hear_performance(view: Listening, *, checkpoint: Checkpoint = no_checkpoint) -> Performance:
    """Read a view and extract its features.

    Raises
    ------
    InputError : longer than MOST_BENT_S.
    """
    if view.duration_s > MOST_BENT_S:
        minutes = MOST_BENT_S / 60
        raise InputError(f"is {view.duration_s / 60:.0f} minutes long: parts to be bent may have {minutes:.0f}")
    sound = np.concatenate([np.zeros(0, np.float32), *_brought(view, checkpoint)])
    power = np.concatenate(list(_band_powers(sound)))
    checkpoint(0.8)
    total = power.sum(axis=1)
    sounding = total > max(float(np.percentile(total, 95)) * SOUNDING, 1e-9)
    pitches = np.repeat(_pitches(sound), PITCH_EVERY, axis=0)[: len(power)]
    pitches = np.pad(pitches, ((0, len(power) - len(pitches)), (0, 0)))
    checkpoint(1.0)
    bands_db = np.asarray(10 * np.log10(power + np.float32(1e-12)), np.float32)
    return Performance(sound, _over_noise(power), pitches, bands_db, sounding)


def _brought(view: Listening, checkpoint: Checkpoint) -> Iterator[Samples]:
    """A view's sound at HEARD_RATE_HZ, in blocks."""
    total = view.source.samples
    stream = soxr.ResampleStream(view.sample_rate_hz, HEARD_RATE_HZ, 1, dtype="float32", quality="HQ")
    step = int(BROUGHT_S * view.sample_rate_hz)
    for start in range(0, total, step):
        stop = min(start + step, total)
        block = view.read(start, stop)
        if not np.isfinite(block.sum()):
            block = np.nan_to_num(block, nan=0.0, posinf=0.0, neginf=0.0)
        yield stream.resample_chunk(block, last=stop == total)
        checkpoint(0.5 * stop / total)


def _frames(sound: Samples, size: int, hop: int) -> Samples:
    """Windows of `size` samples centred at every `hop`, as a view, shape (frames, size)."""
    padded = np.concatenate([np.zeros(size // 2, np.float32), sound, np.zeros(size, np.float32)])
    return np.asarray(np.lib.stride_tricks.sliding_window_view(padded, size)[: sound.size + 1 : hop])


def _band_powers(sound: Samples) -> Iterator[Samples]:
    """Shape (up to FRAMES_AT_ONCE, MEL_BANDS)."""
    mel, window = _mel_weights(), np.hanning(FRAME_SAMPLES).astype(np.float32)
    frames = _frames(sound, FRAME_SAMPLES, HOP_SAMPLES)
    for first in range(0, len(frames), FRAMES_AT_ONCE):
        spectra = scipy.fft.rfft(frames[first : first + FRAMES_AT_ONCE] * window, FRAME_SPECTRUM)
        yield (spectra.real**2 + spectra.imag**2) @ mel


def _over_noise(power: Samples) -> Samples:
    loud, noise = np.percentile(power, [95, NOISE_PERCENTILE], axis=0)
    floor = np.maximum(loud * BAND_FLOOR, noise * OVER_NOISE).astype(np.float32) + np.float32(1e-12)
    return np.asarray(np.log1p(power / floor), np.float32)


def _scaled_sum(change: Samples) -> Samples:
    """Of all bands, those of the whole of mean square about 1."""
    return np.asarray(change.sum(axis=1) / max(float(change.std()), 1e-6) * MEL_BANDS**-0.5, np.float32)


def _pitches(sound: Samples) -> Samples:
    """Pitch classes of the whitened magnitudes, free of their mean; clear ones have length 1."""
    classes, window = _class_weights(), np.hanning(PITCH_SAMPLES).astype(np.float32)
    frames = _frames(sound, PITCH_SAMPLES, HOP_SAMPLES * PITCH_EVERY)
    half = WHITENED_BINS // 2
    found = np.empty((len(frames), 12), np.float32)
    for first in range(0, len(frames), FRAMES_AT_ONCE):
        spectra = scipy.fft.rfft(frames[first : first + FRAMES_AT_ONCE] * window)[:, : len(classes) + half]
        roots = np.sqrt(np.abs(spectra))
        sums = np.cumsum(np.pad(roots, ((0, 0), (half + 1, half)), mode="edge"), axis=1, dtype=np.float64)
        means = (sums[:, WHITENED_BINS:] - sums[:, :-WHITENED_BINS]) / WHITENED_BINS
        peaks = np.maximum(roots - means.astype(np.float32), 0)[:, : len(classes)]
        found[first : first + FRAMES_AT_ONCE] = peaks @ classes
    found -= found.mean(axis=1, keepdims=True)
    lengths = np.sqrt((found**2).sum(axis=1))
    least = max(float(np.percentile(lengths, 90)) * LEAST_PITCH, 1e-9)
    return np.asarray(found / np.maximum(lengths, least)[:, None])


def _mel_weights() -> Samples:
    """Triangles evenly spaced in mel (O'Shaughnessy, Speech Communication, 1987), shape (bins, MEL_BANDS)."""
    bins_hz = np.arange(FRAME_SPECTRUM // 2 + 1) * HEARD_RATE_HZ / FRAME_SPECTRUM
    low, high = 2595 * np.log10(1 + np.array([LOWEST_MEL_HZ, HIGHEST_MEL_HZ]) / 700)
    edges = 700 * (10 ** (np.linspace(low, high, MEL_BANDS + 2) / 2595) - 1)
    rising = (bins_hz[:, None] - edges[:-2]) / (edges[1:-1] - edges[:-2])
    falling = (edges[2:] - bins_hz[:, None]) / (edges[2:] - edges[1:-1])
    return np.maximum(np.minimum(rising, falling), 0).astype(np.float32)


def band_centres_hz() -> Floats:
    """Shape (MEL_BANDS,), Hz."""
    low, high = 2595 * np.log10(1 + np.array([LOWEST_MEL_HZ, HIGHEST_MEL_HZ]) / 700)
    return np.asarray(700 * (10 ** (np.linspace(low, high, MEL_BANDS + 2)[1:-1] / 2595) - 1))


def _class_weights() -> Samples:
    """How far each bin belongs to each of twelve pitch classes, shape (bins, 12)."""
    bins_hz = np.arange(int(HIGHEST_PITCH_HZ * PITCH_SAMPLES / HEARD_RATE_HZ) + 1) * HEARD_RATE_HZ / PITCH_SAMPLES
    steps = 12 * np.log2(np.maximum(bins_hz, 1.0) / A4_HZ)
    away = (steps[:, None] - np.arange(12) + 6) % 12 - 6
    weights = np.exp(-0.5 * (away / CLASS_WIDTH) ** 2)
    weights[bins_hz < LOWEST_PITCH_HZ] = 0
    return weights.astype(np.float32)
