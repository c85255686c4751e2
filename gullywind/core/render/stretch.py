"""Other speeds: which of them take the pitch along, and sound whose pitch is kept. Times in s.

The stretching itself is a library's (spectral, transient-aware). It works on whole stretches, so the sound is made in
blocks of a fixed grid, joined at quiet places, and the same block is the same wherever one begins to listen.
"""

from functools import lru_cache

import numpy as np
import soxr

from gullywind.core.ground.speeds import nearest_speed
from gullywind.core.ground.units import Floats, Samples, to_fractional_samples
from gullywind.core.maps.time_map import Piece
from gullywind.core.maps.version import Pitch
from gullywind.core.render.crossfade import quietest
from gullywind.core.sound.views import SampleSource

#: Slopes within this of 1 are clocks: pitch moves inaudibly, and phase stays exact.
MOST_BEND = 0.005
#: Short enough to be made while a person waits, long enough that joins are seldom.
BLOCK_S, SEEK_S = 12.0, 1.0
#: Sound that the stretcher needs around a block, and how long neighbouring blocks fade into each other.
CONTEXT_S, FADE_S = 0.3, 0.03


def keeps_pitch(pitch: Pitch, rate: float, stated_hz: int) -> bool:
    """Whether the pitch stays where it is, for a recording whose file states this sample rate."""
    if abs(rate - 1) <= MOST_BEND or pitch is Pitch.FOLLOWS:
        return False
    return pitch is Pitch.KEPT or nearest_speed(rate, stated_hz) == 1.0


def pitch_reason(pitch: Pitch, rate: float, stated_hz: int) -> str:
    """Why it is so, in the editor's words; empty where the speed is not changed audibly."""
    if abs(rate - 1) <= MOST_BEND:
        return ""
    if pitch is Pitch.FOLLOWS:
        return "Pitch moves with the speed, as chosen."
    if pitch is Pitch.KEPT:
        return "Pitch is kept, as chosen."
    if keeps_pitch(pitch, rate, stated_hz):
        return "Pitch is kept: no wrong header and no film speed explains this rate, so it is a performance."
    return "Pitch moves with the speed: at the right rate it sounds as it was recorded."


def stretch_into(source: SampleSource, piece: Piece, rate_hz: int, first: int, into: Samples) -> None:
    """Write a piece's sound with its own pitch, from sample `first` of reference time on, all channels alike."""
    edges = _grid(source, piece)
    t_ref = np.arange(first, first + into.shape[1]) / rate_hz
    into[:] = 0
    for k in range(len(edges) - 1):
        low, high = edges[k] - FADE_S / 2, edges[k + 1] + FADE_S / 2
        if t_ref[-1] < low or t_ref[0] >= high:
            continue
        begin, sound = _block(source, piece, rate_hz, edges[k], edges[k + 1])
        a, b = max(first, begin), min(first + into.shape[1], begin + sound.shape[1])
        if b > a:
            times = t_ref[a - first : b - first]
            gain = np.ones(times.size)
            if k > 0:
                gain *= np.sin(0.5 * np.pi * np.clip((times - low) / FADE_S, 0, 1)) ** 2
            if k + 2 < len(edges):
                gain *= np.sin(0.5 * np.pi * np.clip((high - times) / FADE_S, 0, 1)) ** 2
            into[:, a - first : b - first] += sound[:, a - begin : b - begin] * gain.astype(np.float32)


@lru_cache(maxsize=64)
def _grid(source: SampleSource, piece: Piece) -> tuple[float, ...]:
    """Edges of the blocks in reference time: the piece's knots, and quiet places between them."""
    edges = [piece.start[0]]
    for t_ref in piece.t_ref[1:].tolist():
        while t_ref - edges[-1] > 1.5 * BLOCK_S:
            about = edges[-1] + BLOCK_S
            edges.append(quietest(source, (piece,), about - SEEK_S, about + SEEK_S, FADE_S))
        edges.append(t_ref)
    return tuple(edges)


@lru_cache(maxsize=16)
def _block(source: SampleSource, piece: Piece, rate_hz: int, start: float, end: float) -> tuple[int, Samples]:
    """First sample of reference time, and the sound of one block with half a fade to either side."""
    # Imported here: only few recordings need it.
    from python_stretch.Signalsmith import Stretch

    ref = np.array([start, end])
    rec = piece.to_recording(np.clip(ref, piece.start[0], piece.end_exclusive[0]))
    rate = float((rec[1] - rec[0]) / (end - start))
    # Context and the place of the first sample are whole samples of the reference, so that nothing is shifted.
    first = int(np.floor((start - CONTEXT_S) * rate_hz))
    last = int(np.ceil((end + CONTEXT_S) * rate_hz))
    positions: Floats = rec[0] + (np.arange(first, last, dtype=np.float64)[[0, -1]] / rate_hz - start) * rate
    stated_hz = source.sample_rate_hz
    begin, stop = (int(np.floor(p)) for p in to_fractional_samples(positions, stated_hz))
    sound = np.nan_to_num(source.read(begin, stop + 1))
    if stated_hz != rate_hz:
        sound = np.ascontiguousarray(soxr.resample(sound.T, stated_hz, rate_hz, quality="VHQ").T)
    stretcher = Stretch()
    stretcher.preset(source.channels, rate_hz)
    stretcher.setTimeFactor(rate)
    made = np.asarray(stretcher.process(np.ascontiguousarray(sound, np.float32)), np.float32)
    skip = round((CONTEXT_S - FADE_S / 2) * rate_hz)
    length = int(np.ceil((end - start + FADE_S) * rate_hz)) + 1
    return first + skip, made[:, skip : skip + length]
