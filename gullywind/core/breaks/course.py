"""Roughly where each part of a recording lies: short chunks are looked for near a line by their bands. Times in s.

Method: the cheapest path through the offsets that the chunks propose, with a price on every change (dynamic
programming, Bellman 1957).
"""

from dataclasses import dataclass
from itertools import pairwise

import numpy as np
import numpy.typing as npt
import scipy.fft

from gullywind.core.features.bands import FRAME_RATE_HZ, BandFeatures
from gullywind.core.ground.units import Floats
from gullywind.core.measure.windows import Line

#: Chunks long enough to be recognised in noise, overlapping so that a cut never spoils two neighbours wholly.
CHUNK_S, CHUNK_STEP_S, MOST_CHUNKS = 8.0, 4.0, 1000
#: Several pauses of half a minute each are found.
MOST_JUMP_S = 128.0
#: A chunk proposes another offset when it stands out this far (robust standard deviations), or when its neighbour says
#: the same: in music that repeats itself nothing stands out far.
LEAST_Z, LEAST_SHARED_Z = 7.0, 4.0
#: Price of a change of offset, in z: about one chunk's full evidence, so that one odd chunk makes none; at most this.
MOST_PRICE = 9.0
MOST_STATES = 40
#: Of each chunk so many peaks are looked at, at least this far apart.
PEAKS_A_CHUNK, PEAKS_APART_S = 6, 0.1
#: Chunks whose tops lie this near to each other, in frames, say the same.
SHARED_FRAMES = 2
#: Proposals nearer than this are one offset: the full-rate windows reach further.
SAME_OFFSET_S = 0.05
#: Halves, quarters and so on of a recording, down to this length, are looked for as a whole; each proposes so many
#: offsets. In music made of copies the right one is mostly the first.
LEAST_STRETCH_S, PROPOSALS_A_STRETCH = 16.0, 2


@dataclass(frozen=True, slots=True)
class Leg:
    """A stretch of recording time that lies `jump_s` later in reference time than the line, to about 25 ms."""

    start_s: float
    end_s: float
    jump_s: float


def rough_course(reference: BandFeatures, recording: BandFeatures, line: Line) -> list[Leg]:
    """The legs of a recording, in order, from its start to its end.

    Parameters
    ----------
    reference, recording : features of both.
    line : where some of the recording lies.
    """
    centres_s, states_s, z = _proposals(reference, recording, line)
    price = min(MOST_PRICE, float(np.median(z.max(axis=1))))
    runs = _runs(_cheapest_path(z, price))
    # Between two legs neither chunk is wholly right: each stands for half the way.
    edges = [float(centres_s[a] + centres_s[b]) / 2 for (_, a, _), (b, _, _) in pairwise(runs)]
    end_s = recording.frames / FRAME_RATE_HZ
    starts, ends = [0.0, *edges], [*edges, end_s]
    return [Leg(start, end, float(states_s[k])) for start, end, (_, _, k) in zip(starts, ends, runs, strict=True)]


def likelier_legs(reference: BandFeatures, recording: BandFeatures, line: Line, legs: list[Leg]) -> list[Leg]:
    """Stretches that as a whole are more like the reference elsewhere than at any of the legs' jumps.

    All of a stretch counts at once: where music repeats, 8 s of it stand out nowhere, and a copy agrees throughout.
    Only what the line puts inside the reference is asked; the rest is outside.
    """
    duration_s, reference_s = recording.frames / FRAME_RATE_HZ, reference.frames / FRAME_RATE_HZ
    first_s, last_s = (min(max((t_ref - line.offset_s) * line.rate, 0.0), duration_s) for t_ref in (0.0, reference_s))
    known_s = {leg.jump_s for leg in legs}
    found: list[Leg] = []
    parts = 1
    while (last_s - first_s) / parts >= LEAST_STRETCH_S:
        edges_s = np.linspace(first_s, last_s, parts + 1)
        for start_s, end_s in pairwise(edges_s.tolist()):
            # What was proposed for a longer stretch is known in its parts.
            wider_s = {leg.jump_s for leg in found if leg.start_s <= start_s and end_s <= leg.end_s}
            jumps_s = _likelier_jumps(reference, recording, line, (start_s, end_s), known_s | wider_s)
            found += [Leg(start_s, end_s, jump_s) for jump_s in jumps_s]
        parts *= 2
    return found


