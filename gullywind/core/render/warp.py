"""Renders a recording through its time map into reference time, block by block.

Sound is interpolated at exact positions. Other sample rates are first brought to the reference's by soxr. Slope 1 on
whole samples copies. Slopes further than 0.5 % from 1 take the pitch along or keep it, as `stretch` decides.
"""

import math
from collections.abc import Iterator
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
import soxr

from gullywind.core.ground.units import Checkpoint, Samples, no_checkpoint
from gullywind.core.maps.time_map import Piece, TimeMap
from gullywind.core.maps.version import AS_USUAL, Gaps, Pitch, Sounding
from gullywind.core.render.crossfade import Part, Tone, lay_parts, lay_tones
from gullywind.core.render.interpolate import interpolate
from gullywind.core.render.stretch import MOST_BEND, keeps_pitch, stretch_into
from gullywind.core.sound.views import SampleSource, chosen_channels

#: Sound read around an interpolated block: more than half the kernel.
MARGIN = 64
RENDERED_BLOCK = 1 << 17
#: Sound read around a block when the sample rate is converted, in samples of the lower rate: longer than soxr's filter.
CONVERSION_MARGIN = 1024
SAME_RATE_HZ = 1e-3
#: Positions this near to whole samples (in samples) are whole: 0.1 ns, what doubles leave of hours.
WHOLE_SAMPLE = 5e-6


def render_blocks(
    source: SampleSource,
    time_map: TimeMap,
    sounding: Sounding = AS_USUAL,
    *,
    sample_rate_hz: int,
    samples: int,
    first: int = 0,
    checkpoint: Checkpoint = no_checkpoint,
) -> Iterator[Samples]:
    """Sound of a recording in reference time.

    Parameters
    ----------
    source : the recording, all channels.
    time_map, sounding : where it lies, and how sound is made of it.
    sample_rate_hz : of the result, usually the reference's.
    samples, first : how many samples, and which one to begin with (0: reference time 0).

    Yields
    ------
    shape (channels, up to RENDERED_BLOCK), float32; silence where no piece covers.
    """
    source = chosen_channels(source, sounding.channels)
    parts = lay_parts(source, time_map)
    tones = lay_tones(source, time_map, sample_rate_hz) if sounding.gaps is Gaps.ROOM_TONE else []
    for start in range(first, first + samples, RENDERED_BLOCK):
        stop = min(start + RENDERED_BLOCK, first + samples)
        block = np.zeros((source.channels, stop - start), np.float32)
        for part in parts:
            _add_part(source, part, sounding.pitch, sample_rate_hz, start, block)
        for tone in tones:
            _add_tone(tone, sample_rate_hz, start, block)
        if sounding.factor != 1.0:
            block *= np.float32(sounding.factor)
        yield block
        checkpoint((stop - first) / samples)


def render(
    source: SampleSource,
    time_map: TimeMap,
    sounding: Sounding = AS_USUAL,
    *,
    sample_rate_hz: int,
    samples: int,
    first: int = 0,
) -> Samples:
    """All of `render_blocks` in one array; for short stretches."""
    blocks = list(
        render_blocks(source, time_map, sounding, sample_rate_hz=sample_rate_hz, samples=samples, first=first)
    )
    return np.concatenate(blocks, axis=1) if blocks else np.zeros((source.channels, 0), np.float32)


def _add_part(source: SampleSource, part: Part, pitch: Pitch, rate_hz: int, start: int, block: Samples) -> None:
    """Add one part's share of a block in place."""
    first, last = _covered(part.piece.start[0], part.piece.end_exclusive[0], rate_hz, start, block)
    if last <= first:
        return
    into = block[:, first - start : last - start]
    gain = part.gain(np.arange(first, last) / rate_hz) if part.fades else None
    kept = keeps_pitch(pitch, part.piece, source.sample_rate_hz)
    make = stretch_into if kept else _render_piece
    if gain is None:
        make(source, part.piece, rate_hz, first, into)
        return
    faded = np.zeros_like(into)
    make(source, part.piece, rate_hz, first, faded)
    into += faded * gain.astype(np.float32)


