"""Evidence along a whole overlap at once: correlations of many windows, added along every line. Times in s.

A recording far under the noise, or a few seconds of one, shows in no single window; the sum over all may. Windows of
both sides lie on fixed grids, so that each is transformed once, whatever places it is compared at; a place between the
grids shows as a lag. Spectra are divided by their own smoothed magnitudes (phase transform: Knapp and Carter, "The
generalized correlation method for estimation of time delay", IEEE Trans. ASSP 24(4), 1976), and lines that stand still
are left out: hum that two recorders share is no evidence. The sum along lines is a Radon transform of the windows'
correlations over lag and time (Deans, "The Radon Transform and Some of Its Applications", 1983).
"""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from functools import lru_cache
from itertools import pairwise
from weakref import WeakKeyDictionary

import numpy as np
import numpy.typing as npt
import scipy.fft

from gullywind.core.ground.units import Floats, Samples
from gullywind.core.measure.segments import AT_ONCE, NO_SOUND
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
#: No bin is divided by less than this share of the window's largest mean: the spectrum of silence is rounding.
LEAST_SMOOTH = 1e-3
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

    def heard(self, numbers: npt.NDArray[np.int64]) -> npt.NDArray[np.bool_]:
        """Which windows are not silent, shape (numbers,)."""
        self._make(numbers)
        return np.array([self._kept[number] is not None for number in numbers.tolist()], bool)

    def rows(self, numbers: npt.NDArray[np.int64]) -> list[Row]:
        """Windows that are not silent, each shape (bins,)."""
        self._make(numbers)
        return [row for number in numbers.tolist() if (row := self._kept[number]) is not None]

    def _make(self, numbers: npt.NDArray[np.int64]) -> None:
        """Some windows that are asked for next, where they are missing."""
        wanted = set(numbers.tolist())
        missing = sorted(wanted - self._kept.keys())
        if not missing:
            return
        steady = self._steady_bins()
        raw = {number: self._raw.pop(number) for number in missing if number in self._raw}
        raw |= self._spectra([number for number in missing if number not in raw])
        for number, spectrum in raw.items():
            self._kept[number] = spectrum
            if spectrum is not None:
                self._kept[number] = kernels.whiten(spectrum, WEIGHED_SMOOTH_BINS, steady, least=LEAST_SMOOTH)
        for number in list(self._kept)[: max(0, len(self._kept) - MOST_KEPT)]:
            if number not in wanted:
                del self._kept[number]

    def _spectra(self, numbers: Sequence[int]) -> dict[int, Row | None]:
        """Windows' spectra as they are, each shape (bins,); None where one is silent. `numbers` ascend."""
        found: dict[int, Row | None] = dict.fromkeys(numbers)
        first, end = _bins()
        for begin in range(0, len(numbers), AT_ONCE):
            heard = list(self._sounds(numbers[begin : begin + AT_ONCE]))
            # Three take longer than four: only whole groups are made side by side.
            sounds = np.zeros((AT_ONCE if len(heard) == AT_ONCE - 1 else len(heard), self._size), np.float32)
            for row, (_, sound) in zip(sounds, heard, strict=False):
                np.multiply(sound, _window(self._size), out=row)
            spectra = scipy.fft.rfft(sounds, overwrite_x=True)[:, first:end]
            found |= {number: row.copy() for (number, _), row in zip(heard, spectra, strict=False)}
        return found

    def _sounds(self, numbers: Sequence[int]) -> Iterator[tuple[int, Samples]]:
        """Windows that are not silent, and their sound, thinned, shape (samples,)."""
        starts = [round(number * self.hop_s * self.view.sample_rate_hz) for number in numbers]
        length = self._size * self._thin
        # Neighbours lie half over each other: together they are read once.
        together = starts[-1] + length - starts[0] <= len(numbers) * length
        whole = self.view.read(starts[0], starts[-1] + length) if together else None
        for number, start in zip(numbers, starts, strict=True):
            at = start - starts[0]
            sound = self.view.read(start, start + length) if whole is None else whole[at : at + length]
            low, high = float(sound.min()), float(sound.max())
            if not np.isfinite(high - low):
                sound = np.nan_to_num(sound, nan=0.0, posinf=0.0, neginf=0.0)
                low, high = float(sound.min()), float(sound.max())
            if max(-low, high) >= NO_SOUND:
                yield number, kernels.thin(sound, self._thin)

    def _steady_bins(self) -> npt.NDArray[np.bool_]:
        """Bins of lines that sound all along, from windows spread over the whole."""
        if self._steady is None:
            chosen = np.unique(np.linspace(0, max(self.count - 1, 0), 8).astype(int))
            self._raw = self._spectra([int(k) for k in chosen])
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
    """The grid of a recording's view: half over each other where so many end to end hold it all, else further apart."""
    apart_s = (view.duration_s - WEIGHED_WINDOW_S) / max(most_windows - 1, 1)
    return GridSpectra(view, CLOSEST_S if apart_s < WEIGHED_WINDOW_S else apart_s)


