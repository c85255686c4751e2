"""Linear timecode heard as sound (SMPTE ST 12-1): a biphase mark code of 80 bits a frame. Times in s.

The sound changes its sign at the start of every bit, and once more in the middle of a one. Moments of change are read
between samples, classed by their distances, and frames are what lies before a sync word; the code's rate is known
within a few per cent, so that nothing has to be followed.
"""

from collections.abc import Mapping
from dataclasses import asdict, dataclass
from fractions import Fraction
from typing import Any

import numpy as np
import numpy.typing as npt
from scipy.ndimage import uniform_filter1d
from scipy.signal import firwin, oaconvolve

from gullywind.core.ground.timecode import Counting, Label
from gullywind.core.ground.units import Checkpoint, Floats, Samples, no_checkpoint
from gullywind.core.sound.views import SampleSource

SYNC = np.array([0, 0, 1, 1, 1, 1, 1, 1, 1, 1, 1, 1, 1, 1, 0, 1], np.int8)
FRAME_BITS = 80
#: Half a bit lasts 208 µs at 30 frames a second and 260 µs at 24; these leave a tenth for the tape's speed.
SHORTEST_S, HALF_MOST_S, LONGEST_S = 130e-6, 330e-6, 640e-6
#: Bits of a frame are as long as one another within this share: noise and band limits move their edges.
BIT_SHARE = 0.3
#: Where the code's sound lies. Rumble and hum below would move its edges, hiss above it would make more of them.
CODE_BAND_HZ = (250.0, 9500.0)
FILTER_S = 0.004
#: A change counts once the sound is this far on the other side, of its mean level over LEVEL_S.
HYSTERESIS, LEVEL_S = 0.35, 0.01
#: Nothing quieter than -80 dBFS is looked at.
LEAST_LEVEL = 1e-4
CODE_BLOCK_S, CODE_MARGIN_S = 8.0, 0.1
#: A look holds four frames and more, every few seconds.
CODE_LOOK_S, CODE_LOOK_EVERY_S, MOST_CODE_LOOKS = 0.2, 5.0, 400
#: Peak over mean level: a square wave has 1, and more with noise and narrow bands; sound that has more is not decoded.
CODE_CREST = 2.4
#: This share of the samples may be higher: clicks.
CODE_PEAKS = 0.001
#: The sample rates that hold code at all.
LEAST_CODE_RATE_HZ = 16000


@dataclass(frozen=True, slots=True)
class TimecodeRun:
    """Frames that follow one another without a break.

    Attributes
    ----------
    channel : of the file, counted from 0.
    rate : frames a second of the code.
    start : the first one's label.
    at_s : recording time at which the first whole frame's first bit begins.
    frames : how many.
    speed : how fast the code runs by the recording's clock.
    """

    channel: int
    rate: Fraction
    drop_frame: bool
    start: Label
    at_s: float
    frames: int
    speed: float

    def to_json(self) -> dict[str, object]:
        """To be stored."""
        return {**asdict(self), "rate": str(self.rate)}

    @classmethod
    def from_json(cls, stored: Mapping[str, Any]) -> "TimecodeRun":
        """Inverse of `to_json`."""
        hours, minutes, seconds, frame = stored["start"]
        return cls(**{**stored, "rate": Fraction(stored["rate"]), "start": (hours, minutes, seconds, frame)})


def timecode_channels(source: SampleSource) -> tuple[int, ...]:
    """Channels that hold linear timecode, by short looks over the file."""
    rate_hz = source.sample_rate_hz
    length = int(CODE_LOOK_S * rate_hz)
    if rate_hz < LEAST_CODE_RATE_HZ or source.samples < length:
        return ()
    looks = int(np.clip(source.samples / rate_hz / CODE_LOOK_EVERY_S, 2, MOST_CODE_LOOKS))
    found: set[int] = set()
    for start in np.linspace(0, source.samples - length, looks).astype(int):
        block = source.read(int(start), int(start) + length)
        for channel in range(source.channels):
            if channel not in found and _may_be_code(block[channel]) and _frames_of(block[channel], rate_hz):
                found.add(channel)
    return tuple(sorted(found))


def read_timecode(
    source: SampleSource, channel: int, *, checkpoint: Checkpoint = no_checkpoint
) -> tuple[TimecodeRun, ...]:
    """All runs of linear timecode in a channel, in order.

    `start` and `at_s` are those of the first whole frame. Which of 23.976 and 24, or of 29.97 and 30 frames a second it
    is, is told by the nearest speed; drop-frame code runs at 29.97.
    """
    edges = _edges(source, channel, checkpoint)
    return _runs(_frames(edges), channel)


def _may_be_code(sound: Samples) -> bool:
    height = np.abs(sound - sound.mean())
    level = float(np.sqrt(np.mean(np.square(height))))
    return level > LEAST_LEVEL and int(np.count_nonzero(height >= CODE_CREST * level)) < CODE_PEAKS * sound.size


