"""Cases of the accuracy gate: voices, instruments, rooms and noises of no other case. Nothing may be tuned on them.

Voices of other languages say made-up words; strings are bowed and bars are struck; rooms are trains of single echoes
that grow denser; what disturbs is other people or rain. Mono float64 at 48 kHz.
"""

from dataclasses import dataclass

import numpy as np
from scipy.signal import butter, lfilter, oaconvolve, sosfilt

from material.devices import RATE_HZ, clocked
from material.speech import say

LANGUAGES = ("de", "it", "pl", "sv", "fr-fr", "es", "fi", "nl")
SYLLABLES = ("ba", "lo", "mi", "tera", "kun", "so", "vel", "ri", "dano", "pe", "gul", "a", "fi", "moru", "sta", "ne")
#: What a bar of wood rings in, and for how long each part of it, s.
BAR_MODES = ((1.0, 0.5), (3.93, 0.16), (9.24, 0.06), (16.3, 0.03))
REFERENCE_S = 55.0
#: Hard enough that not all are found: a threshold that moves must show. Noise above the recording; below it; s.
CROWD_DB, SNR_DB, SHORT_SNR_DB, OVERLAP_S = 8.0, (14.0, 28.0), (2.0, 10.0), 7.0


@dataclass(frozen=True, eq=False)
class GateCase:
    """A pair with its truth: `t_rec = rate * (t_ref - offset_s)`; None for what does not belong."""

    kind: str
    reference: np.ndarray
    recording: np.ndarray
    rate_hz: int
    offset_s: float | None
    rate: float
    polarity: int


#: How many of each kind, and what each is.
KINDS = {"near": 18, "crowd": 12, "short": 8, "partly": 6, "header": 2, "same voice": 7, "same instrument": 7}
STRANGERS = ("same voice", "same instrument")


def gate_cases() -> list[tuple[str, int]]:
    """Kind and number of every case."""
    return [(kind, number) for kind, count in KINDS.items() for number in range(count)]


def gate_case(kind: str, number: int) -> GateCase:
    """One case from its kind and number."""
    rng = np.random.default_rng([number, sorted(KINDS).index(kind), 811])
    seed = int(rng.integers(1 << 30))
    spoken = kind == "same voice" or (kind != "same instrument" and number % 2 == 0)
    length_s = REFERENCE_S + 25
    event = other_talk(seed, 1, length_s) if spoken else other_music(seed, 1, length_s)
    reference = _in_room(event[: int(REFERENCE_S * RATE_HZ)], rng, strength=0.15)
    if kind in STRANGERS:
        event = other_talk(seed, 2, length_s) if spoken else other_music(seed, 2, length_s)
    duration_s = {"short": rng.uniform(4, 7), "partly": 40.0}.get(kind, rng.uniform(20, 35))
    offset_s = REFERENCE_S - OVERLAP_S if kind == "partly" else float(rng.uniform(0, REFERENCE_S - duration_s))
    rate = 1 + float(rng.uniform(-120, 120)) * 1e-6
    rate_hz = 44100 if number % 3 == 2 else RATE_HZ
    sound = _in_room(event, rng, strength=rng.uniform(0.2, 0.5))
    if kind == "crowd":
        crowd = (
            sum(other_talk(seed + 7 * k, 5 + k, length_s) for k in range(4)) if number % 2 else rain(rng, sound.size)
        )
        sound = sound + np.asarray(crowd)[: sound.size] * _level(sound) / _level(np.asarray(crowd)) * 10 ** (
            CROWD_DB / 20
        )
    else:
        sound = sound + rain(rng, sound.size) * _level(sound) * 10 ** (
            -rng.uniform(*(SHORT_SNR_DB if kind == "short" else SNR_DB)) / 20
        )
    polarity = -1 if number % 5 == 4 else 1
    if kind == "header":
        # Recorded at 44.1 kHz by a device whose files say 48.
        recording, rate, rate_hz = clocked(sound, offset_s, 1.0, duration_s, 44100), 44100 / 48000, 48000
    else:
        recording = clocked(sound, offset_s, rate, duration_s, rate_hz)
    recording = polarity * recording / np.abs(recording).max() * 0.7
    true_offset = None if kind in STRANGERS else offset_s
    return GateCase(kind, reference / np.abs(reference).max() * 0.7, recording, rate_hz, true_offset, rate, polarity)


def other_talk(seed: int, text: int, duration_s: float) -> np.ndarray:
    """One voice, a text of its own."""
    voice, words = np.random.default_rng([seed, 3]), np.random.default_rng([seed, 5, text])
    language, variant = str(voice.choice(LANGUAGES)), str(voice.choice(["m6", "f5", "klatt2", "klatt4"]))
    speed, pitch = int(voice.integers(130, 185)), int(voice.integers(20, 80))
    sound, at = np.zeros(int(duration_s * RATE_HZ)), 0
    while at < sound.size:
        count = int(words.integers(5, 14))
        made = ["".join(words.choice(SYLLABLES, int(words.integers(1, 4)))) for _ in range(count)]
        said = say(" ".join(made), voice=language, variant=variant, words_per_minute=speed, pitch=pitch)
        end = min(sound.size, at + said.size)
        sound[at:end] += said[: end - at] * words.uniform(0.6, 1.0)
        at = end + int(words.uniform(0.2, 0.9) * RATE_HZ)
    return sound