def accumulate(
    reference: GridSpectra, recording: GridSpectra, lines: Sequence[Line], *, most_windows: int
) -> list[Accumulated | None]:
    """Add the windows' correlations along all lines near each of some; None where fewer than one window overlaps.

    Parameters
    ----------
    lines : about where the recording lies, to REACH_S.
    most_windows : 1 or more; where more overlap, so many evenly spread ones are added.
    """
    correlations = _correlations(reference, recording, lines, most_windows)
    return [_best_near(line, *found) if found else None for line, found in zip(lines, correlations, strict=True)]


def _best_near(line: Line, rows: npt.NDArray[np.float32], t_rec: Floats) -> Accumulated:
    """The line of the largest sum, from correlations around one, shape (windows, lags), and the windows' centres."""
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


def _overlapping(reference: GridSpectra, recording: GridSpectra, line: Line, most: int) -> npt.NDArray[np.int64]:
    """Numbers of the recording's windows that lie within the reference but for a third, at most so many."""
    start_s, end_s = overlap_s(line, reference.view, recording.view)
    begin_s = np.arange(recording.count) * recording.hop_s / line.rate + line.offset_s
    inside = np.flatnonzero(
        (begin_s >= start_s - WEIGHED_WINDOW_S / 3) & (begin_s + WEIGHED_WINDOW_S <= end_s + WEIGHED_WINDOW_S / 3)
    )
    if recording.hop_s < WEIGHED_WINDOW_S and inside.size * recording.hop_s > LITTLE_S:
        # Every other one, the same for all places: then only those need be made.
        inside = inside[inside % 2 == 0]
    if inside.size > most:
        inside = inside[np.linspace(0, inside.size - 1, most).astype(int)]
    return inside


def _correlations(
    reference: GridSpectra, recording: GridSpectra, lines: Sequence[Line], most_windows: int
) -> list[tuple[npt.NDArray[np.float32], Floats] | None]:
    """Correlation of each window over lags around each line, in standard deviations, and the windows' centres."""
    last = max(reference.count - 1, 0)
    chosen, before, ends = list[npt.NDArray[np.int64]](), list[Floats](), [0]
    for line in lines:
        numbers = _overlapping(reference, recording, line, most_windows)
        begin_ref = numbers * (recording.hop_s / line.rate) + line.offset_s
        places = np.clip(np.rint(begin_ref / reference.hop_s).astype(np.int64), 0, last)
        heard = recording.heard(numbers) & reference.heard(places)
        chosen.append(np.stack([numbers, places], axis=1)[heard])
        # What lies on the line shows at the difference of the two grids; it comes to 0.
        before.append((places * reference.hop_s - begin_ref)[heard] * LAG_RATE_HZ)
        ends.append(ends[-1] + len(chosen[-1]))
    pairs = np.concatenate(chosen)
    found = _compared(reference, recording, pairs, np.concatenate(before)) if len(pairs) else None
    centres = np.asarray(pairs[:, 0] * recording.hop_s + WEIGHED_WINDOW_S / 2, np.float64)
    return [(found[a:b], centres[a:b]) if found is not None and b > a else None for a, b in pairwise(ends)]


def _compared(
    reference: GridSpectra, recording: GridSpectra, pairs: npt.NDArray[np.int64], before: Floats
) -> npt.NDArray[np.float32]:
    """Correlations of pairs of windows, numbers of the recording's and the reference's, around lags `before`."""
    half_s = (recording.view.duration_s * WEIGHED_PPM * 1e-6) / 2 + REACH_S
    taps, every = _folding(half_s)
    size = round(LAG_RATE_HZ * WEIGHED_WINDOW_S)
    ours, mine = np.unique(pairs[:, 0], return_inverse=True)
    theirs, its = np.unique(pairs[:, 1], return_inverse=True)
    both = np.stack([mine, its], axis=1)
    rows = recording.rows(ours), reference.rows(theirs)
    spectra, energies = kernels.fold_products(*rows, both, _bins()[0], before, size, taps, every)
    curves = scipy.fft.irfft(spectra, size // every, axis=1)
    # By Parseval's theorem over all lags, those that are not looked at as well.
    scales = size / np.sqrt(2 * energies + 1e-30)
    return kernels.pool_lags(curves, scales, int(half_s * LAG_RATE_HZ / POOLED), full=FULL_WINDOW)


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


@lru_cache(maxsize=8)
def _window(size: int) -> npt.NDArray[np.float32]:
    return np.hanning(size).astype(np.float32)


def _bins() -> tuple[int, int]:
    return round(LOW_HZ * WEIGHED_WINDOW_S), round(HIGH_HZ * WEIGHED_WINDOW_S)


def _smoothed(values: npt.NDArray, half: int) -> npt.NDArray:
    """Mean over `half` bins to either side."""
    total = np.cumsum(np.pad(values, (half + 1, half), mode="edge"), dtype=np.float64)
    return np.asarray((total[2 * half + 1 :] - total[: -2 * half - 1]) / (2 * half + 1))