def _likelier_jumps(
    reference: BandFeatures, recording: BandFeatures, line: Line, stretch_s: tuple[float, float], known_s: set[float]
) -> list[float]:
    """Jumps, s, at which a stretch of recording time is more like the reference than at all known ones, best first."""
    reach = int(MOST_JUMP_S * FRAME_RATE_HZ)
    first, end = (max(0, round((edge_s - recording.origin_s) * FRAME_RATE_HZ)) for edge_s in stretch_s)
    bands = reference.valid & recording.valid
    stretch = recording.values[bands, first:end]
    t_rec = first / FRAME_RATE_HZ + recording.origin_s
    low = round((t_rec / line.rate + line.offset_s - reference.origin_s) * FRAME_RATE_HZ) - reach
    length = stretch.shape[1] + 2 * reach
    near = np.pad(reference.values[bands, max(low, 0) : max(low + length, 0)], ((0, 0), (max(-low, 0), 0)))
    size = scipy.fft.next_fast_len(length, real=True)
    product = (scipy.fft.rfft(near, size) * scipy.fft.rfft(stretch, size).conj()).sum(axis=0)
    curve = scipy.fft.irfft(product, size)[: 2 * reach + 1]
    apart = round(SAME_OFFSET_S * FRAME_RATE_HZ)
    known = [min(max(round(jump_s * FRAME_RATE_HZ) + reach, 0), 2 * reach) for jump_s in known_s]
    least = max((float(curve[max(0, at - apart) : at + apart + 1].max()) for at in known), default=0.0)
    return [(at - reach) / FRAME_RATE_HZ for at in _peaks(curve, PROPOSALS_A_STRETCH, least=max(least, 0.0))]


def _proposals(reference: BandFeatures, recording: BandFeatures, line: Line) -> tuple[Floats, Floats, Floats]:
    """Chunk centres in recording time, proposed jumps, and z of every chunk at every jump, (chunks, jumps)."""
    length = int(CHUNK_S * FRAME_RATE_HZ)
    step = max(int(CHUNK_STEP_S * FRAME_RATE_HZ), recording.frames // MOST_CHUNKS)
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
        # Beyond the reference's ends there is nothing to compare, and nothing to judge the rest by.
        first = max(0, reach - frame - length // 2)
        last = min(curve.size, reach - frame - length // 2 + reference.frames)
        inside = curve[first:last]
        spread = float(np.median(np.abs(inside - np.median(inside)))) * 1.4826 if inside.size else 0.0
        if spread > 1e-6:
            row[first:last] = np.clip(inside / spread, 0, 40)
    centres_s = starts / FRAME_RATE_HZ + CHUNK_S / 2
    states_s = np.array([0.0, *_shared_jumps(curves, reach)][:MOST_STATES])
    columns = np.rint(states_s * FRAME_RATE_HZ).astype(int) + reach
    # The best within a frame to either side: a jump is no whole number of frames.
    z = np.max([curves[:, np.clip(columns + by, 0, 2 * reach)] for by in (-1, 0, 1)], axis=0).astype(np.float64)
    t_ref = (centres_s + recording.origin_s) / line.rate + line.offset_s
    return centres_s, states_s, _without_price_outside(z, t_ref, reference.frames / FRAME_RATE_HZ)


def _shared_jumps(curves: npt.NDArray[np.float32], reach: int) -> list[float]:
    """Jumps, s, that chunks stand out at, or that neighbours share, most supported first.

    Where music repeats, the highest of a chunk's peaks may be any of its copies: the next are looked at too.
    """
    tops = [_peaks(curve) for curve in curves]
    support: dict[int, float] = {}
    for i, here in enumerate(tops):
        there = tops[i + 1] if i + 1 < len(tops) else {}
        for at, height in here.items():
            shared = [other for k, other in there.items() if abs(k - at) <= SHARED_FRAMES]
            if height >= LEAST_Z or (shared and min(height, max(shared)) >= LEAST_SHARED_Z):
                support[at] = support.get(at, 0.0) + height + max(shared, default=0.0)
    jumps: list[float] = [0.0]
    for at in sorted(support, key=lambda at: -sum(support.get(at + by, 0.0) for by in range(-2, 3))):
        jump = (at - reach) / FRAME_RATE_HZ
        if all(abs(jump - other) > SAME_OFFSET_S for other in jumps):
            jumps.append(jump)
    return jumps[1:]


def _peaks(
    curve: npt.NDArray[np.floating], most: int = PEAKS_A_CHUNK, *, least: float = LEAST_SHARED_Z
) -> dict[int, float]:
    """The highest places of a curve, apart from each other and higher than `least`, with their heights, best first."""
    rest, found = curve.copy(), {}
    apart = round(PEAKS_APART_S * FRAME_RATE_HZ)
    for _ in range(most):
        at = int(np.argmax(rest))
        if rest[at] <= least:
            break
        found[at] = float(rest[at])
        rest[max(0, at - apart) : at + apart + 1] = 0.0
    return found


def _without_price_outside(z: Floats, t_ref: Floats, reference_s: float) -> Floats:
    """What a straight run puts outside the reference is outside: a jump to where it is found as well earns nothing."""
    outside = np.clip((CHUNK_S / 2 - np.minimum(t_ref, reference_s - t_ref)) / CHUNK_S, 0.0, 1.0)
    inside = z[outside == 0.0]
    typical = np.maximum(z.max(axis=1), float(np.median(inside.max(axis=1))) if inside.size else 0.0)
    straight = np.maximum(z[:, 0], outside * typical)
    return np.column_stack([straight, z[:, 1:]])


def _cheapest_path(z: Floats, price: float) -> npt.NDArray[np.intp]:
    """State of each chunk that gains the most z, less the price of changes."""
    chunks, states = z.shape
    gain = z[0].copy()
    came_from = np.zeros((chunks, states), np.intp)
    for i in range(1, chunks):
        best = int(np.argmax(gain))
        change = gain[best] - price
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