def _frames_of(sound: Samples, rate_hz: int) -> bool:
    """Whether a short look holds frames of code that follow one another."""
    return bool(_runs(_frames(_edges_of(_code_band(sound, rate_hz), rate_hz) / rate_hz), 0))


def _edges(source: SampleSource, channel: int, checkpoint: Checkpoint) -> Floats:
    """Moments at which the sound changes its sign, s, rising."""
    rate_hz = source.sample_rate_hz
    if rate_hz < LEAST_CODE_RATE_HZ:
        return np.zeros(0)
    block, margin = int(CODE_BLOCK_S * rate_hz), int(CODE_MARGIN_S * rate_hz)
    found = []
    for start in range(0, source.samples, block):
        first, last = max(start - margin, 0), min(start + block + margin, source.samples)
        sound = source.read(first, last)[channel]
        edges = _edges_of(_code_band(sound, rate_hz), rate_hz) + first
        found.append(edges[(edges >= start) & (edges < start + block)])
        checkpoint(min(start + block, source.samples) / source.samples)
    return np.concatenate(found) / rate_hz if found else np.zeros(0)


def _code_band(sound: Samples, rate_hz: int) -> Samples:
    taps = int(FILTER_S * rate_hz) | 1
    high_hz = min(CODE_BAND_HZ[1], 0.45 * rate_hz)
    kernel = firwin(taps, [CODE_BAND_HZ[0], high_hz], pass_zero=False, fs=rate_hz).astype(np.float32)
    return np.asarray(oaconvolve(sound, kernel, mode="same"), np.float32)


