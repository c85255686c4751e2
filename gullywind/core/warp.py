"""Renders a recording through its time map into reference time: windowed-sinc interpolation, block by block.

Method: 64-tap Kaiser-windowed sinc at exact (64-bit) positions (Smith and Gossett, "A flexible sampling-rate conversion
method", ICASSP 1984). Other sample rates are first brought to the reference's by soxr. Slope 1 on whole samples copies.
Slopes further than 0.5 % from 1 take the pitch along or keep it, as `stretch` decides.
"""

from collections.abc import Iterator

import numba
import numpy as np
import numpy.typing as npt
import soxr

from gullywind.core.crossfade import Part, Tone, lay_parts, lay_tones
from gullywind.core.sound import SampleSource
from gullywind.core.stretch import MOST_BEND, keeps_pitch, stretch_into
from gullywind.core.time_map import Piece, Pitch, TimeMap
from gullywind.core.units import Checkpoint, Floats, Samples, no_checkpoint, to_fractional_samples

TAPS = 64
#: Linear interpolation between neighbouring phases leaves -138 dB at 4096.
PHASES = 4096
#: Kaiser's beta for 120 dB; flat to 0.44 of the sample rate.
BETA = 12.3
BLOCK_SAMPLES = 1 << 17
#: Sound read around a block when the sample rate is converted: longer than soxr's filter.
CONVERSION_MARGIN = 2048
SAME_RATE_HZ = 1e-3
#: Positions this near to whole samples (in samples) are whole: 0.1 ns, what doubles leave of hours.
WHOLE = 5e-6


