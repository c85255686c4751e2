"""Evidence along a whole overlap at once: correlations of many windows, added along every line. Times in s.

A recording far under the noise, or a few seconds of one, shows in no single window; the sum over all may. Windows of
both sides lie on fixed grids, so that each is transformed once, whatever places it is compared at; a place between the
grids shows as a lag. Spectra are divided by their own smoothed magnitudes (phase transform: Knapp and Carter, "The
generalized correlation method for estimation of time delay", IEEE Trans. ASSP 24(4), 1976), and lines that stand still
are left out: hum that two recorders share is no evidence. The sum along lines is a Radon transform of the windows'
correlations over lag and time (Deans, "The Radon Transform and Some of Its Applications", 1983).
"""

from dataclasses import dataclass
from functools import lru_cache
from weakref import WeakKeyDictionary

import numpy as np
import numpy.typing as npt
import scipy.fft

from gullywind.core.ground.units import Floats
from gullywind.core.measure.segments import NO_SOUND
from gullywind.core.measure.windows import Line, overlap_s
from gullywind.core.native import kernels
from gullywind.core.sound.views import Listening, SampleSource

#: Windows of 2 s: bins every half hertz at any sample rate, and whole numbers of samples.
WEIGHED_WINDOW_S = 2.0
LOW_HZ, HIGH_HZ = 120.0, 3800.0
#: Sound is thinned to this rate or a little more before it is transformed.
SPECTRA_RATE_HZ = 14000
#: The correlation is taken at this rate, which holds all bins.
LAG_RATE_HZ = 8000
#: The reference's grid is finer than a quarter of a window: places between the grids lose little.
REFERENCE_HOP_S = 0.5
#: Windows of a recording lie half over each other where there is little of it: what one fades out the next has whole.
#: Where there is more, end to end is nearly as good, and half as dear.
CLOSEST_S, LITTLE_S = 1.0, 20.0
#: Magnitudes are smoothed over so many bins to either side: 20 Hz.
WEIGHED_SMOOTH_BINS = 40
#: A bin whose mean level stands out this far from its neighbours', in nats, stands still: hum, a whistle.
LINE_NATS, LINE_BINS = 1.4, 60
#: Lags on either side of a place, s; and clock errors, ppm.
REACH_S, WEIGHED_PPM = 0.06, 200.0
#: Lags are looked at in pairs: 0.25 ms.
POOLED = 2
#: Where few lags are wanted so few bins are enough, each smoothed from so many; of the lags so large a share is true.
MOST_FOLDED, TAPS_EACH, PASSED, KAISER_BETA = 8, 6, 0.35, 2.6
#: One window may not outvote all others: above this it counts with its logarithm only.
FULL_WINDOW = 8.0
#: Of the reference at most this many windows are kept, 59 kB each.
MOST_KEPT = 1200

Row = npt.NDArray[np.complex64]


@dataclass(frozen=True, slots=True)
class Accumulated:
    """The best line near a place: how far its sum stands above chance (standard deviations), and the line."""

    height: float
    line: Line
    windows: int


