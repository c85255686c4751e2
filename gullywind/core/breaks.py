"""Where a recorder paused, lost or inserted data: the recording falls into pieces with one clock. Times in s.

Method: short chunks of the recording are looked for near the line by their band features; the cheapest path through
the offsets that they propose, with a price on every change, gives the pieces (dynamic programming, Bellman 1957); each
piece is then measured at full rate, all with one rate, and each cut is put where one offset stops to agree and the next
begins.
"""

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt
import scipy.fft

from gullywind.core.correlate import WindowLag, local_agreement
from gullywind.core.drift import find_consensus
from gullywind.core.features.bands import FRAME_RATE_HZ, BandFeatures
from gullywind.core.sound import Listening
from gullywind.core.units import Floats
from gullywind.core.verify import LEAST_QUALITY, found_times
from gullywind.core.windows import Line, MapAll, lay_windows, measure_all

#: Chunks long enough to be recognised in noise, overlapping so that a cut never spoils two neighbours wholly.
CHUNK_S, CHUNK_STEP_S = 8.0, 4.0
#: Pauses up to half a minute are found.
MOST_JUMP_S = 32.0
#: A chunk proposes another offset only when it stands out this far (robust standard deviations).
LEAST_Z = 7.0
#: Proposals nearer than this are one offset: the features' step is 10 ms.
SAME_OFFSET_S = 0.012
#: Price of a change of offset, in z: about one chunk's full evidence, so that one odd chunk makes no break.
CHANGE_PRICE = 9.0
MOST_STATES = 40
#: Jumps below this are no break but noise of the measurement.
LEAST_JUMP_S = 0.004
PIECE_WINDOW_S, PIECE_LAG_S, PIECE_TOLERANCE_S = 1.4, 0.03, 0.001
CUT_STEP_S, CUT_WINDOW_S = 0.05, 0.2


@dataclass(frozen=True, eq=False)
class Measured:
    """A stretch's inner recording time, s, its agreeing windows, and how many were measured."""

    inner_s: tuple[float, float]
    t_ref: Floats
    t_rec: Floats
    strength: Floats
    lags: tuple[WindowLag, ...]
    windows: int


@dataclass(frozen=True, slots=True)
class Stretch:
    """One piece: recording time from `start_s` to `end_s`, lying `jump_s` later in reference time than the line."""

    start_s: float
    end_s: float
    jump_s: float


@dataclass(frozen=True, eq=False)
class Broken:
    """A recording in pieces with one rate; `lags` are the windows that agree, each measured against its own piece, of
    `windows` that were measured in all.
    """

    line: Line
    stretches: tuple[Stretch, ...]
    lags: tuple[WindowLag, ...]
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
    centres_s, states_s, z = _proposals(reference[1], recording[1], line)
    if len(states_s) < 2:
        return None
    path = _cheapest_path(z)
    runs = _runs(path)
    if len(runs) < 2:
        return None
    measured = []
    for first, last, state in runs:
        # Half a chunk inside the run: its outermost chunks may hold the cut.
        inner = (centres_s[first] - CHUNK_S / 4, centres_s[last] + CHUNK_S / 4)
        one = _measure(reference[0], recording[0], line, states_s[state], inner, map_all)
        if one is not None:
            measured.append(one)
    return _joined(reference[0], recording[0], line, measured)


