"""Where a recorder paused, lost or inserted data: the recording falls into pieces with one clock. Times in s.

Method: windows all along the rough course are measured at full rate; the best chain through them, with a price on every
jump (dynamic programming, Bellman 1957), gives the pieces: so a jump of 20 ms is seen as well as one of half a minute.
All pieces get one rate, and each cut is put where one offset stops to agree and the next begins.
"""

from dataclasses import dataclass, replace

import numpy as np

from gullywind.core.correlate import WindowLag, local_agreement
from gullywind.core.course import Leg, rough_course
from gullywind.core.features.bands import BandFeatures
from gullywind.core.sound import Listening
from gullywind.core.units import Floats
from gullywind.core.verify import CLEAR_QUALITY, LEAST_QUALITY, found_times
from gullywind.core.windows import Line, MapAll, lay_windows, measure_all

#: Sources at different distances shift the lag by up to 12 ms where microphones stand 4 m apart: no break is so small.
LEAST_JUMP_S = 0.015
#: Windows at full rate: one in 3 s, but not too many, each searched this far.
WINDOW_S, WINDOW_STEP_S, MOST_WINDOWS, WINDOW_LAG_S = 2.7, 3.0, 600, 0.08
#: Windows this near to their neighbours continue them.
SAME_LAG_S = 0.0015
#: Prices in clear windows: of a jump, and of a step too small for a break. At either end of a recording three windows
#: must agree to make a piece, in its middle about six.
JUMP_PRICE, STEP_PRICE = 2.5, 0.5
#: The further a jump leads the more it costs, in clear windows for a factor of e: of two copies the nearer is meant.
FAR_PRICE = 0.15
#: What agrees hardly at all gains this share of what agrees as well as the best.
LEAST_SHARE = 0.3
#: With so many jumps in all, each is looked at all along the recording.
MOST_WHOLE_RUNS = 6
#: A piece stands where so many windows contradict that the piece next to it runs on.
LEAST_CONTRADICTED = 2
#: How many windows back a chain may leap over what does not fit.
REACH_BACK = 40
#: Windows are measured again where the rate was further off than this: 14 µs in one.
SAME_RATE = 5e-6
CUT_STEP_S, CUT_WINDOW_S = 0.05, 0.2
#: Cuts whose sums of agreement differ by less than this, or by this share of their range, are equally good; a step of
#: sound is worth about 0.5.
EQUAL_CUT, EQUAL_SHARE = 0.3, 0.02
#: Both agree this well only with two copies of one sound.
TWICE = 0.3


@dataclass(frozen=True, eq=False)
class Found:
    """Windows along a recording, in its order, each shape (windows,): where they lie, s, how sure, and their lags."""

    t_ref: Floats
    t_rec: Floats
    quality: Floats
    lags: tuple[WindowLag, ...]

    def some(self, chosen: list[int]) -> "Found":
        """Those chosen by their places."""
        return Found(self.t_ref[chosen], self.t_rec[chosen], self.quality[chosen], tuple(self.lags[i] for i in chosen))


@dataclass(frozen=True, slots=True)
class Stretch:
    """One piece: recording time from `start_s` to `end_s`, lying `jump_s` later in reference time than the line."""

    start_s: float
    end_s: float
    jump_s: float


@dataclass(frozen=True, eq=False)
class Broken:
    """A recording in pieces with one rate.

    `lags` are the windows that agree, at recording times `t_rec`, shape (lags,), of `windows` moments in all.
    """

    line: Line
    stretches: tuple[Stretch, ...]
    lags: tuple[WindowLag, ...]
    t_rec: Floats
    windows: int


def find_breaks(
    reference: tuple[Listening, BandFeatures],
    recording: tuple[Listening, BandFeatures],
    line: Line,
    *,
    map_all: MapAll = map,
) -> Broken | None:
    """Look for breaks along a line that fits only part of a recording.

    Parameters
    ----------
    reference, recording : view and features of both.
    line : where most of the recording lies.

    Returns
    -------
    Broken, with two or more stretches, or None where no break is proved.
    """
    legs = rough_course(reference[1], recording[1], line)
    found = _windows(reference[0], recording[0], line, legs, map_all)
    if found is None:
        return None
    rate = _rate_along(found, line.rate)
    if abs(rate - line.rate) > SAME_RATE:
        # The line was drawn through windows of several pieces; inside a window a wrong rate smears the lag.
        middle_s = float(np.median(found.t_rec))
        line = Line(line.offset_s + middle_s / line.rate - middle_s / rate, rate)
        found = _windows(reference[0], recording[0], line, legs, map_all) or found
        rate = _rate_along(found, rate)
    offsets_s = found.t_ref - found.t_rec / rate
    parts = _split(_best_chain(found, offsets_s), offsets_s)
    pieces = _proved([found.some(_agreeing(part, offsets_s)) for part in parts])
    pieces = _without_what_runs_on(pieces, found, rate, reference[0].duration_s)
    moments = len(np.unique(np.rint(found.t_rec / WINDOW_S)))
    return _joined(reference[0], recording[0], pieces, moments)