def _add_tone(tone: Tone, rate_hz: int, start: int, block: Samples) -> None:
    """Add the share of a gap's room tone in place."""
    first, last = _covered(tone.fade_in[0], tone.fade_out[1], rate_hz, start, block)
    if last > first:
        t_ref = np.arange(first, last) / rate_hz
        rising, falling = (
            np.clip((t_ref - fade[0]) / (fade[1] - fade[0]), 0.0, 1.0) for fade in (tone.fade_in, tone.fade_out)
        )
        gain = np.sin(0.5 * np.pi * rising) ** 2 * np.cos(0.5 * np.pi * falling) ** 2
        block[:, first - start : last - start] += tone.read(first, last) * gain.astype(np.float32)


def _covered(start_s: float, end_s: float, rate_hz: int, start: int, block: Samples) -> tuple[int, int]:
    """First and last (exclusive) sample of a block that a stretch of reference time covers."""
    first = max(start, int(np.ceil(start_s * rate_hz - WHOLE_SAMPLE)))
    return first, min(start + block.shape[1], int(np.ceil(end_s * rate_hz - WHOLE_SAMPLE)))


def _render_piece(source: SampleSource, piece: Piece, rate_hz: int, first: int, into: Samples) -> None:
    """Write a piece's sound from sample `first` of reference time on."""
    last = first + into.shape[1]
    runs = list(_straight_runs(piece, rate_hz, first, last))
    begin_s, end_s = runs[0].at(0), runs[-1].at(runs[-1].samples - 1)
    stated_hz = source.sample_rate_hz
    slope = piece.rate
    # A wrong header or a film speed is another sample rate, not a bend: it is converted like one.
    fs = stated_hz * slope if abs(slope - 1) > MOST_BEND else float(stated_hz)
    if abs(fs - rate_hz) < SAME_RATE_HZ:
        start, stop = begin_s * stated_hz, end_s * stated_hz
        whole = round(start)
        if max(abs(start - whole), abs(stop - (whole + last - first - 1))) < WHOLE_SAMPLE and len(runs) == 1:
            into[:] = source.read(whole, whole + last - first)
            return
        begin = int(np.floor(start)) - MARGIN
        sound = source.read(begin, int(np.ceil(stop)) + MARGIN)
    else:
        margin = math.ceil(CONVERSION_MARGIN * max(1.0, fs / rate_hz))
        begin = int(np.floor(begin_s * stated_hz)) - margin
        sound = source.read(begin, int(np.ceil(end_s * stated_hz)) + margin)
        sound = np.ascontiguousarray(soxr.resample(sound.T, fs, rate_hz, quality="VHQ").T)
    if not np.all(np.isfinite(sound)):
        sound = np.nan_to_num(sound, nan=0.0, posinf=0.0, neginf=0.0)
    # Samples of `sound` for each second of recording time: more than one for each that was read, if it was converted.
    per_second = stated_hz * (rate_hz / fs) if fs != rate_hz else float(stated_hz)
    done = 0
    for run in runs:
        start = (run.start_s - begin / stated_hz) * per_second
        interpolate(sound, start, run.step_s * per_second, into[:, done : done + run.samples])
        done += run.samples


@dataclass(frozen=True, slots=True)
class _Run:
    """Evenly spaced moments of recording time: one for each of so many samples of reference time."""

    start_s: float
    step_s: float
    samples: int

    def at(self, i: int) -> float:
        return self.start_s + i * self.step_s


def _straight_runs(piece: Piece, rate_hz: int, first: int, last: int) -> Iterator[_Run]:
    """Recording times of reference samples `first` to `last - 1`, knot by knot; the outermost run on straight."""
    # Of thousands of knots only those are looked at that this stretch meets.
    low = max(int(np.searchsorted(piece.t_ref, first / rate_hz, side="right")) - 1, 0)
    high = min(int(np.searchsorted(piece.t_ref, last / rate_hz, side="left")) + 1, piece.t_ref.size)
    low, high = min(low, piece.t_ref.size - 2), max(high, low + 2)
    ref, rec = piece.t_ref[low:high].tolist(), piece.t_rec[low:high].tolist()
    inner = np.clip(np.ceil(piece.t_ref[low + 1 : high - 1] * rate_hz - WHOLE_SAMPLE), first, last).astype(int).tolist()
    edges = [first, *inner, last]
    for k, (start, stop) in enumerate(pairwise(edges)):
        if stop > start:
            slope = (rec[k + 1] - rec[k]) / (ref[k + 1] - ref[k])
            yield _Run(rec[k] + (start / rate_hz - ref[k]) * slope, slope / rate_hz, stop - start)
