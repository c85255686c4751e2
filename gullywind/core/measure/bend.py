"""A bent clock: a recorder that warms up, or a wireless link, does not run along one straight line. Times in s.

Method: continuous piecewise-linear fits with more and more evenly spaced knots, robustly weighted; one is believed only
where the Bayesian information criterion speaks very strongly for it (Schwarz, Annals of Statistics 6(2), 1978; "very
strong" is a difference of 10: Kass and Raftery, JASA 90, 1995; more is asked, since many models are tried and the
spread of the windows is itself an estimate).
"""

from dataclasses import dataclass

import numpy as np

from gullywind.core.ground.units import Floats
from gullywind.core.maps.time_map import Piece, extrapolated
from gullywind.core.measure.drift import FIT_ROUNDS
from gullywind.core.measure.windows import Line

MOST_KNOTS = 8
VERY_STRONG = 25.0
#: A bend that moves nothing by this much is not worth a knot.
LEAST_BEND_S = 2e-5
#: A walking person shifts a lag faster than any clock: steeper bends than this are no clock.
MOST_BEND_PPM = 40.0
#: A bend must leave windows this many times nearer than a line does, and nearly all of them near: a step is no bend.
LEAST_GAIN, LEAST_FITTING = 1.4, 0.9
FITTING_SPREADS, FITTING_S = 5.0, 1e-4
#: In shorter overlaps a clock does not bend, and with fewer windows nothing can be told.
LEAST_LENGTH_S, LEAST_BEND_WINDOWS = 240.0, 12
#: Windows this far from the median of their neighbours are outliers.
NEIGHBOURS, OUTLIER_S = 7, 5e-4
#: Windows count as equally good below this spread.
LEAST_BEND_SPREAD_S = 2e-7
HUBER = 2.0
#: Root mean square of the nine smallest tenths of normal deviates.
TRIMMED = 0.79


@dataclass(frozen=True, slots=True)
class Bend:
    """How much later than a line the recording is: knots `(t_ref, late)`, s, linear between and beyond."""

    knots: tuple[tuple[float, float], ...]

    def late_s(self, t_ref: Floats) -> Floats:
        """Same shape as `t_ref`, s."""
        ref, late = np.array(self.knots).T
        return extrapolated(t_ref, ref, late)


def find_bend(t_ref: Floats, late_s: Floats, strength: Floats) -> Bend | None:
    """The bend of a clock against a line, where windows clearly demand one.

    Parameters
    ----------
    t_ref, late_s : shape (windows,), s. Centres, ascending, and how late each is against the line.
    strength : shape (windows,), > 0. Reciprocal of each window's expected spread, in any unit.
    """
    if t_ref.size < LEAST_BEND_WINDOWS or t_ref[-1] - t_ref[0] < LEAST_LENGTH_S:
        return None
    padded = np.pad(late_s, NEIGHBOURS // 2, mode="edge")
    smooth = np.median(np.lib.stride_tricks.sliding_window_view(padded, NEIGHBOURS), axis=1)
    used = np.abs(late_s - smooth) <= OUTLIER_S
    if np.count_nonzero(used) < max(LEAST_BEND_WINDOWS, 0.5 * t_ref.size):
        return None
    t, late, weight = t_ref[used], late_s[used], strength[used] / strength[used].max()
    spread_s = _spread(late, weight)
    fits = [_fit(t, late, weight / spread_s, inner) for inner in range(MOST_KNOTS + 1) if t.size >= 2 * (inner + 2)]
    straight, best = fits[0], min(fits, key=lambda fit: fit.criterion)
    if straight.criterion - best.criterion < VERY_STRONG:
        return None
    left = [np.abs(late - fit.bend.late_s(t)) * weight for fit in (straight, best)]
    fitting = np.mean(left[1] <= max(FITTING_SPREADS * spread_s, FITTING_S))
    if np.median(left[0]) < LEAST_GAIN * np.median(left[1]) or fitting < LEAST_FITTING:
        return None
    away = best.bend.late_s(t) - straight.bend.late_s(t)
    slopes_ppm = np.diff(away) / np.diff(t) * 1e6
    if np.abs(away).max() < LEAST_BEND_S or np.abs(slopes_ppm).max() > MOST_BEND_PPM:
        return None
    return best.bend


def bent_piece(line: Line, bend: Bend, duration_s: float, speed: float) -> Piece:
    """The whole recording as one piece along a bent line.

    Parameters
    ----------
    line, bend : in true seconds.
    duration_s : true length of the recording, s.
    speed : stated seconds of the recording for each true one.
    """
    inner_ref = np.array([knot[0] for knot in bend.knots[1:-1]])
    # The outermost stretches are straight as far as they go, so that two far points on each give its ends.
    far = np.array([bend.knots[0][0] - duration_s - 1, bend.knots[-1][0] + duration_s + 1])
    t_ref = np.concatenate([far[:1], inner_ref, far[1:]])
    t_rec = line.to_recording(t_ref) + bend.late_s(t_ref)
    start, end = np.interp([0.0, duration_s], t_rec, t_ref)
    inside = (t_rec > 0) & (t_rec < duration_s)
    knots = [(start, 0.0), *zip(t_ref[inside], t_rec[inside], strict=True), (end, duration_s)]
    return Piece(tuple((float(ref), float(rec) * speed) for ref, rec in knots))


@dataclass(frozen=True, slots=True)
class _Fit:
    """A fitted bend and Schwarz's criterion for it: smaller is better."""

    bend: Bend
    criterion: float


def _spread(late: Floats, weight: Floats) -> float:
    """How far windows scatter, s, from how each lies between its neighbours: no bend is so quick."""
    between = np.abs((late[1:-1] - (late[:-2] + late[2:]) / 2) * weight[1:-1]) / np.sqrt(1.5)
    # Of two estimates the larger: the median alone is out by a fifth now and then, and noise must not look like a bend.
    by_mean = float(np.sqrt(np.mean(np.sort(between)[: int(0.9 * between.size)] ** 2))) / TRIMMED
    return max(1.4826 * float(np.median(between)), by_mean, LEAST_BEND_SPREAD_S)


def _fit(t: Floats, late: Floats, weight: Floats, inner: int) -> _Fit:
    """Least squares of a linear spline with evenly spaced inner knots; `weight` is one over each window's spread.

    Far windows count by their distance, not its square (Huber, Annals of Mathematical Statistics 35(1), 1964): where a
    clock bends most, few windows show it, and they must not be taken for outliers.
    """
    knots = np.linspace(t[0], t[-1], inner + 2)
    # Hat functions: the coefficients are the heights at the knots.
    design = np.stack([np.interp(t, knots, row) for row in np.eye(knots.size)], axis=1)
    used = weight
    for _ in range(FIT_ROUNDS):
        heights = np.linalg.lstsq(design * used[:, None], late * used, rcond=None)[0]
        away = np.abs(late - design @ heights) * weight
        used = weight * np.sqrt(HUBER / np.maximum(away, HUBER))
    cost = float(np.where(away <= HUBER, away**2, 2 * HUBER * away - HUBER**2).sum())
    bend = Bend(tuple((float(a), float(b)) for a, b in zip(knots, heights, strict=True)))
    return _Fit(bend, cost + knots.size * float(np.log(t.size)))