def other_music(seed: int, tune: int, duration_s: float) -> np.ndarray:
    """Bowed or struck, free in time; two tunes of one seed share the instrument, the scale and the pace."""
    instrument, notes = np.random.default_rng([seed, 13]), np.random.default_rng([seed, 17, tune])
    bowed, root, pace_s = instrument.random() < 0.5, instrument.uniform(130, 260), instrument.uniform(0.22, 0.5)
    scale = instrument.choice(12, 6, replace=False)
    sound, at_s = np.zeros(int((duration_s + 4) * RATE_HZ)), 0.1
    while at_s < duration_s:
        pitch_hz = root * 2 ** ((float(notes.choice(scale)) + 12 * float(notes.integers(0, 2))) / 12)
        length_s = pace_s * float(notes.choice([1, 1, 2, 3])) * notes.uniform(0.93, 1.07)
        part = _bow(notes, pitch_hz, length_s * 1.1) if bowed else _bar(notes, pitch_hz)
        first = int(at_s * RATE_HZ)
        sound[first : first + part.size] += part[: sound.size - first] * notes.uniform(0.5, 1.0)
        at_s += length_s
    return sound[: int(duration_s * RATE_HZ)]


def _bow(rng: np.random.Generator, pitch_hz: float, duration_s: float) -> np.ndarray:
    t = np.arange(int(duration_s * RATE_HZ)) / RATE_HZ
    vibrato = 1 + 0.004 * np.sin(2 * np.pi * rng.uniform(4.5, 6.5) * t + rng.uniform(0, 6)) * np.minimum(1, t / 0.2)
    phase = np.cumsum(pitch_hz * vibrato) / RATE_HZ + rng.uniform()
    tone = 2 * (phase % 1) - 1 + 0.08 * rng.standard_normal(t.size)
    body = sum(_ringing(tone, hz, 6.0) for hz in (290.0, 470.0, 1150.0, 2600.0))
    return np.asarray(body * np.minimum(1, t / 0.05) * np.minimum(1, (duration_s - t) / 0.06))


def _ringing(sound: np.ndarray, hz: float, quality: float) -> np.ndarray:
    """A resonance (Smith, Introduction to Digital Filters, 2007: two poles)."""
    radius = np.exp(-np.pi * hz / quality / RATE_HZ)
    poles = [1, -2 * radius * np.cos(2 * np.pi * hz / RATE_HZ), radius**2]
    return np.asarray(lfilter([1 - radius], poles, sound))


def _bar(rng: np.random.Generator, pitch_hz: float) -> np.ndarray:
    t = np.arange(int(1.2 * RATE_HZ)) / RATE_HZ
    hardness = rng.uniform(0.3, 1.0)
    parts = (
        hardness**i * np.sin(2 * np.pi * pitch_hz * ratio * t) * np.exp(-t / decay_s)
        for i, (ratio, decay_s) in enumerate(BAR_MODES)
        if pitch_hz * ratio < 16000
    )
    knock = rng.standard_normal(t.size) * np.exp(-t * 400) * 0.3
    return np.asarray(sum(parts) + knock)


def _in_room(sound: np.ndarray, rng: np.random.Generator, *, strength: float) -> np.ndarray:
    """Single echoes of either sign, ever denser and weaker, and a microphone with a tilt of its own."""
    response = np.zeros(int(0.35 * RATE_HZ))
    at_s = 0.004
    while at_s < 0.34:
        response[int(at_s * RATE_HZ)] += rng.choice([-1, 1]) * np.exp(-at_s / 0.08)
        at_s += rng.exponential(0.0007 + 0.002 * np.exp(-at_s / 0.03))
    response = sosfilt(butter(1, rng.uniform(2500, 6000), fs=RATE_HZ, output="sos"), response)
    response *= strength / np.sqrt((response**2).sum())
    response[0] += 1.0
    wet = oaconvolve(np.asarray(sound, np.float64), response)[: sound.size]
    tilt = rng.uniform(-0.35, 0.35)
    return np.asarray(lfilter([1.0, tilt], [1.0], wet))


def rain(rng: np.random.Generator, samples: int) -> np.ndarray:
    """Drops: noise in short bursts over a steady hiss; power 1."""
    drops = rng.standard_normal(samples) * (rng.random(samples) < 0.002)
    sound = sosfilt(butter(2, [700, 9000], "bandpass", fs=RATE_HZ, output="sos"), drops * 12)
    sound = sound + 0.4 * rng.standard_normal(samples)
    return np.asarray(sound / np.sqrt(np.mean(sound**2)))


def _level(sound: np.ndarray) -> float:
    """Root mean square of the louder half."""
    return float(np.sqrt(np.mean(np.sort(sound[::10] ** 2)[-sound[::10].size // 2 :])))