class GridSpectra:
    """Normalised spectra of one view's windows on a grid of `hop_s`, made when they are asked for."""

    def __init__(self, view: Listening, hop_s: float) -> None:
        self.view, self.hop_s = view, hop_s
        # A plain average over neighbours, as for the features: what folds down from above is weak and alike in both.
        self._thin = max(1, int(view.sample_rate_hz // SPECTRA_RATE_HZ))
        self._size = round(WEIGHED_WINDOW_S * view.sample_rate_hz / self._thin)
        self._kept: dict[int, Row | None] = {}
        #: Those that the steady lines were found in, as they are.
        self._raw: dict[int, Row | None] = {}
        self._steady: npt.NDArray[np.bool_] | None = None

    @property
    def count(self) -> int:
        """How many whole windows there are."""
        return max(0, int((self.view.duration_s - WEIGHED_WINDOW_S) / self.hop_s) + 1)

    def start_s(self, number: int) -> float:
        """Where a window begins, s."""
        return number * self.hop_s

    def row(self, number: int) -> Row | None:
        """One window, shape (bins,); None where it is silent."""
        if number not in self._kept:
            if len(self._kept) >= MOST_KEPT:
                self._kept.pop(next(iter(self._kept)))
            self._kept[number] = self._made(number)
        return self._kept[number]

    def _made(self, number: int) -> Row | None:
        steady = self._steady_bins()
        spectrum = self._raw.pop(number) if number in self._raw else self._spectrum(number)
        if spectrum is None:
            return None
        magnitude = np.abs(spectrum)
        smooth = _smoothed(magnitude, WEIGHED_SMOOTH_BINS)
        row = spectrum / np.maximum(smooth, 1e-3 * float(smooth.max()) + 1e-20)
        row[steady] = 0
        return np.asarray(row, np.complex64)

    def _spectrum(self, number: int) -> Row | None:
        fs = self.view.sample_rate_hz
        start = round(self.start_s(number) * fs)
        sound = self.view.read(start, start + self._size * self._thin)
        low, high = float(sound.min()), float(sound.max())
        if not np.isfinite(high - low):
            sound = np.nan_to_num(sound, nan=0.0, posinf=0.0, neginf=0.0)
            low, high = float(sound.min()), float(sound.max())
        if max(-low, high) < NO_SOUND:
            return None
        first, end = _bins()
        return np.asarray(
            scipy.fft.rfft(kernels.thin(sound, self._thin) * _window(self._size))[first:end], np.complex64
        )

    def _steady_bins(self) -> npt.NDArray[np.bool_]:
        """Bins of lines that sound all along, from windows spread over the whole."""
        if self._steady is None:
            chosen = np.unique(np.linspace(0, max(self.count - 1, 0), 8).astype(int))
            self._raw = {int(k): self._spectrum(int(k)) for k in chosen}
            levels = [np.log(np.abs(one) + 1e-9) for one in self._raw.values() if one is not None]
            level = np.mean(levels, axis=0) if levels else np.zeros(_bins()[1] - _bins()[0])
            self._steady = np.asarray(level - _smoothed(level, LINE_BINS) > LINE_NATS)
        return self._steady


_REFERENCES: "WeakKeyDictionary[SampleSource, dict[tuple[tuple[int, ...], float], GridSpectra]]" = WeakKeyDictionary()


def reference_grid(view: Listening) -> GridSpectra:
    """The grid of a reference's view; kept as long as the reference is."""
    views = _REFERENCES.setdefault(view.source, {})
    key = (view.channels, view.speed)
    if key not in views:
        views[key] = GridSpectra(view, REFERENCE_HOP_S)
    return views[key]


def recording_grid(view: Listening, *, most_windows: int) -> GridSpectra:
    """The grid of a recording's view with at most so many windows: half over each other, or further apart."""
    return GridSpectra(view, max(CLOSEST_S, (view.duration_s - WEIGHED_WINDOW_S) / max(most_windows - 1, 1)))


def accumulate(reference: GridSpectra, recording: GridSpectra, line: Line, *, most_windows: int) -> Accumulated | None:
    """Add the windows' correlations along all lines near one; None where fewer than one window overlaps.

    Parameters
    ----------
    line : about where the recording lies, to REACH_S.
    most_windows : 1 or more; where more overlap, so many evenly spread ones are added.
    """
    found = _correlations(reference, recording, line, most_windows)
    if found is None:
        return None
    rows, t_rec = found
    middle_s = (float(t_rec[0]) + float(t_rec[-1])) / 2
    step_s = POOLED / LAG_RATE_HZ
    half_s = max((float(t_rec[-1]) - float(t_rec[0])) / 2, 1e-9)
    steps = int(WEIGHED_PPM * 1e-6 * half_s / step_s)
    reach = rows.shape[1] // 2
    slopes = np.arange(-steps, steps + 1)
    starts = np.rint(slopes[:, None] * ((t_rec - middle_s) / half_s)).astype(np.int32) + np.int32(steps)
    which, column, best_sum = kernels.best_line(rows, starts, rows.shape[1] - 2 * steps)
    slope, lag = int(slopes[which]), column + steps - reach
    late_s, rate = lag * step_s, line.rate + slope * step_s / half_s
    # Found: t_rec = line(t_ref) + late + slope * (t_rec - middle).
    t_ref = middle_s / line.rate + line.offset_s
    offset_s = t_ref - (middle_s + late_s) / rate
    return Accumulated(best_sum / float(np.sqrt(len(rows))), Line(offset_s, rate), len(rows))


def _overlapping(reference: GridSpectra, recording: GridSpectra, line: Line, most: int) -> list[int]:
    """Numbers of the recording's windows that lie within the reference but for a third, at most so many."""
    start_s, end_s = overlap_s(line, reference.view, recording.view)
    begin_s = np.arange(recording.count) * recording.hop_s / line.rate + line.offset_s
    inside = np.flatnonzero(
        (begin_s >= start_s - WEIGHED_WINDOW_S / 3) & (begin_s + WEIGHED_WINDOW_S <= end_s + WEIGHED_WINDOW_S / 3)
    )
    if inside.size * recording.hop_s > LITTLE_S:
        most = min(most, max(1, int(inside.size * recording.hop_s / WEIGHED_WINDOW_S)))
    if inside.size > most:
        inside = inside[np.linspace(0, inside.size - 1, most).astype(int)]
    return [int(k) for k in inside]


def _correlations(
    reference: GridSpectra, recording: GridSpectra, line: Line, most_windows: int
) -> tuple[npt.NDArray[np.float32], Floats] | None:
    """Correlation of each window over lags around the line, in standard deviations, and the windows' centres."""
    half_s = (recording.view.duration_s * WEIGHED_PPM * 1e-6) / 2 + REACH_S
    reach = int(half_s * LAG_RATE_HZ / POOLED)
    low, _ = _bins()
    size = round(LAG_RATE_HZ * WEIGHED_WINDOW_S)
    taps, every = _folding(half_s)
    ours, theirs, before, centres = list[Row](), list[Row](), list[float](), list[float]()
    last = max(reference.count - 1, 0)
    for number in _overlapping(reference, recording, line, most_windows):
        begin_rec = recording.start_s(number)
        begin_ref = begin_rec / line.rate + line.offset_s
        k = min(max(round(begin_ref / reference.hop_s), 0), last)
        mine, its = recording.row(number), reference.row(k)
        if mine is None or its is None:
            continue
        ours.append(mine)
        theirs.append(its)
        # What lies on the line shows at the difference of the two grids; it comes to 0.
        before.append((reference.start_s(k) - begin_ref) * LAG_RATE_HZ)
        centres.append(begin_rec + WEIGHED_WINDOW_S / 2)
    if not centres:
        return None
    spectra, energies = kernels.fold_products(ours, theirs, low, np.array(before), size, taps, every)
    curves = scipy.fft.irfft(spectra, size // every, axis=1)
    # By Parseval's theorem over all lags, those that are not looked at as well.
    curves *= (size / np.sqrt(2 * energies + 1e-30)).astype(np.float32)[:, None]
    near = np.take(curves, np.arange(-reach * POOLED, (reach + 1) * POOLED), axis=1, mode="wrap")
    one, other = near[:, ::POOLED], near[:, 1::POOLED]
    rows = _tempered(np.where(np.abs(one) >= np.abs(other), one, other))
    return np.ascontiguousarray(rows, np.float32), np.array(centres)


@lru_cache(maxsize=8)
def _folding(half_s: float) -> tuple[npt.NDArray[np.float32], int]:
    """Taps that smooth the bins, and every how manyth is then enough, where only lags up to `half_s` are wanted.

    Smoothing bins is a window over lags: near 1 for those that are wanted, near 0 for those that would fold onto them
    (Kaiser's design: Kaiser, "Nonrecursive digital filter design using the I0-sinh window function", 1974).
    """
    every = 1
    while every < MOST_FOLDED and half_s <= PASSED * WEIGHED_WINDOW_S / (2 * every):
        every *= 2
    if every == 1:
        return np.ones(1, np.float32), 1
    reach = TAPS_EACH * every // 2
    taps = np.sinc(np.arange(-reach, reach + 1) / every) * np.kaiser(2 * reach + 1, KAISER_BETA)
    return np.asarray(taps / taps.sum(), np.float32), every


def _tempered(row: npt.NDArray[np.float32]) -> npt.NDArray[np.float32]:
    high = np.abs(row) > FULL_WINDOW
    row[high] = np.sign(row[high]) * FULL_WINDOW * (1 + np.log(np.abs(row[high]) / FULL_WINDOW))
    return row


@lru_cache(maxsize=8)
def _window(size: int) -> npt.NDArray[np.float32]:
    return np.hanning(size).astype(np.float32)


def _bins() -> tuple[int, int]:
    return round(LOW_HZ * WEIGHED_WINDOW_S), round(HIGH_HZ * WEIGHED_WINDOW_S)


def _smoothed(values: npt.NDArray, half: int) -> npt.NDArray:
    """Mean over `half` bins to either side."""
    total = np.cumsum(np.pad(values, (half + 1, half), mode="edge"), dtype=np.float64)
    return np.asarray((total[2 * half + 1 :] - total[: -2 * half - 1]) / (2 * half + 1))