def _proposals(reference: BandFeatures, recording: BandFeatures, line: Line) -> tuple[Floats, Floats, Floats]:
    """Chunk centres in recording time, proposed jumps, and z of every chunk at every jump, (chunks, jumps)."""
    length, step = int(CHUNK_S * FRAME_RATE_HZ), int(CHUNK_STEP_S * FRAME_RATE_HZ)
    reach = int(MOST_JUMP_S * FRAME_RATE_HZ)
    starts = np.arange(0, max(1, recording.frames - length + 1), step)
    bands = reference.valid & recording.valid
    size = scipy.fft.next_fast_len(length + 2 * reach, real=True)
    padded = np.pad(reference.values[bands], ((0, 0), (reach + length, reach + 2 * length)))
    curves = np.zeros((starts.size, 2 * reach + 1), np.float32)
    for row, start in zip(curves, starts, strict=True):
        t_rec = start / FRAME_RATE_HZ + recording.origin_s
        frame = round((t_rec / line.rate + line.offset_s - reference.origin_s) * FRAME_RATE_HZ)
        low = frame + length  # in the padded reference: `reach` frames before the expected place
        if low < 0 or low + length + 2 * reach > padded.shape[1]:
            continue
        near = scipy.fft.rfft(padded[:, low : low + length + 2 * reach], size)
        chunk = scipy.fft.rfft(recording.values[bands, start : start + length], size)
        curve = scipy.fft.irfft((near * chunk.conj()).sum(axis=0), size)[: 2 * reach + 1]
        spread = float(np.median(np.abs(curve - np.median(curve)))) * 1.4826
        if spread > 1e-6:
            row[:] = np.clip(curve / spread, 0, 40)
    centres_s = starts / FRAME_RATE_HZ + CHUNK_S / 2
    tops = curves.argmax(axis=1)
    heights = curves[np.arange(starts.size), tops]
    jumps: list[float] = [0.0]
    for chunk in np.argsort(-heights):
        jump = (tops[chunk] - reach) / FRAME_RATE_HZ
        if heights[chunk] >= LEAST_Z and all(abs(jump - other) > SAME_OFFSET_S for other in jumps):
            jumps.append(jump)
        if len(jumps) == MOST_STATES:
            break
    states_s = np.array(jumps)
    columns = np.rint(states_s * FRAME_RATE_HZ).astype(int) + reach
    # The best within a frame to either side: a jump is no whole number of frames.
    z = np.max([curves[:, np.clip(columns + by, 0, 2 * reach)] for by in (-1, 0, 1)], axis=0)
    return centres_s, states_s, np.asarray(z, np.float64)


def _cheapest_path(z: Floats) -> npt.NDArray[np.intp]:
    """State of each chunk that gains the most z, less the price of changes."""
    chunks, states = z.shape
    gain = z[0].copy()
    came_from = np.zeros((chunks, states), np.intp)
    for i in range(1, chunks):
        best = int(np.argmax(gain))
        change = gain[best] - CHANGE_PRICE
        stays = gain >= change
        came_from[i] = np.where(stays, np.arange(states), best)
        gain = np.where(stays, gain, change) + z[i]
    path = np.zeros(chunks, np.intp)
    path[-1] = int(np.argmax(gain))
    for i in range(chunks - 1, 0, -1):
        path[i - 1] = came_from[i, path[i]]
    return path


def _runs(path: npt.NDArray[np.intp]) -> list[tuple[int, int, int]]:
    """First chunk, last chunk, state of every stretch of one state."""
    edges = np.flatnonzero(np.diff(path)) + 1
    firsts, lasts = [0, *edges], [*(edges - 1), path.size - 1]
    return [(int(a), int(b), int(path[a])) for a, b in zip(firsts, lasts, strict=True)]


def _measure(
    reference: Listening,
    recording: Listening,
    line: Line,
    jump_s: float,
    inner_s: tuple[float, float],
    map_all: MapAll,
) -> Measured | None:
    """Windows of one stretch at full rate that agree; None where too few do."""
    shifted = Line(line.offset_s + jump_s, line.rate)
    start, end = (inner / line.rate + shifted.offset_s for inner in inner_s)
    start, end = max(start, 0.0), min(end, reference.duration_s)
    if end - start < 1.0:
        return None
    layout = lay_windows(start, end, count=int(np.clip((end - start) / 4, 3, 24)), window_s=PIECE_WINDOW_S)
    lags = measure_all(reference, recording, shifted, layout, most_lag_s=PIECE_LAG_S, map_all=map_all)
    if len(lags) < 2:
        return None
    t_ref, t_rec, quality = found_times(lags, shifted)
    strength = np.maximum(quality - LEAST_QUALITY, 0.05)
    agreed = find_consensus(
        t_ref, t_rec, np.log1p(strength), expected_rate=line.rate, most_ppm=60.0, tolerance_s=PIECE_TOLERANCE_S
    )
    used = agreed.inliers & (quality >= LEAST_QUALITY)
    if np.count_nonzero(used) < max(2, 0.5 * t_ref.size):
        return None
    kept = tuple(lag for lag, use in zip(lags, used, strict=True) if use)
    return Measured(inner_s, t_ref[used], t_rec[used], strength[used], kept, len(lags))


