"""Places by sharp sounds: claps that both recordings hold at the same distances from one another. Times in s.

Every pair of claps proposes an offset; one that other pairs share is a pattern. How easily so many would meet by chance
is told from how many there are, as a Poisson process, and every offset that was tried counts. Two people who clap twice
do so at much the same distance, so that a pattern alone proves little: the claps themselves are compared at full rate,
where the same clap agrees in its phases and another does not, however alike it sounds.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt
from scipy.stats import poisson

from gullywind.core.features.claps import Clap
from gullywind.core.ground.units import Floats
from gullywind.core.measure.correlate import SegmentPlan, WindowLag, measure_window
from gullywind.core.measure.windows import Line
from gullywind.core.sound.views import Listening

#: The beginning of the same clap is told alike in both within this, s.
BEGINNING_S = 0.003
#: Compared at full rate, claps of one pattern agree within this.
FINE_CLAP_S = 0.0008
#: A clock that is not known yet moves claps apart by this share of the time between them.
UNKNOWN_CLOCK = 120e-6
#: What a clap is compared by: 21 ms around its beginning and what follows, searched this far.
CLAP_SAMPLES, CLAP_CENTRE_S, CLAP_SEARCH_S = 1024, 0.004, 0.0035
#: Claps that are compared together lie within this, s: all that lies between is read.
TOGETHER_S = 6.0
#: So many of the surest are looked at; more are no marks but a rhythm.
MOST_CLAPS = 40
#: Less sure ones are no part of a pattern.
LEAST_PATTERN_CERTAINTY = 0.1
#: How near others must lie to tell how dense claps are there, s.
NEARBY_S = 1.0
#: A clock is measured where claps lie further apart than this, s.
CLOCK_SPAN_S = 120.0
#: Patterns that are compared at full rate.
MOST_PATTERNS = 8


@dataclass(frozen=True, slots=True)
class ClapMatch:
    """An offset that claps speak for.

    Attributes
    ----------
    line : the recording on the reference.
    pairs : times of the claps that agree, reference and recording, s.
    chance : 0..1. About how probable it is that as many agree somewhere by chance.
    quality, agreement : of the claps at full rate, see `WindowLag`; of claps that are not the same 4 to 15, and to 0.3.
    polarity : 1 or -1, by the claps themselves.
    """

    line: Line
    pairs: tuple[tuple[float, float], ...]
    chance: float
    quality: float
    agreement: float
    polarity: int


def match_claps(
    reference: Listening, reference_claps: Sequence[Clap], recording: Listening, recording_claps: Sequence[Clap]
) -> tuple[ClapMatch, ...]:
    """Offsets that the claps of two recordings speak for, likeliest first."""
    t_ref, t_rec = _surest(reference_claps), _surest(recording_claps)
    if t_ref.size == 0 or t_rec.size == 0:
        return ()
    found = [_compared(reference, recording, t_ref, t_rec, one) for one in _patterns(t_ref, t_rec)]
    return tuple(sorted((one for one in found if one), key=lambda one: (-len(one.pairs), -one.quality)))


def _surest(claps: Sequence[Clap]) -> Floats:
    """Times of those that may be part of a pattern, s, ascending."""
    sure = sorted((one for one in claps if one.certainty >= LEAST_PATTERN_CERTAINTY), key=lambda one: -one.certainty)
    return np.array(sorted(one.t_rec for one in sure[:MOST_CLAPS]))


def _patterns(t_ref: Floats, t_rec: Floats) -> list[npt.NDArray[np.int64]]:
    """Pairs that one offset explains, each shape (pairs, 2), numbers of the claps; those of more pairs first."""
    found: dict[tuple[tuple[int, int], ...], tuple[int, npt.NDArray[np.int64]]] = {}
    at_most = _met(t_ref, t_rec)
    lengths = [0] * MOST_PATTERNS
    for number in np.argsort(-at_most, axis=None, kind="stable").tolist():
        i, k = divmod(number, t_rec.size)
        if at_most[i, k] < lengths[0]:
            # Neither this one nor any that follows comes before those that were found.
            break
        apart_s, near = _near((t_ref - t_ref[i])[:, None], t_rec - t_rec[k])
        # One partner each, the nearest.
        best = np.where(near, apart_s, np.inf)
        pairs = np.argwhere(near & (best == best.min(axis=1, keepdims=True)) & (best == best.min(axis=0)))
        key = tuple((int(a), int(b)) for a, b in pairs)
        if key not in found:
            lengths = sorted([*lengths, len(pairs)])[1:]
        found[key] = (min(number, found[key][0]) if key in found else number, pairs)
    ordered = sorted(found.values(), key=lambda one: (-len(one[1]), one[0]))
    return [pairs for _, pairs in ordered[:MOST_PATTERNS]]


def _near(since_s: Floats, there_s: Floats) -> tuple[Floats, npt.NDArray[np.bool_]]:
    """How far claps are apart, s, and whether they may be one, by what each is later than two that are one."""
    apart_s = np.abs(since_s - there_s)
    return apart_s, apart_s <= BEGINNING_S + UNKNOWN_CLOCK * np.abs(since_s)


def _met(t_ref: Floats, t_rec: Floats) -> npt.NDArray[np.int64]:
    """At most so many pairs meet where two claps are one, shape (reference's, recording's)."""
    there_s = t_rec - t_rec[:, None, None]
    return np.array([np.count_nonzero(_near((t_ref - one)[:, None], there_s)[1], axis=(1, 2)) for one in t_ref])


def _compared(
    reference: Listening, recording: Listening, t_ref: Floats, t_rec: Floats, pairs: npt.NDArray[np.int64]
) -> ClapMatch | None:
    """A pattern measured at full rate; None where nothing is left of it."""
    ours, theirs = t_ref[pairs[:, 0]], t_rec[pairs[:, 1]]
    lags = [_measured(reference, recording, ours[[k]], theirs[[k]]) for k in range(len(pairs))]
    heard = np.array([one is not None for one in lags])
    if not heard.any():
        return None
    ours, exact = ours[heard], theirs[heard] + np.array([one.lag_s for one in lags if one])
    line = _fitted(ours, exact)
    agree = np.abs(line.to_recording(ours) - exact) <= FINE_CLAP_S
    if not agree.any():
        return None
    line = _fitted(ours[agree], exact[agree])
    # The stretch with most of them is compared as one.
    kept = ours[agree]
    within = [(kept >= one) & (kept <= one + TOGETHER_S) for one in kept]
    together = kept[max(within, key=np.count_nonzero)]
    joint = _measured(reference, recording, together, line.to_recording(together))
    if joint is None:
        return None
    if abs(joint.lag_s) <= FINE_CLAP_S:
        line = Line(line.offset_s - joint.lag_s / line.rate, line.rate)
    same = tuple(zip(kept.tolist(), exact[agree].tolist(), strict=True))
    chance = _chance(t_ref, t_rec, same)
    return ClapMatch(line, same, chance, joint.quality, joint.agreement, joint.polarity)


def _measured(reference: Listening, recording: Listening, t_ref: Floats, t_rec: Floats) -> WindowLag | None:
    plan = SegmentPlan(t_ref + CLAP_CENTRE_S, t_rec + CLAP_CENTRE_S)
    return measure_window(reference, recording, plan, size=CLAP_SAMPLES, most_lag_s=CLAP_SEARCH_S)


def _fitted(t_ref: Floats, t_rec: Floats) -> Line:
    """The line through claps: with its own clock where they lie far apart, else as fast as the reference."""
    if t_ref.size > 2 and float(np.ptp(t_ref)) >= CLOCK_SPAN_S:
        rate, start = np.polyfit(t_ref, t_rec, 1)
        if abs(rate - 1) <= UNKNOWN_CLOCK * 2:
            return Line(float(-start / rate), float(rate))
    return Line(float(np.median(t_ref - t_rec)), 1.0)


def _chance(t_ref: Floats, t_rec: Floats, pairs: Sequence[tuple[float, float]]) -> float:
    """How probable it is that so many pairs meet at one of all offsets that were tried."""
    if len(pairs) < 2:
        return 1.0
    first = pairs[0]
    expected = 0.0
    for one in t_ref[np.abs(t_ref - first[0]) > FINE_CLAP_S]:
        there = one - first[0] + first[1]
        others = np.abs(t_rec - first[1]) > FINE_CLAP_S
        near = np.count_nonzero(others & (np.abs(t_rec - there) <= NEARBY_S))
        width_s = 2 * (FINE_CLAP_S + UNKNOWN_CLOCK * abs(one - first[0]))
        expected += near / (2 * NEARBY_S) * width_s
    tried = t_ref.size * t_rec.size / len(pairs)
    return float(min(1.0, tried * poisson.sf(len(pairs) - 2, expected)))
