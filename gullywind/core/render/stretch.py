"""Other speeds: which of them take the pitch along, and sound whose pitch is kept. Times in s.

At one speed the stretching is a library's (spectral, transient-aware); bends are followed by `vocoder`. The sound
is made in blocks of a fixed grid, joined at quiet places: the same block is the same wherever one begins to listen, and
is made anew only where its own part of the map changed.
"""

from functools import lru_cache

import numpy as np
import soxr

from gullywind.core.ground.speeds import nearest_speed
from gullywind.core.ground.units import Samples
from gullywind.core.maps.time_map import Piece
from gullywind.core.maps.version import Pitch
from gullywind.core.render.crossfade import quietest
from gullywind.core.render.vocoder import bent_sound
from gullywind.core.sound.views import SampleSource

#: Slopes within this of 1 are clocks: pitch moves inaudibly, and phase stays exact.
MOST_BEND = 0.005
#: Along a piece the speed wanders by this where somebody walks (2.7 m/s) or a tape is worn: the pitch moved with it
#: when it was recorded, and moves back. A followed course is rough: a little more. A performance is bent by more.
MOST_WANDER = 0.01
#: Short enough to be made while a person waits, long enough that joins are seldom.
BLOCK_S, SEEK_S = 12.0, 1.0
#: Of bent sound, which changes under an editor's hands, less is made at a time.
BENT_BLOCK_S = 5.0
#: Sound that the stretcher needs around a block, and how long neighbouring blocks fade into each other.
CONTEXT_S, FADE_S = 0.3, 0.03
#: Sound read around a bent block: more than half a frame.
AROUND_S = 0.05


def is_bent(piece: Piece) -> bool:
    """Whether its speed changes along it by more than any clock, walk or tape does."""
    if piece.is_straight:
        return False
    slopes = np.diff(piece.t_rec) / np.diff(piece.t_ref)
    return bool(np.any(np.abs(slopes - piece.rate) > MOST_WANDER))


def keeps_pitch(pitch: Pitch, piece: Piece, stated_hz: int) -> bool:
    """Whether the pitch stays where it is, for a recording whose file states this sample rate."""
    bent, rate = is_bent(piece), piece.rate
    if (abs(rate - 1) <= MOST_BEND and not bent) or pitch is Pitch.FOLLOWS:
        return False
    return bent or pitch is Pitch.KEPT or nearest_speed(rate, stated_hz) == 1.0


def pitch_reason(pitch: Pitch, piece: Piece, stated_hz: int) -> str:
    """Why it is so, in the editor's words; empty where the speed is not changed audibly."""
    bent = is_bent(piece)
    if abs(piece.rate - 1) <= MOST_BEND and not bent:
        return ""
    if pitch is Pitch.FOLLOWS:
        return "Pitch moves with the speed, as chosen."
    if pitch is Pitch.KEPT:
        return "Pitch is kept, as chosen."
    if bent:
        return "Pitch is kept: the recording is bent along its ties."
    if keeps_pitch(pitch, piece, stated_hz):
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
        begin, sound = _block(source, _part_of(piece, edges[k], edges[k + 1]), rate_hz, edges[k], edges[k + 1])
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
    """Edges of the blocks in reference time: quiet places, and the knots of a piece that has few speeds."""
    edges, bent = [piece.start[0]], is_bent(piece)
    block_s = BENT_BLOCK_S if bent else BLOCK_S
    for t_ref in (piece.t_ref[-1:] if bent else piece.t_ref[1:]).tolist():
        while t_ref - edges[-1] > 1.5 * block_s:
            about = edges[-1] + block_s
            edges.append(quietest(source, (piece,), about - SEEK_S, about + SEEK_S, FADE_S))
        edges.append(t_ref)
    return tuple(edges)


def _part_of(piece: Piece, start: float, end: float) -> Piece:
    """The piece as far as a block with its surroundings needs it: what changes elsewhere does not change the block."""
    low, high = start - CONTEXT_S - FADE_S, end + CONTEXT_S + FADE_S
    inside = (piece.t_ref > low) & (piece.t_ref < high)
    times = np.concatenate([[low], piece.t_ref[inside], [high]])
    return Piece(np.stack([times, piece.along(times)], axis=1))


@lru_cache(maxsize=24)
def _block(source: SampleSource, part: Piece, rate_hz: int, start: float, end: float) -> tuple[int, Samples]:
    """First sample of reference time, and the sound of one block with half a fade to either side."""
    # Context and the place of the first sample are whole samples of the reference, so that nothing is shifted.
    first = int(np.floor((start - CONTEXT_S) * rate_hz))
    last = int(np.ceil((end + CONTEXT_S) * rate_hz))
    skip = round((CONTEXT_S - FADE_S / 2) * rate_hz)
    length = int(np.ceil((end - start + FADE_S) * rate_hz)) + 1
    make = _bent if is_bent(part) else _at_one_speed
    return first + skip, make(source, part, rate_hz, first, last)[:, skip : skip + length]


def _bent(source: SampleSource, part: Piece, rate_hz: int, first: int, last: int) -> Samples:
    """Sound along a bend, for samples `first` to `last` of reference time."""
    t_rec = part.along(np.arange(first, last) / rate_hz)
    sound, begin_s = _read(source, float(t_rec[0]), float(t_rec[-1]), rate_hz)
    return bent_sound(sound, (t_rec - begin_s) * rate_hz, rate_hz)


def _at_one_speed(source: SampleSource, part: Piece, rate_hz: int, first: int, last: int) -> Samples:
    """Sound of a straight stretch, for samples `first` to `last` of reference time."""
    # Imported here: only few recordings need it.
    from python_stretch.Signalsmith import Stretch

    ref = np.array([first, last - 1]) / rate_hz
    rec = part.along(ref)
    sound, _ = _read(source, float(rec[0]), float(rec[1]), rate_hz, around_s=0.0)
    stretcher = Stretch()
    stretcher.preset(source.channels, rate_hz)
    stretcher.setTimeFactor(float((rec[1] - rec[0]) / (ref[1] - ref[0])))
    return np.asarray(stretcher.process(np.ascontiguousarray(sound, np.float32)), np.float32)


def _read(
    source: SampleSource, begin_s: float, end_s: float, rate_hz: int, around_s: float = AROUND_S
) -> tuple[Samples, float]:
    """Sound from one time of the recording to another at a rate, and the time of its first sample, s."""
    stated_hz = source.sample_rate_hz
    begin, stop = (int(np.floor(t * stated_hz)) for t in (begin_s - around_s, end_s + around_s))
    sound = np.nan_to_num(source.read(begin, stop + 1))
    if stated_hz != rate_hz:
        sound = np.ascontiguousarray(soxr.resample(sound.T, stated_hz, rate_hz, quality="VHQ").T)
    return sound, begin / stated_hz
