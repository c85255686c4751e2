"""Delays that wander smoothly: a camera that is carried about, a talker who walks, a worn tape. Times in s.

No straight line holds such a recording, and no window is long: within a second the delay moves by milliseconds. So
short windows are correlated over all lags near a place (phase transform: Knapp and Carter, IEEE Trans. ASSP 24(4),
1976), and the best path of a random walk through all of them is found (Viterbi, IEEE Trans. Information Theory 13(2),
1967). How much such a path gains by chance is measured on the same windows, paired with others of the reference.
"""

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt
import scipy.fft

from gullywind.core.ground.units import Floats
from gullywind.core.measure.segments import segment_spectra
from gullywind.core.measure.windows import Line, overlap_s
from gullywind.core.native import kernels
from gullywind.core.sound.views import Listening

#: Windows of a quarter of a second, half overlapping, of what lies below 4 kHz: the higher, the sooner it is smeared.
COURSE_RATE_HZ, COURSE_SIZE = 8000, 2048
COURSE_HOP_S = COURSE_SIZE / COURSE_RATE_HZ / 2
COURSE_BAND_HZ = (120.0, 3600.0)
#: Magnitudes are divided by their mean over so many hertz to either side.
WHITENED_HZ = 40.0
#: Lags on either side of a place: what the search leaves open, and how far delays wander. Two lags a sample.
COURSE_REACH_S, FINER = 0.045, 2
#: Nobody walks faster than 2.7 m/s, and no tape is off by more.
MOST_SLOPE = 0.008
#: A window's gain is its correlation in standard deviations, less what noise has; no window outvotes many others.
NOISE_GAIN, MOST_GAIN = 1.0, 6.0
#: What the fastest change between two windows costs.
COURSE_STEP_PRICE = 1.0
#: Chance is measured on so many other pairings of the windows.
PAIRINGS = 6
#: Longer recordings are not followed: who carries a camera for longer has a line in parts of it.
MOST_FOLLOWED_S = 1200.0
#: A stretch that tells whether the whole is worth following, s, and by how many times it must beat chance.
GLANCE_S, GLANCE_RATIO, GLANCE_PAIRINGS = 12.0, 1.12, 2
#: The course is smoothed over so many windows, and knots are left out where nothing moves by this much, s.
SMOOTHED_WINDOWS, KNOT_S = 11, 2e-5
#: How much rather a stretch of the course is straight than bent where its windows do not tell.
STRAIGHTER = 1e-3
LEAST_COURSE_WINDOWS = 16
#: What lies this near to a line, in lags, lies on it: 0.3 ms.
NEAR_COLUMNS = 5


@dataclass(frozen=True, eq=False)
class Course:
    """A path through the windows of an overlap.

    Attributes
    ----------
    t_ref, t_rec : shape (windows,), s. The moments that it pairs.
    ratio : its gain over the most that other pairings reached by chance.
    gains : shape (windows,). What each window adds, in standard deviations, up to MOST_GAIN.
    straight : 0..1. How much of the gain a straight line through the path keeps.
    line : that line.
    polarity : 1 or -1.
    """

    t_ref: Floats
    t_rec: Floats
    ratio: float
    gains: Floats
    straight: float
    line: Line
    polarity: int

    @property
    def gain(self) -> float:
        """Of all windows together."""
        return float(self.gains.sum())

    @property
    def wandered_s(self) -> float:
        """Between which delays it wanders about its line, from the earliest to the latest, s."""
        return float(np.ptp(self.t_rec - self.line.to_recording(self.t_ref)))


def glance_at_course(reference: Listening, recording: Listening, line: Line) -> float:
    """By how many times a path through a stretch in the middle of the overlap beats chance; 0 where there is none."""
    start_s, end_s = _span(reference, recording, line)
    middle_s = (start_s + end_s) / 2
    half_s = min(GLANCE_S, end_s - start_s) / 2
    found = _path(reference, recording, line, (middle_s - half_s, middle_s + half_s), GLANCE_PAIRINGS)
    return found.ratio if found else 0.0


