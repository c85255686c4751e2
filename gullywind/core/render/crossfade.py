"""How pieces meet: crossfades at joins, at a quiet place by preference, and what is heard in gaps. Times in s.

Fades are raised cosines whose gains add up to 1, so that sound which is the same on both sides passes unchanged.
"""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import lru_cache
from itertools import pairwise

import numpy as np
import soxr

from gullywind.core.ground.units import Floats, Samples, to_samples
from gullywind.core.maps.time_map import Piece, TimeMap, gap_between, jump_between
from gullywind.core.sound.views import SampleSource

#: Long enough to hide a step, short enough not to hear two voices.
JOIN_S = 0.012
#: Into and out of a gap.
EDGE_S = 0.004
#: Neighbours that continue each other within this are one piece to the ear: 0.1 ns, what doubles leave of hours.
SAME_S = 1e-10
#: Room tone: this much of the quietest sound within reach of the gap, looped.
TONE_S, TONE_REACH_S, TONE_FADE_S = 1.5, 20.0, 0.15
LEAST_TONE_S = 0.25
#: Loudness is looked at in steps of this.
HOP_S = 0.01
#: Quieter than this (−100 dBFS) is no tone but a recorder's nothing.
NOTHING = 1e-5


@dataclass(frozen=True, slots=True)
class Part:
    """A piece as it is heard: it may reach beyond its edges into a crossfade. Fades are spans of reference time, s."""

    piece: Piece
    fade_in: tuple[float, float] | None
    fade_out: tuple[float, float] | None

    @property
    def fades(self) -> bool:
        """Whether any of its gains may not be 1."""
        return self.fade_in is not None or self.fade_out is not None

    def gain(self, t_ref: Floats) -> Floats | None:
        """Gains in 0..1, same shape as `t_ref`; None where all are 1."""
        gain: Floats | None = None
        for fade, rising in ((self.fade_in, True), (self.fade_out, False)):
            if fade is not None and t_ref[0] < fade[1] and t_ref[-1] >= fade[0]:
                ramp = np.clip((t_ref - fade[0]) / (fade[1] - fade[0]), 0.0, 1.0)
                shape = np.sin(0.5 * np.pi * (ramp if rising else 1 - ramp)) ** 2
                gain = shape if gain is None else gain * shape
        # Before a fade in, and after a fade out, the clip has made it 0 already.
        return gain


@dataclass(frozen=True, eq=False)
class Tone:
    """Room tone that fills a gap: a loop, (channels, samples), at the result's rate."""

    fade_in: tuple[float, float]
    fade_out: tuple[float, float]
    loop: Samples

    def read(self, first: int, last: int) -> Samples:
        """Shape (channels, last - first), for sample numbers of reference time."""
        return self.loop[:, np.arange(first, last) % self.loop.shape[1]]


def lay_parts(source: SampleSource, time_map: TimeMap) -> list[Part]:
    """The pieces with their fades, in order.

    Parameters
    ----------
    source : the recording: where pieces overlap, its quietest place there is chosen.
    """
    pieces = merged(time_map.pieces)
    parts = [Part(piece, None, None) for piece in pieces]
    for k, (before, after) in enumerate(pairwise(pieces)):
        gap_s = gap_between(before, after)
        if gap_s > JOIN_S:
            end, start = before.end_exclusive[0], after.start[0]
            parts[k] = replace(parts[k], fade_out=(end - EDGE_S, end))
            parts[k + 1] = replace(parts[k + 1], fade_in=(start, start + EDGE_S))
            continue
        low, high = _fade_span(source, before, after)
        parts[k] = replace(parts[k], piece=parts[k].piece.ending(high), fade_out=(low, high))
        parts[k + 1] = replace(parts[k + 1], piece=after.starting(low), fade_in=(low, high))
    return parts


def lay_tones(source: SampleSource, time_map: TimeMap, sample_rate_hz: int) -> list[Tone]:
    """The room tone that fills the gaps, where there is any."""
    tones = []
    for before, after in pairwise(merged(time_map.pieces)):
        end, start = before.end_exclusive[0], after.start[0]
        loop = room_tone(source, before, after, sample_rate_hz) if start - end > JOIN_S else None
        if loop is not None:
            tones.append(Tone((end - EDGE_S, end), (start, start + EDGE_S), loop))
    return tones


def merged(pieces: tuple[Piece, ...]) -> tuple[Piece, ...]:
    """Pieces of which the next continues the last, as after a cut where nothing was moved, are heard as one."""
    out = [pieces[0]]
    for piece in pieces[1:]:
        last = out[-1]
        meets = abs(piece.start[1] - last.end_exclusive[1]) <= SAME_S and abs(jump_between(last, piece)) <= SAME_S
        if not meets:
            out.append(piece)
        elif abs(piece.rate - last.rate) <= SAME_S:
            out[-1] = last.followed_by(piece, keep_knot=False)
        else:
            out[-1] = last.followed_by(piece, keep_knot=True)
    return tuple(out)


