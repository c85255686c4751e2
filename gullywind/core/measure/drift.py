"""Clock drift in ppm: one straight line through windowed lags, some of them false peaks. Times in s."""

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from gullywind.core.ground.errors import InputError
from gullywind.core.ground.units import Floats

#: Tukey's biweight with 95 % efficiency (Holland and Welsch, Communications in Statistics, 1977).
TUKEY = 4.685
FIT_ROUNDS = 12
#: Below this spread windows count as equally good: 20 ns is under the correlation's own precision.
LEAST_SPREAD_S = 2e-8


@dataclass(frozen=True, eq=False)
class DriftFit:
    """A recorder's straight line: `t_rec = rate * (t_ref - offset_s)`.

    Attributes
    ----------
    offset_s : s. Reference time of the recording's first sample.
    rate : recording seconds per reference second.
    offset_error_s, ppm_error : standard errors, of the line at the windows' middle, `middle_s` (s), and of the rate.
    residual_s : shape (windows,), s. Found minus fitted; positive: late.
    inliers : shape (windows,), bool.
    """

    offset_s: float
    rate: float
    offset_error_s: float
    ppm_error: float
    middle_s: float
    residual_s: Floats
    inliers: npt.NDArray[np.bool_]

    @property
    def clock_ppm(self) -> float:
        """Positive: the recorder runs fast."""
        return (self.rate - 1) * 1e6


@dataclass(frozen=True, eq=False)
class Consensus:
    """The line that most windows agree on.

    Attributes
    ----------
    rate, offset_s : of the line.
    inliers : shape (windows,), bool.
    """

    rate: float
    offset_s: float
    inliers: npt.NDArray[np.bool_]


def find_consensus(
    t_ref: Floats, t_rec: Floats, strength: Floats, *, expected_rate: float, most_ppm: float, tolerance_s: float
) -> Consensus:
    """The line through two windows that the greatest strength of windows lies near.

    Parameters
    ----------
    t_ref, t_rec : shape (windows,), s. Each window's centre, and where it was found in the recording.
    strength : shape (windows,), >= 0. How much each window counts.
    expected_rate, most_ppm : lines steeper or flatter than this by more than `most_ppm` are not considered.
    tolerance_s : > 0. Windows within this of the line count.

    References
    ----------
    Fischler and Bolles, "Random sample consensus", CACM 24(6), 1981; here all pairs are tried, none at random.
    """
    if t_ref.ndim != 1 or t_ref.shape != t_rec.shape or t_ref.shape != strength.shape or t_ref.size < 1:
        raise InputError(f"need equal 1-D arrays of 1 window or more, got {t_ref.shape} and {t_rec.shape}")
    # Without the expected slope the numbers stay small, and a window alone proposes the expected rate.
    flat = t_rec - expected_rate * t_ref
    first, second = np.triu_indices(t_ref.size)
    run = t_ref[second] - t_ref[first]
    slope = np.where(run > 0, (flat[second] - flat[first]) / np.where(run > 0, run, 1.0), 0.0)
    possible = np.abs(slope) <= most_ppm * 1e-6 * expected_rate
    first, slope = first[possible], slope[possible]
    distance = np.abs(flat[None, :] - flat[first][:, None] - slope[:, None] * (t_ref[None, :] - t_ref[first][:, None]))
    votes = np.where(distance <= tolerance_s, strength[None, :] * (1 - 0.5 * distance / tolerance_s), 0.0).sum(axis=1)
    best = int(np.argmax(votes))
    rate = expected_rate + float(slope[best])
    at_zero = float(flat[first[best]] - slope[best] * t_ref[first[best]])
    return Consensus(rate, -at_zero / rate, distance[best] <= tolerance_s)


def fit_drift(t_ref: Floats, t_rec: Floats, strength: Floats, *, tolerance_s: float) -> DriftFit:
    """Fit offset and rate to windows, some of them false peaks.

    Parameters
    ----------
    t_ref, t_rec : shape (windows,), s. Each window's centre, and where it was found in the recording.
    strength : shape (windows,), > 0. Reciprocal of each window's expected spread, in any unit.
    tolerance_s : > 0. Windows further than this from the line never count.

    Returns
    -------
    DriftFit : with fewer than 2 distinct windows the rate is 1.

    Raises
    ------
    InputError : shapes differ, or no window.

    References
    ----------
    Holland and Welsch, "Robust regression using iteratively reweighted least-squares", 1977.

    Examples
    --------
    >>> t_ref = np.array([10.0, 20.0, 30.0])
    >>> fit_drift(t_ref, t_ref - 4.0, np.ones(3), tolerance_s=0.001).offset_s
    4.0
    """
    if t_ref.ndim != 1 or t_ref.shape != t_rec.shape or t_ref.shape != strength.shape or t_ref.size < 1:
        raise InputError(f"need equal 1-D arrays of 1 window or more, got {t_ref.shape} and {t_rec.shape}")
    late = t_rec - t_ref
    centre = float(np.average(t_ref, weights=strength))
    run = t_ref - centre
    level, slope = _start(run, late)
    weight = strength**2
    for _ in range(FIT_ROUNDS):
        distance = late - level - slope * run
        spread = max(1.4826 * float(np.median(np.abs(distance * strength))), LEAST_SPREAD_S * float(strength.mean()))
        scaled = np.clip(np.abs(distance * strength) / (TUKEY * spread), 0, 1)
        used = strength**2 * (1 - scaled**2) ** 2 * (np.abs(distance) <= tolerance_s)
        if np.count_nonzero(used) < 2:
            break
        weight = used
        before = (level, slope)
        level, slope = _weighted_line(run, late, weight)
        if abs(level - before[0]) < 1e-12 and abs(slope - before[1]) < 1e-15:
            break
    residual = late - level - slope * run
    inliers = np.abs(residual) <= tolerance_s
    rate = 1.0 + slope
    at_zero = centre + level - rate * centre
    # The biweight itself shrinks what it keeps; the spread is taken over all kept windows at their plain strength.
    kept = strength**2 * (weight > 0)
    effective = max(float(kept.sum() ** 2 / max((kept**2).sum(), 1e-30)), 2.5)
    variance = float((kept * residual**2).sum() / max(kept.sum(), 1e-30)) * effective / (effective - 2)
    run_variance = float((kept * (run - np.average(run, weights=kept)) ** 2).sum() / kept.sum())
    offset_error = float(np.sqrt(variance / effective))
    ppm_error = float(np.sqrt(variance / effective / run_variance) * 1e6) if run_variance > 0 else np.inf
    return DriftFit(-at_zero / rate, rate, offset_error, ppm_error, centre, residual, inliers)


def _start(run: Floats, late: Floats) -> tuple[float, float]:
    """Theil-Sen: median of all slopes, then the median level (Sen, JASA 63, 1968)."""
    first, second = np.triu_indices(run.size, 1)
    step = run[second] - run[first]
    usable = np.abs(step) > 0
    if not usable.any():
        return float(np.median(late)), 0.0
    slope = float(np.median((late[second] - late[first])[usable] / step[usable]))
    return float(np.median(late - slope * run)), slope


def _weighted_line(run: Floats, late: Floats, weight: Floats) -> tuple[float, float]:
    total = weight.sum()
    run_mean, late_mean = (weight * run).sum() / total, (weight * late).sum() / total
    spread = (weight * (run - run_mean) ** 2).sum()
    slope = (weight * (run - run_mean) * (late - late_mean)).sum() / spread if spread > 0 else 0.0
    return float(late_mean - slope * run_mean), float(slope)