def follow_course(reference: Listening, recording: Listening, line: Line) -> Course | None:
    """The course of a recording near a line; None where they hardly overlap, or for too long."""
    return _path(reference, recording, line, _span(reference, recording, line), PAIRINGS)


def simplified(t_ref: Floats, t_rec: Floats, *, within_s: float = KNOT_S) -> list[int]:
    """Numbers of the knots that are enough to stay near all (Douglas and Peucker, Cartographica 10(2), 1973)."""
    kept, waiting = {0, t_ref.size - 1}, [(0, t_ref.size - 1)]
    while waiting:
        first, last = waiting.pop()
        if last - first < 2:
            continue
        between = slice(first + 1, last)
        straight = np.interp(t_ref[between], t_ref[[first, last]], t_rec[[first, last]])
        away = np.abs(t_rec[between] - straight)
        far = int(np.argmax(away))
        if away[far] > within_s:
            middle = first + 1 + far
            kept.add(middle)
            waiting += [(first, middle), (middle, last)]
    return sorted(kept)


def _span(reference: Listening, recording: Listening, line: Line) -> tuple[float, float]:
    """Recording time that the reference covers, s."""
    start_s, end_s = (float(t) for t in line.to_recording(np.array(overlap_s(line, reference, recording))))
    return max(start_s, 0.0), min(end_s, recording.duration_s)