def _edges_of(sound: Samples, rate_hz: int) -> Floats:
    """Fractional positions of changes of sign, in samples; the sound's beginning out of silence counts as one."""
    if sound.size < 3:
        return np.zeros(0)
    level = np.sqrt(uniform_filter1d(np.square(sound), max(int(LEVEL_S * rate_hz), 1)).clip(0))
    threshold = np.maximum(HYSTERESIS * level, LEAST_LEVEL)
    beyond = np.flatnonzero(np.abs(sound) > threshold)
    if beyond.size == 0:
        return np.zeros(0)
    signs = sound[beyond] > 0
    turned = np.flatnonzero(signs[1:] != signs[:-1]) + 1
    reached, left = beyond[turned], beyond[turned - 1]
    # Of several changes between the two levels the middle one is nearest the truth: noise makes them in pairs.
    crossings = np.flatnonzero((sound[1:] > 0) != (sound[:-1] > 0))
    low, high = np.searchsorted(crossings, left), np.searchsorted(crossings, reached) - 1
    at = crossings[np.minimum((low + high) // 2, crossings.size - 1)]
    before, after = sound[at].astype(np.float64), sound[at + 1].astype(np.float64)
    edges = at + before / (before - after)
    # Silence breaks the chain, and code that begins after it begins with a change.
    pause = LONGEST_S * rate_hz
    begins = np.concatenate([[beyond[0]], beyond[1:][np.diff(beyond) > pause]]).astype(np.float64)
    return np.unique(np.concatenate([edges, begins]))


@dataclass(frozen=True, eq=False)
class _Frames:
    """Decoded frames: when their first bits begin, shape (frames,); labels, shape (frames, 4); drop flags; lengths."""

    at_s: Floats
    labels: npt.NDArray[np.int64]
    drop: npt.NDArray[np.bool_]
    bit_s: Floats

    @property
    def count(self) -> int:
        return self.at_s.size


def _frames(edges_s: Floats) -> _Frames:
    """Frames among changes of sign."""
    starts_s, bits = _bits(edges_s)
    nothing = _Frames(np.zeros(0), np.zeros((0, 4), np.int64), np.zeros(0, bool), np.zeros(0))
    if bits.size < FRAME_BITS:
        return nothing
    windows = np.lib.stride_tricks.sliding_window_view(bits, FRAME_BITS)
    ends = np.flatnonzero((windows[:, -1] == 1) & (windows[:, -2] == 0) & (windows[:, 64] == 0))
    ends = ends[(windows[ends, -SYNC.size :] == SYNC).all(axis=1)]
    if ends.size == 0:
        return nothing
    frames = windows[ends].astype(np.int64)
    spans = np.lib.stride_tricks.sliding_window_view(starts_s, FRAME_BITS)[ends]
    steps = np.diff(spans, axis=1)
    bit_s = np.median(steps, axis=1)
    # The first bit may have begun before the file; its start follows from the others.
    even = (np.abs(steps[:, 1:] - bit_s[:, None]) < BIT_SHARE * bit_s[:, None]).all(axis=1)
    labels = np.stack(
        [
            _number(frames, 48, 4, 56, 2),
            _number(frames, 32, 4, 40, 3),
            _number(frames, 16, 4, 24, 3),
            _number(frames, 0, 4, 8, 2),
        ],
        axis=1,
    )
    units = np.stack([_digit(frames, at, 4) for at in (0, 16, 32, 48)], axis=1)
    sane = even & (units < 10).all(axis=1) & (labels < (24, 60, 60, 30)).all(axis=1)
    spans, bit_s = spans[sane], bit_s[sane]
    k = np.arange(1, FRAME_BITS, dtype=np.float64)
    slope = ((spans[:, 1:] - spans[:, 1:].mean(axis=1, keepdims=True)) @ (k - k.mean())) / ((k - k.mean()) ** 2).sum()
    at_s = spans[:, 1:].mean(axis=1) - slope * k.mean()
    return _Frames(at_s, labels[sane], frames[sane, 10] == 1, slope)


def _bits(edges_s: Floats) -> tuple[Floats, npt.NDArray[np.int8]]:
    """When bits begin, s, and what they are: both shape (bits,). What is no bit is 2."""
    gaps = np.diff(edges_s)
    half = (gaps >= SHORTEST_S) & (gaps < HALF_MOST_S)
    whole = (gaps >= HALF_MOST_S) & (gaps < LONGEST_S)
    # In a row of halves every second one begins a bit.
    index = np.arange(gaps.size)
    row = index - np.maximum.accumulate(np.where(half, -1, index)) - 1
    begins = ~half | (row % 2 == 0)
    values = np.where(whole, 0, np.where(half, 1, 2)).astype(np.int8)
    return edges_s[:-1][begins], values[begins]


def _digit(frames: npt.NDArray[np.int64], at: int, width: int) -> npt.NDArray[np.int64]:
    return np.asarray(frames[:, at : at + width] @ (1 << np.arange(width)))


def _number(frames: npt.NDArray[np.int64], units_at: int, units: int, tens_at: int, tens: int) -> npt.NDArray[np.int64]:
    """Two decimal digits of every frame, lowest bit first."""
    return _digit(frames, units_at, units) + 10 * _digit(frames, tens_at, tens)


def _runs(frames: _Frames, channel: int) -> tuple[TimecodeRun, ...]:
    """Runs of frames that follow one another in time and in number; a lone frame counts beside others only."""
    if frames.count == 0:
        return ()
    count = _labels_a_second(frames)
    countings = [Counting(Fraction(count), bool(drop)) for drop in frames.drop]
    numbers = [one.number(tuple(label)) for one, label in zip(countings, frames.labels.tolist(), strict=True)]
    follows = np.zeros(frames.count, bool)
    joined = np.zeros(frames.count, bool)
    for i in range(1, frames.count):
        length_s = FRAME_BITS * frames.bit_s[i - 1]
        joined[i] = abs(frames.at_s[i] - frames.at_s[i - 1] - length_s) < 0.02 * length_s
        # Midnight is an instant like any other.
        one_on = (numbers[i] - numbers[i - 1]) % countings[i].day_frames == 1
        follows[i] = joined[i] and one_on and frames.drop[i] == frames.drop[i - 1]
    firsts = np.flatnonzero(~follows)
    return tuple(
        _run(frames, int(first), int(end), count, channel)
        for first, end in zip(firsts, [*firsts[1:], frames.count], strict=True)
        if end - first > 1 or joined[first] or (end < frames.count and joined[end])
    )


def _labels_a_second(frames: _Frames) -> int:
    """24, 25 or 30: by the highest frame number where a second's end was seen, else by the length of frames."""
    by_length = 1 / (FRAME_BITS * float(np.median(frames.bit_s)))
    nearest = min((24, 25, 30), key=lambda one: abs(by_length / one - 1))
    wraps = np.flatnonzero((frames.labels[1:, 3] == 0) & (frames.labels[:-1, 3] > 0))
    seen = {int(frames.labels[i, 3]) + 1 for i in wraps}
    possible = [one for one in seen if one in (24, 25, 30) and abs(by_length / one - 1) < 0.1]
    return possible[0] if len(possible) == 1 else nearest


def _run(frames: _Frames, first: int, end: int, count: int, channel: int) -> TimecodeRun:
    at_s = frames.at_s[first:end]
    drop = bool(np.median(frames.drop[first:end]) > 0.5)
    if at_s.size > 2:
        step_s = float(np.polyfit(np.arange(at_s.size), at_s, 1)[0])
    else:
        step_s = FRAME_BITS * float(frames.bit_s[first:end].mean())
    rate = _rate(count, drop, step_s)
    hours, minutes, seconds, number = frames.labels[first].tolist()
    speed = float(1 / (float(rate) * step_s))
    return TimecodeRun(channel, rate, drop, (hours, minutes, seconds, number), float(at_s[0]), int(at_s.size), speed)


def _rate(count: int, drop_frame: bool, step_s: float) -> Fraction:
    if drop_frame and count == 30:
        return Fraction(30000, 1001)
    rates = [Fraction(count)] if count == 25 else [Fraction(count * 1000, 1001), Fraction(count)]
    return min(rates, key=lambda one: abs(step_s * float(one) - 1))
