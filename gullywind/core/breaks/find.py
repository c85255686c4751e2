"""Where a recorder paused, lost or inserted data: the recording falls into pieces with one clock. Times in s.

Method: windows all along the rough course are measured at full rate; the best chain through them, with a price on every
jump (dynamic programming, Bellman 1957), gives the pieces: so a jump of 20 ms is seen as well as one of half a minute.
All pieces get one rate, and each cut is put where one offset stops to agree and the next begins.
"""

from dataclasses import dataclass, replace

import numpy as np

from gullywind.core.breaks.chain import LEAST_JUMP_S, SAME_LAG_S, Found, agreeing, best_chain, split_at_jumps
from gullywind.core.breaks.course import Leg, likelier_legs, rough_course
from gullywind.core.breaks.cuts import find_cut
from gullywind.core.features.bands import BandFeatures
from gullywind.core.ground.units import Floats
from gullywind.core.measure.correlate import WindowLag
from gullywind.core.measure.windows import Line, MapAll, lay_windows, measure_all
from gullywind.core.places.verify import CLEAR_QUALITY, LEAST_QUALITY, found_times
from gullywind.core.sound.views import Listening

#: Windows at full rate: one in 3 s, but not too many, each searched this far.
WINDOW_S, WINDOW_STEP_S, MOST_WINDOWS, WINDOW_LAG_S = 2.7, 3.0, 600, 0.08
#: With so many jumps in all, each is looked at all along the recording.
MOST_WHOLE_RUNS = 6
#: A piece stands where so many windows contradict that the piece next to it runs on.
LEAST_CONTRADICTED = 2
#: Windows are measured again where the rate was further off than this: 14 µs in one.
SAME_RATE = 5e-6


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
    course = rough_course(reference[1], recording[1], line)
    legs = _with_straight_runs(course, recording[0].duration_s)
    legs += likelier_legs(reference[1], recording[1], line, course)
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
    parts = split_at_jumps(best_chain(found, offsets_s), offsets_s)
    pieces = _proved([found.some(agreeing(part, offsets_s)) for part in parts])
    pieces = _without_what_runs_on(pieces, found, rate, reference[0].duration_s)
    moments = len(np.unique(np.rint(found.t_rec / WINDOW_S)))
    return _joined(reference[0], recording[0], pieces, moments)


def _windows(reference: Listening, recording: Listening, line: Line, legs: list[Leg], map_all: MapAll) -> Found | None:
    """Full-rate windows all along the legs; None without any."""
    step_s = max(WINDOW_STEP_S, recording.duration_s / MOST_WINDOWS)
    parts = []
    for leg in legs:
        shifted = Line(line.offset_s + leg.jump_s, line.rate)
        start = max(leg.start_s / line.rate + shifted.offset_s, 0.0)
        end = min(leg.end_s / line.rate + shifted.offset_s, reference.duration_s)
        if end - start < WINDOW_S:
            continue
        count = max(2, round((end - start) / step_s))
        layout = replace(lay_windows(start, end, count=count, window_s=WINDOW_S), on_grid=True)
        lags = measure_all(reference, recording, shifted, layout, most_lag_s=WINDOW_LAG_S, map_all=map_all)
        if lags:
            parts.append(Found(*found_times(lags, shifted), lags))
    return _in_order(*parts) if parts else None


def _in_order(*parts: Found) -> Found:
    """All windows of several, in the recording's order."""
    t_ref, t_rec, quality = (
        np.concatenate([getattr(one, name) for one in parts]) for name in ("t_ref", "t_rec", "quality")
    )
    lags = tuple(lag for one in parts for lag in one.lags)
    return Found(t_ref, t_rec, quality, lags).some(np.argsort(t_rec, kind="stable").tolist())


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
        parts = split_at_jumps(best_chain(found, offsets_s), offsets_s)
        if not parts:
            # No window along the whole of it is clear.
            return rate
        rate, _, _ = _common_rate([found.some(part) for part in parts])
    return rate


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
        pieces = [*pieces[: same[0]], _in_order(*pieces[same[0] : same[0] + 2]), *pieces[same[0] + 2 :]]
    return pieces


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
        find_cut(
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
