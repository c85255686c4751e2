"""Linear timecode as a recorder hears it (SMPTE ST 12-1), with known truth. Mono float64, -1..1."""

from dataclasses import dataclass
from fractions import Fraction

import numpy as np
from scipy.signal import butter, sosfiltfilt

SYNC = (0, 0, 1, 1, 1, 1, 1, 1, 1, 1, 1, 1, 1, 1, 0, 1)
FRAME_BITS = 80


@dataclass(frozen=True)
class CodeSound:
    """How code is recorded: `speed` of the tape against the recorder, level in dBFS, noise below it in dB."""

    rate: Fraction = Fraction(25)
    drop_frame: bool = False
    sample_rate_hz: int = 48000
    speed: float = 1.0
    level_db: float = -12.0
    snr_db: float | None = None
    band_hz: float | None = None
    polarity: int = 1


def frame_bits(label: tuple[int, int, int, int], drop_frame: bool, user: int = 0) -> list[int]:
    """The 80 bits of a frame, first one first; `user` fills the user bits."""
    hours, minutes, seconds, frames = label
    bits = [0] * 64
    for value, at, width in (
        (frames % 10, 0, 4),
        (frames // 10, 8, 2),
        (seconds % 10, 16, 4),
        (seconds // 10, 24, 3),
        (minutes % 10, 32, 4),
        (minutes // 10, 40, 3),
        (hours % 10, 48, 4),
        (hours // 10, 56, 2),
    ):
        for k in range(width):
            bits[at + k] = value >> k & 1
    for group in range(8):
        for k in range(4):
            bits[4 + 8 * group + k] = user >> (4 * group + k) & 1
    bits[10] = int(drop_frame)
    return [*bits, *SYNC]


def code_sound(
    labels: list[tuple[int, int, int, int]], form: CodeSound, rng: np.random.Generator, *, begin_s: float = 0.0
) -> np.ndarray:
    """Frames one after the other; the first frame's first bit begins at `begin_s`, which may lie before the file."""
    bit_s = 1 / (float(form.rate) * form.speed * FRAME_BITS)
    bits = np.array([bit for label in labels for bit in frame_bits(label, form.drop_frame, 0x5A3C1E07)])
    starts_s = begin_s + np.arange(bits.size) * bit_s
    edges_s = np.sort(np.concatenate([starts_s, starts_s[bits == 1] + bit_s / 2]))
    end_s = begin_s + bits.size * bit_s
    # The area under the square wave, sampled and taken apart again: edges lie exactly between samples.
    oversampled = 8
    rate_hz = form.sample_rate_hz * oversampled
    t = np.arange(int(max(end_s, 0) * rate_hz)) / rate_hz
    wave = 1.0 - 2.0 * (np.searchsorted(edges_s, t, "right") % 2)
    wave[t < begin_s] = 0
    band_hz = min(form.band_hz or 0.45 * form.sample_rate_hz, 0.45 * form.sample_rate_hz)
    sound = sosfiltfilt(butter(4, band_hz, fs=rate_hz, output="sos"), wave)[::oversampled]
    sound = sound * form.polarity * 10 ** (form.level_db / 20)
    if form.snr_db is not None:
        sound = sound + rng.standard_normal(sound.size) * np.std(sound) * 10 ** (-form.snr_db / 20)
    return np.asarray(sound)