def _windows(
    reference: Listening,
    recording: Listening,
    line: Line,
    legs: list[Leg],
    map_all: MapAll,
) -> Found | None:
    """Full-rate windows all along the legs; None without any."""
    step_s = max(WINDOW_STEP_S, recording.duration_s / MOST_WINDOWS)
    parts = []
    for leg in _with_straight_runs(legs, recording.duration_s):
        shifted = Line(line.offset_s + leg.jump_s, line.rate)
        start = max(leg.start_s / line.rate + shifted.offset_s, 0.0)
        end = min(leg.end_s / line.rate + shifted.offset_s, reference.duration_s)
        if end - start < WINDOW_S:
            continue
        count = max(2, round((end - start) / step_s))
        layout = replace(lay_windows(start, end, count=count, window_s=WINDOW_S), on_grid=True)
        lags = measure_all(reference, recording, shifted, layout, most_lag_s=WINDOW_LAG_S, map_all=map_all)
        if lags:
            parts.append((*found_times(lags, shifted), lags))
    if not parts:
        return None
    t_ref, t_rec, quality = (np.concatenate([part[k] for part in parts]) for k in range(3))
    lags = tuple(lag for part in parts for lag in part[3])
    order = np.argsort(t_rec)
    return Found(t_ref, t_rec, quality, lags).some(order.tolist())


def _with_straight_runs(legs: list[Leg], duration_s: float) -> list[Leg]:
    """Each leg, and how its neighbours would run on through it: in repeating music a copy looks as good as they.

    Where there are many legs, each jump is looked at only next to where it was found.
    """
    jumps = sorted({leg.jump_s for leg in legs})
    if len(jumps) <= MOST_WHOLE_RUNS:
        return [Leg(0.0, duration_s, jump_s) for jump_s in jumps]
    wanted: dict[tuple[float, float, float], None] = {}
    for i, leg in enumerate(legs):
        for other in legs[max(0, i - 1) : i + 2]:
            wanted[leg.start_s, leg.end_s, other.jump_s] = None
    return [Leg(*one) for one in wanted]


def _rate_along(found: Found, rate: float) -> float:
    """The rate that the chain of windows tells, beginning with another; chain and rate are found in turn."""
    for _ in range(2):
        offsets_s = found.t_ref - found.t_rec / rate
        parts = _split(_best_chain(found, offsets_s), offsets_s)
        rate, _, _ = _common_rate([found.some(part) for part in parts])
    return rate


def _best_chain(found: Found, offset_s: Floats) -> list[int]:
    """Windows that follow each other with few jumps: the chain that gains most, less the price of its jumps."""
    clear = np.clip((found.quality - LEAST_QUALITY) / 5.0, 0.0, 1.0)
    # Of two copies the one that holds more of the sound gains more.
    alike = np.array([max(lag.agreement, 0.0) for lag in found.lags])
    usual = float(np.quantile(alike[clear > 0.5], 0.8)) if np.any(clear > 0.5) else 1.0
    clear = clear * np.clip(alike / max(usual, 1e-3), LEAST_SHARE, 1.0)
    gain = clear / max(float(np.median(clear[clear > 0])) if np.any(clear > 0) else 1.0, 0.1)
    best = gain.copy()
    came_from = np.full(gain.size, -1)
    for i in range(1, gain.size):
        low = max(0, i - REACH_BACK)
        apart = np.abs(offset_s[low:i] - offset_s[i])
        jump = JUMP_PRICE + FAR_PRICE * np.log1p(apart)
        price = np.where(apart <= SAME_LAG_S, 0.0, np.where(apart < LEAST_JUMP_S, STEP_PRICE, jump))
        # Windows of two runs at one moment are one: only a later one continues the chain.
        price = np.where(found.t_rec[i] - found.t_rec[low:i] < WINDOW_STEP_S / 4, np.inf, price)
        reached = best[low:i] - price
        j = int(np.argmax(reached))
        if reached[j] > 0:
            best[i] += reached[j]
            came_from[i] = low + j
    chain = [int(np.argmax(best))]
    while came_from[chain[-1]] >= 0:
        chain.append(int(came_from[chain[-1]]))
    # A window that gains nothing says nothing.
    return [i for i in reversed(chain) if gain[i] > 0]