def _joined(
    reference: Listening,
    recording: Listening,
    line: Line,
    measured: list[Measured],
) -> Broken | None:
    """One rate for all stretches, equal neighbours joined, cuts found."""
    groups: list[list[int]] = []
    offsets: list[float] = []
    for i, one in enumerate(measured):
        offset = float(np.average(one.t_ref - one.t_rec / line.rate, weights=one.strength))
        if groups and abs(offset - offsets[-1]) < LEAST_JUMP_S:
            groups[-1].append(i)
        else:
            groups.append([i])
            offsets.append(offset)
    if len(groups) < 2:
        return None
    rate, exact = _common_rate(measured, groups)
    common = Line(exact[0], rate)
    inner = [(measured[g[0]].inner_s[0], measured[g[-1]].inner_s[1]) for g in groups]
    cuts = [
        _cut(
            reference,
            recording,
            rate,
            (exact[k], exact[k + 1]),
            (inner[k][1] - CHUNK_S, inner[k + 1][0] + CHUNK_S),
        )
        for k in range(len(groups) - 1)
    ]
    stretches = []
    start = 0.0
    for k, offset in enumerate(exact):
        end = cuts[k] if k < len(cuts) else recording.duration_s
        if end <= start:
            return None
        stretches.append(Stretch(start, end, offset - exact[0]))
        # What was inserted into the recording (the next piece lies earlier) belongs to no reference time.
        start = end + max(0.0, (offset - exact[k + 1]) * rate) if k < len(cuts) else end
    lags = []
    for g, offset in zip(groups, exact, strict=True):
        for i in g:
            late = measured[i].t_rec - rate * (measured[i].t_ref - offset)
            lags += [
                WindowLag(w.t_ref, float(s), w.quality, w.agreement, w.polarity, w.second)
                for w, s in zip(measured[i].lags, late, strict=True)
            ]
    windows = sum(one.windows for one in measured)
    return Broken(common, tuple(stretches), tuple(sorted(lags, key=lambda w: w.t_ref)), windows)


def _common_rate(measured: list[Measured], groups: list[list[int]]) -> tuple[float, list[float]]:
    """Least squares: one rate, one offset a group; windows weighted by strength, far ones dropped once."""
    ordered = [(k, measured[i]) for k, g in enumerate(groups) for i in g]
    which = np.concatenate([np.full(one.t_ref.size, k) for k, one in ordered])
    t_ref, t_rec, strength = (
        np.concatenate([getattr(one, name) for _, one in ordered]) for name in ("t_ref", "t_rec", "strength")
    )
    late = t_rec - t_ref
    weight = strength
    rate, levels = 1.0, np.zeros(len(groups))
    for _ in range(3):
        design = np.zeros((t_ref.size, len(groups) + 1))
        design[np.arange(t_ref.size), which] = 1.0
        design[:, -1] = t_ref - t_ref.mean()
        solved, *_ = np.linalg.lstsq(design * weight[:, None], late * weight, rcond=None)
        residual = late - design @ solved
        spread = max(1.4826 * float(np.median(np.abs(residual))), 1e-7)
        weight = strength * (np.abs(residual) <= 4 * spread)
        rate, levels = 1.0 + float(solved[-1]), solved[:-1] - solved[-1] * t_ref.mean()
    return rate, [float(-level / rate) for level in levels]


def _cut(
    reference: Listening,
    recording: Listening,
    rate: float,
    offsets_s: tuple[float, float],
    span_s: tuple[float, float],
) -> float:
    """Recording time, s, within a span, at which the first offset gives way to the second."""
    low, high = max(span_s[0], 0.0), min(span_s[1], recording.duration_s)
    times = np.arange(low, high, CUT_STEP_S)
    if times.size < 3:
        return (low + high) / 2
    first, second = (
        local_agreement(reference, recording, times / rate + offset, times, window_s=CUT_WINDOW_S)
        for offset in offsets_s
    )
    gain = np.concatenate([[0.0], np.cumsum(first - second)])
    return float(low + CUT_STEP_S * (np.argmax(gain) - 0.5))