def render_blocks(
    source: SampleSource,
    time_map: TimeMap,
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
    sample_rate_hz : of the result, usually the reference's.
    samples, first : how many samples, and which one to begin with (0: reference time 0).

    Yields
    ------
    shape (channels, up to BLOCK_SAMPLES), float32; silence where no piece covers.
    """
    parts = lay_parts(source, time_map)
    tones = lay_tones(source, time_map, sample_rate_hz)
    for start in range(first, first + samples, BLOCK_SAMPLES):
        stop = min(start + BLOCK_SAMPLES, first + samples)
        block = np.zeros((source.channels, stop - start), np.float32)
        for part in parts:
            _add_part(source, part, time_map.pitch, sample_rate_hz, start, block)
        for tone in tones:
            _add_tone(tone, sample_rate_hz, start, block)
        yield block
        checkpoint((stop - first) / samples)


def render(source: SampleSource, time_map: TimeMap, *, sample_rate_hz: int, samples: int, first: int = 0) -> Samples:
    """All of `render_blocks` in one array; for short stretches."""
    blocks = list(render_blocks(source, time_map, sample_rate_hz=sample_rate_hz, samples=samples, first=first))
    return np.concatenate(blocks, axis=1) if blocks else np.zeros((source.channels, 0), np.float32)


def _add_part(source: SampleSource, part: Part, pitch: Pitch, rate_hz: int, start: int, block: Samples) -> None:
    """Add one part's share of a block in place."""
    first, last = _covered(part.piece.start[0], part.piece.end_exclusive[0], rate_hz, start, block)
    if last <= first:
        return
    into = block[:, first - start : last - start]
    gain = part.gain(np.arange(first, last) / rate_hz)
    kept = keeps_pitch(pitch, part.piece.rate, source.sample_rate_hz)
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
    first = max(start, int(np.ceil(start_s * rate_hz - WHOLE)))
    return first, min(start + block.shape[1], int(np.ceil(end_s * rate_hz - WHOLE)))


def _render_piece(source: SampleSource, piece: Piece, rate_hz: int, first: int, into: Samples) -> None:
    """Write a piece's sound from sample `first` of reference time on."""
    last = first + into.shape[1]
    t_ref = np.arange(first, last) / rate_hz
    t_rec = _inside(piece, t_ref)
    stated_hz = source.sample_rate_hz
    slope = piece.rate
    # A wrong header or a film speed is another sample rate, not a bend: it is converted like one.
    fs = stated_hz * slope if abs(slope - 1) > MOST_BEND else float(stated_hz)
    if abs(fs - rate_hz) < SAME_RATE_HZ:
        positions = to_fractional_samples(t_rec, stated_hz)
        whole = np.rint(positions[[0, -1]]).astype(np.int64)
        if np.all(np.abs(positions[[0, -1]] - whole) < WHOLE) and whole[1] - whole[0] == last - first - 1:
            into[:] = source.read(int(whole[0]), int(whole[1]) + 1)
            return
        begin = int(np.floor(positions[0])) - TAPS
        sound = source.read(begin, int(np.ceil(positions[-1])) + TAPS)
        positions = positions - begin
    else:
        begin = int(np.floor(t_rec[0] * stated_hz)) - CONVERSION_MARGIN
        sound = source.read(begin, int(np.ceil(t_rec[-1] * stated_hz)) + CONVERSION_MARGIN)
        sound = np.ascontiguousarray(soxr.resample(sound.T, fs, rate_hz, quality="VHQ").T)
        positions = to_fractional_samples(t_rec - begin / stated_hz, stated_hz) * (rate_hz / fs)
    if not np.all(np.isfinite(sound)):
        sound = np.nan_to_num(sound, nan=0.0, posinf=0.0, neginf=0.0)
    interpolate(np.ascontiguousarray(sound), positions, _TABLE, into)


def _inside(piece: Piece, t_ref: Floats) -> Floats:
    """Recording times of a piece, at its edges where reference times lie beyond them by a rounding."""
    (ref0, rec0), (ref1, _) = piece.start, piece.end_exclusive
    t_ref = np.clip(t_ref, ref0, ref1)
    # A line needs no search among knots; this is a tenth of the time of a proof.
    return rec0 + (t_ref - ref0) * piece.rate if len(piece.knots) == 2 else piece.to_recording(t_ref)


def _kernel_table() -> npt.NDArray[np.float64]:
    """Shape (PHASES + 1, TAPS): the kernel at every phase in 0..1."""
    phase = np.arange(PHASES + 1)[:, None] / PHASES
    distance = np.arange(TAPS)[None, :] - (TAPS // 2 - 1) - phase
    inside = np.clip(1 - (distance / (TAPS / 2)) ** 2, 0, None)
    table = np.sinc(distance) * np.i0(BETA * np.sqrt(inside)) / np.i0(BETA)
    return np.asarray(table / table.sum(axis=1, keepdims=True))


_TABLE = _kernel_table()


@numba.njit(cache=True, nogil=True, fastmath=True)
def interpolate(sound: Samples, positions: Floats, table: Floats, into: Samples) -> None:
    """Write `sound` at fractional `positions` into `into`, all channels alike.

    `sound` has shape (channels, samples), `positions` (n,) in samples, `into` (channels, n); positions need TAPS / 2
    samples of sound on either side.
    """
    channels, total = sound.shape
    taps, phases = table.shape[1], table.shape[0] - 1
    kernel = np.empty(taps, np.float64)
    for i in range(positions.size):
        base = int(np.floor(positions[i]))
        phase = (positions[i] - base) * phases
        row = int(phase)
        share = phase - row
        begin = base - (taps // 2 - 1)
        inside = begin >= 0 and begin + taps <= total
        if inside and channels == 1:
            # Two products with neighbouring rows are quicker than one with a kernel between them: 1.7 times.
            low, high = 0.0, 0.0
            for tap in range(taps):
                low += table[row, tap] * sound[0, begin + tap]
                high += table[row + 1, tap] * sound[0, begin + tap]
            into[0, i] = low + share * (high - low)
            continue
        for tap in range(taps):
            kernel[tap] = table[row, tap] + share * (table[row + 1, tap] - table[row, tap])
        for channel in range(channels):
            sum_ = 0.0
            if inside:
                for tap in range(taps):
                    sum_ += kernel[tap] * sound[channel, begin + tap]
            else:
                for tap in range(taps):
                    if 0 <= begin + tap < total:
                        sum_ += kernel[tap] * sound[channel, begin + tap]
            into[channel, i] = sum_