def _split(chain: list[int], offset_s: Floats) -> list[list[int]]:
    """The chain cut at its jumps."""
    parts: list[list[int]] = []
    for i in chain:
        if parts and abs(offset_s[i] - offset_s[parts[-1][-1]]) < LEAST_JUMP_S:
            parts[-1].append(i)
        else:
            parts.append([i])
    return parts


def _agreeing(part: list[int], offset_s: Floats) -> list[int]:
    """Those of a part that lie with most of it."""
    middle = float(np.median(offset_s[part]))
    kept = [i for i in part if abs(offset_s[i] - middle) <= LEAST_JUMP_S / 2]
    return kept or part


def _proved(pieces: list[Found]) -> list[Found]:
    """Those pieces whose windows agree with one clock; neighbours that are left at one offset become one."""
    while len(pieces) > 1:
        _, offsets, weights = _common_rate(pieces)
        weak = [k for k, weight in enumerate(weights) if weight < 2]
        if weak:
            pieces = [one for k, one in enumerate(pieces) if k not in weak[:1]]
            continue
        same = [k for k in range(len(pieces) - 1) if abs(offsets[k + 1] - offsets[k]) < LEAST_JUMP_S]
        if not same:
            break
        pieces = [*pieces[: same[0]], _together(*pieces[same[0] : same[0] + 2]), *pieces[same[0] + 2 :]]
    return pieces


def _together(one: Found, other: Found) -> Found:
    t_ref, t_rec, quality = (
        np.concatenate([getattr(one, name), getattr(other, name)]) for name in ("t_ref", "t_rec", "quality")
    )
    return Found(t_ref, t_rec, quality, one.lags + other.lags)


def _without_what_runs_on(pieces: list[Found], found: Found, rate: float, reference_s: float) -> list[Found]:
    """Pieces but for those that nothing speaks for once the piece next to them is left to run on.

    Where music repeats, what was recorded before the reference began is found again within it. So a piece counts only
    where windows within the reference contradict the straight run; what that puts outside is outside. Asked from the
    longest piece outwards, so that one such piece does not vouch for the next.
    """
    offsets_s = found.t_ref - found.t_rec / rate
    clear = found.quality >= CLEAR_QUALITY

    def contradicted(one: Found, neighbour: Found) -> int:
        offset_s = float(np.median(neighbour.t_ref - neighbour.t_rec / rate))
        straight = clear & (np.abs(offsets_s - offset_s) <= 2 * SAME_LAG_S)
        t_ref = one.t_rec / rate + offset_s
        inside = one.t_rec[(t_ref >= WINDOW_S / 2) & (t_ref <= reference_s - WINDOW_S / 2)]
        runs_on = np.abs(inside[:, None] - found.t_rec[straight][None, :]) <= WINDOW_STEP_S / 2
        return int(np.count_nonzero(~runs_on.any(axis=1)))

    if not pieces:
        return []
    longest = max(range(len(pieces)), key=lambda k: pieces[k].t_rec.size)
    kept = [pieces[longest]]
    for one in pieces[longest + 1 :]:
        if contradicted(one, kept[-1]) >= LEAST_CONTRADICTED:
            kept.append(one)
    for one in reversed(pieces[:longest]):
        if contradicted(one, kept[0]) >= LEAST_CONTRADICTED:
            kept.insert(0, one)
    return kept