@lru_cache(maxsize=64)
def room_tone(source: SampleSource, before: Piece, after: Piece, sample_rate_hz: int) -> Samples | None:
    """A loop of the quietest sound near a gap; None where the recording has none but digital silence."""
    spans = [
        (max(before.start[1], before.end_exclusive[1] - TONE_REACH_S), before.end_exclusive[1]),
        (after.start[1], min(after.end_exclusive[1], after.start[1] + TONE_REACH_S)),
    ]
    best: tuple[float, float, float] | None = None
    for start_s, end_s in spans:
        length_s = min(TONE_S + TONE_FADE_S, end_s - start_s)
        levels = _levels(source, start_s, end_s)
        hops = max(1, int(length_s / HOP_S))
        if length_s < LEAST_TONE_S or levels.size < hops:
            continue
        means = np.convolve(levels, np.full(hops, 1 / hops), mode="valid")
        means[np.sqrt(means) < NOTHING] = np.inf
        at = int(np.argmin(means))
        if np.isfinite(means[at]) and (best is None or means[at] < best[0]):
            best = (float(means[at]), start_s + at * HOP_S, length_s)
    if best is None:
        return None
    _, start_s, length_s = best
    rate_hz = source.sample_rate_hz
    sound = source.read(to_samples(start_s, rate_hz), to_samples(start_s + length_s, rate_hz))
    if rate_hz != sample_rate_hz:
        sound = np.ascontiguousarray(soxr.resample(sound.T, rate_hz, sample_rate_hz).T)
    fade = min(to_samples(TONE_FADE_S, sample_rate_hz), sound.shape[1] // 3)
    ramp = np.linspace(0, 1, fade, endpoint=False, dtype=np.float32)
    loop = sound[:, : sound.shape[1] - fade].copy()
    # The end runs on into the beginning; noise adds by power.
    loop[:, :fade] = sound[:, -fade:] * np.sqrt(1 - ramp) + loop[:, :fade] * np.sqrt(ramp)
    return np.asarray(loop, np.float32)


@lru_cache(maxsize=256)
def _fade_span(source: SampleSource, before: Piece, after: Piece) -> tuple[float, float]:
    """Where one piece gives way to the next, s of reference time."""
    start, end = after.start[0], before.end_exclusive[0]
    length_s = min(
        JOIN_S, (before.end_exclusive[0] - before.start[0]) / 2, (after.end_exclusive[0] - after.start[0]) / 2
    )
    overlap_s = end - start
    if overlap_s <= length_s:
        middle = (start + end) / 2
        return middle - length_s / 2, middle + length_s / 2
    low = quietest(source, (before, after), start, end, length_s) - length_s / 2
    return low, low + length_s


def quietest(source: SampleSource, pieces: Sequence[Piece], start: float, end: float, length_s: float) -> float:
    """Middle of the quietest stretch of `length_s` within a span of reference time, all pieces heard together, s."""
    levels = np.sum([_levels_in_reference(source, piece, start, end) for piece in pieces], axis=0)
    hops = max(1, round(length_s / HOP_S))
    if levels.size <= hops:
        return (start + end) / 2
    means = np.convolve(levels, np.full(hops, 1 / hops), mode="valid")
    middle = start + int(np.argmin(means)) * HOP_S + length_s / 2
    return min(max(middle, start + length_s / 2), end - length_s / 2)


def _levels_in_reference(source: SampleSource, piece: Piece, start: float, end: float) -> Floats:
    """Mean squares of a piece in steps of reference time."""
    t_rec = piece.to_recording(np.clip(np.arange(start, end, HOP_S), piece.start[0], piece.end_exclusive[0]))
    levels = _levels(source, float(t_rec[0]), float(t_rec[-1]) + HOP_S)
    return np.asarray(levels[np.clip(((t_rec - t_rec[0]) / HOP_S).astype(int), 0, levels.size - 1)])


def _levels(source: SampleSource, start_s: float, end_s: float) -> Floats:
    """Mean squares over all channels in steps of HOP_S of recording time; at least one."""
    hop = to_samples(HOP_S, source.sample_rate_hz)
    count = max(1, int((end_s - start_s) / HOP_S))
    first = to_samples(start_s, source.sample_rate_hz)
    sound = np.nan_to_num(source.read(first, first + count * hop))
    return np.asarray((sound**2).reshape(source.channels, count, hop).mean(axis=(0, 2)), np.float64)