def _path(
    reference: Listening, recording: Listening, line: Line, span_s: tuple[float, float], pairings: int
) -> Course | None:
    half_s = COURSE_SIZE / COURSE_RATE_HZ / 2
    t_rec = np.arange(span_s[0] + half_s, span_s[1] - half_s, COURSE_HOP_S)
    if t_rec.size < LEAST_COURSE_WINDOWS or span_s[1] - span_s[0] > MOST_FOLLOWED_S:
        return None
    t_ref = t_rec / line.rate + line.offset_s
    ours, theirs = _whitened(reference, t_ref), _whitened(recording, t_rec)
    if ours is None or theirs is None:
        return None
    curves = _curves(ours, theirs)
    gain, path = _best_path(curves)
    shifts = [(k + 1) * t_rec.size // (pairings + 1) for k in range(pairings)]
    chance = max(_best_path(_curves(np.roll(ours, shift, axis=0), theirs))[0] for shift in shifts)
    lag_s = (path - curves.shape[1] // 2) / (COURSE_RATE_HZ * FINER)
    values = curves[np.arange(path.size), path]
    gains = np.clip(np.abs(values) - NOISE_GAIN, 0.0, MOST_GAIN).astype(np.float64)
    weight = gains + 0.05
    fit = np.polynomial.Polynomial.fit(t_ref, t_rec + lag_s, 1, w=weight)
    start, rate = (float(one) for one in fit.convert().coef)
    straight = Line(-start / rate, rate)
    columns = np.rint((straight.to_recording(t_ref) - t_rec) * COURSE_RATE_HZ * FINER) + curves.shape[1] // 2
    kept = _gains_near(curves, columns.astype(np.int64))
    return Course(
        t_ref,
        t_rec + _smoothed(lag_s, weight),
        gain / max(chance, 1.0),
        gains,
        float(kept.sum() / max(gains.sum(), 1e-9)),
        straight,
        1 if float((values * weight).sum()) >= 0 else -1,
    )


def _gains_near(curves: npt.NDArray[np.float32], columns: npt.NDArray[np.int64]) -> Floats:
    """What each window adds within NEAR_COLUMNS of a column, shape (windows,)."""
    near = np.clip(columns[:, None] + np.arange(-NEAR_COLUMNS, NEAR_COLUMNS + 1), 0, curves.shape[1] - 1)
    highest = np.abs(curves[np.arange(columns.size)[:, None], near]).max(axis=1)
    return np.asarray(np.clip(highest - NOISE_GAIN, 0.0, MOST_GAIN), np.float64)


def _whitened(view: Listening, centres_s: Floats) -> npt.NDArray[np.complex64] | None:
    """Spectra of windows, each bin divided by what is usual around it, shape (windows, bins); None for silence."""
    rows = segment_spectra(view, centres_s, COURSE_SIZE, COURSE_RATE_HZ)
    if rows is None:
        return None
    spectra = np.array(rows)
    magnitude = np.abs(spectra)
    half = round(WHITENED_HZ * COURSE_SIZE / COURSE_RATE_HZ)
    total = np.cumsum(np.pad(magnitude, ((0, 0), (half + 1, half)), mode="edge"), axis=1, dtype=np.float64)
    smooth = (total[:, 2 * half + 1 :] - total[:, : -2 * half - 1]) / (2 * half + 1)
    # The spectrum of silence is rounding, not sound.
    spectra /= np.maximum(smooth, 1e-3 * smooth.max(axis=1, keepdims=True) + 1e-7).astype(np.float32)
    hz = np.arange(spectra.shape[1]) * COURSE_RATE_HZ / COURSE_SIZE
    spectra[:, (hz < COURSE_BAND_HZ[0]) | (hz > COURSE_BAND_HZ[1])] = 0
    return np.asarray(spectra, np.complex64)


def _curves(ours: npt.NDArray[np.complex64], theirs: npt.NDArray[np.complex64]) -> npt.NDArray[np.float32]:
    """Correlation of each pair of windows over lags, in standard deviations, shape (windows, lags)."""
    product = theirs * ours.conj()
    spread = np.sqrt(2 * np.square(np.abs(product)).sum(axis=1)) + 1e-6
    size = COURSE_SIZE * FINER
    curves = scipy.fft.irfft(product, size, axis=1)
    curves *= (size / spread)[:, None].astype(np.float32)
    reach = int(COURSE_REACH_S * COURSE_RATE_HZ * FINER)
    return np.concatenate([curves[:, -reach:], curves[:, : reach + 1]], axis=1)


def _best_path(curves: npt.NDArray[np.float32]) -> tuple[float, npt.NDArray[np.int64]]:
    """What the best path gains, and its column in each window, shape (windows,)."""
    gains = np.clip(np.abs(curves) - np.float32(NOISE_GAIN), -NOISE_GAIN, MOST_GAIN).astype(np.float32)
    most = max(1, int(np.ceil(MOST_SLOPE * COURSE_HOP_S * COURSE_RATE_HZ * FINER)))
    price = (COURSE_STEP_PRICE * (np.arange(-most, most + 1) / most) ** 2).astype(np.float32)
    return kernels.best_walk(gains, price)


def _smoothed(lag_s: Floats, weight: Floats) -> Floats:
    """A parabola through the neighbours of each window, near ones first (Cleveland, "Robust locally weighted regression
    and smoothing scatterplots", JASA 74, 1979).

    A mean cuts off the crests of a course. Of five recorded voices on a tape that wanders by 10 ms the windows of the
    proof are clearer so by 2 to 12 per cent.
    """
    half = SMOOTHED_WINDOWS // 2
    away = np.arange(-half, half + 1) / half
    powers = np.stack([np.ones(away.size), away, away**2], axis=1)
    near = (1 - np.abs(away * half / (half + 1)) ** 3) ** 3
    weights, lags = (np.lib.stride_tricks.sliding_window_view(np.pad(one, half), away.size) for one in (weight, lag_s))
    weights = weights * near
    sums = np.einsum("wk,ki,kj->wij", weights, powers, powers)
    sums += np.diag([0.0, STRAIGHTER, STRAIGHTER]) * weights.sum(axis=1)[:, None, None]
    against = np.einsum("wk,ki->wi", weights * lags, powers)
    return np.asarray(np.linalg.solve(sums, against[..., None])[:, 0, 0])