def _joined(reference: Listening, recording: Listening, pieces: list[Found], windows: int) -> Broken | None:
    """One rate for all pieces, cuts found; None where there is only one."""
    if len(pieces) < 2 or any(piece.t_ref.size < 2 for piece in pieces):
        return None
    rate, offsets, _ = _common_rate(pieces)
    cuts = [
        _cut(
            reference,
            recording,
            rate,
            (offsets[k], offsets[k + 1]),
            (float(pieces[k].t_rec[-1]) - WINDOW_S, float(pieces[k + 1].t_rec[0]) + WINDOW_S),
        )
        for k in range(len(pieces) - 1)
    ]
    stretches = []
    start = 0.0
    for k, offset in enumerate(offsets):
        end = cuts[k] if k < len(cuts) else recording.duration_s
        if end <= start:
            return None
        stretches.append(Stretch(start, end, offset - offsets[0]))
        # What was inserted into the recording (the next piece lies earlier) belongs to no reference time.
        start = end + max(0.0, (offset - offsets[k + 1]) * rate) if k < len(cuts) else end
    return Broken(
        Line(offsets[0], rate),
        tuple(stretches),
        tuple(lag for piece in pieces for lag in piece.lags),
        np.concatenate([piece.t_rec for piece in pieces]),
        windows,
    )


def _common_rate(pieces: list[Found]) -> tuple[float, list[float], list[int]]:
    """Least squares: one rate, one offset a piece; windows weighted by strength, far ones dropped.

    Also how many windows of each piece were kept: where none is, its offset means nothing.
    """
    which = np.concatenate([np.full(one.t_ref.size, k) for k, one in enumerate(pieces)])
    t_ref, t_rec, quality = (
        np.concatenate([getattr(one, name) for one in pieces]) for name in ("t_ref", "t_rec", "quality")
    )
    strength = np.maximum(quality - LEAST_QUALITY, 0.05)
    late = t_rec - t_ref
    weight = strength
    rate, levels = 1.0, np.zeros(len(pieces))
    for _ in range(3):
        design = np.zeros((t_ref.size, len(pieces) + 1))
        design[np.arange(t_ref.size), which] = 1.0
        design[:, -1] = t_ref - t_ref.mean()
        solved, *_ = np.linalg.lstsq(design * weight[:, None], late * weight, rcond=None)
        residual = late - design @ solved
        spread = max(1.4826 * float(np.median(np.abs(residual))), 1e-7)
        weight = strength * (np.abs(residual) <= 4 * spread)
        rate, levels = 1.0 + float(solved[-1]), solved[:-1] - solved[-1] * t_ref.mean()
    kept = [int(np.count_nonzero(weight[which == k])) for k in range(len(pieces))]
    return rate, [float(-level / rate) for level in levels], kept


def _cut(
    reference: Listening,
    recording: Listening,
    rate: float,
    offsets_s: tuple[float, float],
    span_s: tuple[float, float],
) -> float:
    """Recording time, s, within a span, at which the first offset gives way to the second."""
    first_s, second_s = offsets_s
    low, high = max(span_s[0], 0.0), min(span_s[1], recording.duration_s)
    # A pause: both pieces meet in the recording. Too much: they meet in the reference, what lies between is dropped.
    dropped_s = max(0.0, first_s - second_s) * rate
    times = np.arange(low, min(high, recording.duration_s - dropped_s), CUT_STEP_S)
    if times.size < 3:
        return (low + high) / 2
    heard = [
        local_agreement(reference, recording, t_rec / rate + offset, t_rec, window_s=CUT_WINDOW_S)
        for offset, t_rec in ((first_s, times), (second_s, times + dropped_s))
    ]
    # One level for both: two copies of a block must weigh the same.
    level = float(np.median([loudness for _, loudness in heard])) + 1e-20
    first, second = (np.clip(agreement * loudness / level, -2, 2) for agreement, loudness in heard)
    gain = np.concatenate([[0.0], np.cumsum(first - second)])
    equal = _plateau(gain)
    # Where a block was written twice both copies are right: the first is kept. Within a silence the middle is as good a
    # guess as any, and a quiet place to join.
    twice = np.flatnonzero(np.minimum(first, second)[equal[0] : equal[1]] > TWICE)
    at = equal[0] + twice[-1] + 1 if dropped_s and twice.size else sum(equal) / 2
    return float(low + CUT_STEP_S * (at - 0.5))


def _plateau(gain: Floats) -> tuple[int, int]:
    """First and last step around the highest that are as good as it."""
    top = int(np.argmax(gain))
    worse = gain < gain[top] - max(EQUAL_CUT, EQUAL_SHARE * float(np.ptp(gain)))
    before, after = np.flatnonzero(worse[:top]), np.flatnonzero(worse[top:])
    return (int(before[-1]) + 1 if before.size else 0), (top + int(after[0]) - 1 if after.size else gain.size - 1)
