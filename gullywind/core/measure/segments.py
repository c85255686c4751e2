"""Spectra of short Hann segments of a listening view, cut at exact times. Times in s.

A fraction of a sample is a phase ramp. Segments of the reference lie on one grid, half a segment apart, so that looks
at the same stretch, first to check, then to refine, then to prove, and of the next recording too, share their spectra.
"""

import weakref
from functools import lru_cache

import numpy as np
import scipy.fft
import soxr

from gullywind.core.ground.units import Floats, Samples
from gullywind.core.native import kernels
from gullywind.core.native.kernels import Spectrum
from gullywind.core.sound.views import Listening, SampleSource

#: Nothing in a silent stretch is louder than this (-120 dBFS).
NO_SOUND = 1e-6
#: Sound read around segments, s, where the sample rate is converted: longer than soxr's filter.
CONVERSION_MARGIN_S = 0.02
#: Transforms are made four at a time, side by side in the processor's registers; more would not fit its cache.
AT_ONCE = 4
#: Parts of a sample below this are none: 20 ps.
LEAST_PART = 1e-6
#: Kept at most: 60 MB. What comes later than that replaces what came last, so that a second walk along a long file
#: finds at least the beginning of the first.
MOST_KEPT_BYTES = 60_000_000


def segment_spectra(view: Listening, centres_s: Floats, size: int, rate_hz: int) -> list[Spectrum] | None:
    """Spectra of segments centred at exact times, each shape (size // 2 + 1,); None if all are silent.

    Parameters
    ----------
    centres_s : shape (segments,), s, ascending.
    size : length of a segment in samples at the working rate `rate_hz`.
    """
    fs = view.sample_rate_hz
    margin_s = size / rate_hz * 0.5 + (CONVERSION_MARGIN_S if fs != rate_hz else 2 / fs)
    start = int(np.floor((centres_s[0] - margin_s) * fs))
    stop = int(np.ceil((centres_s[-1] + margin_s) * fs)) + 2
    sound = view.read(start, stop)
    low, high = float(sound.min(initial=0.0)), float(sound.max(initial=0.0))
    if not np.isfinite(high - low):
        sound = np.nan_to_num(sound, nan=0.0, posinf=0.0, neginf=0.0)
        low, high = float(sound.min()), float(sound.max())
    if max(-low, high) < NO_SOUND:
        return None
    if fs != rate_hz:
        sound = soxr.resample(sound, fs, rate_hz, quality="HQ")
    positions = (centres_s - start / fs) * rate_hz - size / 2
    whole = np.floor(positions + 0.5).astype(np.int64)
    spectra: list[Spectrum] = []
    for first in range(0, whole.size, AT_ONCE):
        some = whole[first : first + AT_ONCE]
        # Three take longer than four: only whole groups are made side by side.
        cut = kernels.cut(sound, some if some.size != AT_ONCE - 1 else np.append(some, some[-1]), _hann(size))
        spectra.extend(scipy.fft.rfft(cut, overwrite_x=True)[: some.size])
    for row, part in zip(spectra, positions - whole, strict=True):
        if abs(part) > LEAST_PART:
            kernels.advance(row, float(part))
    return spectra


def grid_centres_s(first: int, count: int, size: int, rate_hz: int) -> Floats:
    """Centres, s, of grid segments `first` to `first + count - 1`; segment 0 begins at time 0."""
    return (np.arange(first, first + count) + 1) * (size // 2) / rate_hz


def grid_spectra(view: Listening, first: int, count: int, size: int, rate_hz: int) -> list[Spectrum] | None:
    """What `segment_spectra` gives for grid segments, each computed once for the source that was asked for last."""
    kept = _SHELF.kept_for(view.source)
    keys = [(view.channels, view.speed, size, rate_hz, k) for k in range(first, first + count)]
    rows = [kept.get(key, _UNKNOWN) for key in keys]
    missing = [i for i, row in enumerate(rows) if row is _UNKNOWN]
    if missing:
        start, stop = missing[0], missing[-1] + 1
        spectra = segment_spectra(view, grid_centres_s(first + start, stop - start, size, rate_hz), size, rate_hz)
        for i in missing:
            rows[i] = None if spectra is None else spectra[i - start]
            _SHELF.keep(kept, keys[i], rows[i])
    if all(row is None for row in rows):
        return None
    nothing = np.zeros(size // 2 + 1, np.complex64)
    return [nothing if row is None else row for row in rows]


_UNKNOWN = np.zeros(0, np.complex64)


#: View's channels and speed, segment size, working rate, number on the grid.
_Key = tuple[tuple[int, ...], float, int, int, int]
_Kept = dict[_Key, Spectrum | None]


class _Shelf:
    """Spectra of one source, as long as it lives."""

    def __init__(self) -> None:
        self._held: tuple[weakref.ref[SampleSource] | None, _Kept] = (None, {})

    def kept_for(self, source: SampleSource) -> _Kept:
        """The source's own; another source's are let go."""
        whose, kept = self._held
        if whose is None or whose() is not source:
            kept = {}
            self._held = (weakref.ref(source), kept)
        return kept

    def keep(self, kept: _Kept, key: _Key, row: Spectrum | None) -> None:
        """Add one; where there is no more room, in place of the last."""
        size = key[2]
        if len(kept) >= MOST_KEPT_BYTES // (4 * size):
            kept.popitem()
        kept[key] = row


_SHELF = _Shelf()


@lru_cache
def _hann(size: int) -> Samples:
    return np.hanning(size).astype(np.float32)
