"""Invented music: plucked strings, a pipe, a hand drum, played or sequenced; mono float32 at 48 kHz."""

import numpy as np
from scipy.signal import lfilter

RATE_HZ = 48000
SCALES = [[0, 2, 4, 5, 7, 9, 11], [0, 2, 3, 5, 7, 8, 10], [0, 2, 4, 7, 9], [0, 3, 5, 7, 10]]


def pluck(rng: np.random.Generator, pitch_hz: float, duration_s: float, damping: float) -> np.ndarray:
    """One string (Karplus and Strong, Computer Music Journal 7(2), 1983)."""
    period = max(2, round(RATE_HZ / pitch_hz))
    excitation = np.zeros(int(duration_s * RATE_HZ))
    n = min(period, excitation.size)
    excitation[:n] = rng.uniform(-1, 1, n)
    feedback = np.zeros(period + 2)
    feedback[0], feedback[period], feedback[period + 1] = 1.0, -damping * 0.5, -damping * 0.5
    return np.asarray(lfilter([1.0], feedback, excitation)) * np.hanning(2 * excitation.size)[excitation.size :] ** 0.3


def pipe(rng: np.random.Generator, pitch_hz: float, duration_s: float) -> np.ndarray:
    """A breathy pipe with a slow start."""
    t = np.arange(int(duration_s * RATE_HZ)) / RATE_HZ
    wobble = 0.003 * np.sin(2 * np.pi * rng.uniform(4, 6) * t + rng.uniform(0, 6))
    phase = 2 * np.pi * pitch_hz * (t + np.cumsum(wobble) / RATE_HZ)
    tone = np.sin(phase) + 0.3 * np.sin(2 * phase) + 0.12 * np.sin(3 * phase) + 0.05 * rng.standard_normal(t.size)
    return np.asarray(tone * np.minimum(1, t / 0.06) * np.minimum(1, (duration_s - t) / 0.08))


def drum(rng: np.random.Generator, deep: bool) -> np.ndarray:
    """One stroke on a hand drum."""
    t = np.arange(int(0.25 * RATE_HZ)) / RATE_HZ
    tone = np.sin(2 * np.pi * (90 if deep else 240) * t * (1 + 0.5 * np.exp(-t * 40))) * np.exp(-t * 18)
    return np.asarray(tone + 0.4 * rng.standard_normal(t.size) * np.exp(-t * (60 if deep else 120)))


def piece(seed: int, duration_s: float, *, looped: bool | None = None) -> np.ndarray:
    """A piece of music; with `looped` every bar's drum is a sample-exact copy, and phrases repeat exactly."""
    rng = np.random.default_rng([seed, 23])
    looped = bool(rng.random() < 0.4) if looped is None else looped
    beat_s = 60 / rng.uniform(72, 140)
    scale, root = SCALES[int(rng.integers(len(SCALES)))], rng.uniform(110, 220)
    total = int(duration_s * RATE_HZ)
    sound = np.zeros(total + RATE_HZ * 4)

    def add(at_s: float, part: np.ndarray, level: float) -> None:
        at = int(at_s * RATE_HZ)
        if 0 <= at < total:
            end = min(sound.size, at + part.size)
            sound[at:end] += part[: end - at] * level

    def pitch(step: int) -> float:
        octave, degree = divmod(step, len(scale))
        return float(root * 2 ** (octave + scale[degree] / 12))

    phrases = []
    for _ in range(int(rng.integers(2, 5))):
        notes, at, step = [], 0.0, int(rng.integers(0, 9))
        while at < 16:
            length = float(rng.choice([0.5, 0.5, 1, 1, 1.5, 2]))
            step = int(np.clip(step + rng.integers(-3, 4), -2, 14))
            notes.append((at, step, length))
            at += length
        phrases.append(notes)
    strings = {}
    drums = {deep: drum(rng, deep) for deep in (True, False)}
    for bar16 in range(int(duration_s / (16 * beat_s)) + 1):
        notes = phrases[bar16 % len(phrases)]
        for beat, step, length in notes:
            if not looped and rng.random() < 0.25:
                step += int(rng.integers(-2, 3))
            late = 0.0 if looped else rng.normal(0, 0.012)
            key = (step, length)
            if looped and key not in strings:
                strings[key] = pluck(rng, pitch(step), length * beat_s + 0.5, 0.995)
            part = strings[key] if looped else pluck(rng, pitch(step), length * beat_s + 0.5, rng.uniform(0.985, 0.997))
            add((bar16 * 16 + beat) * beat_s + late, part, 0.3 if looped else rng.uniform(0.2, 0.4))
        for beat in range(16):
            deep = beat % 4 == 0
            part = drums[deep] if looped else drum(rng, deep)
            add((bar16 * 16 + beat) * beat_s + (0 if looped else rng.normal(0, 0.006)), part, 0.25)
        for _ in range(3):
            # A free melody on top, which no loop repeats.
            add(
                (bar16 * 16 + rng.uniform(0, 15)) * beat_s,
                pipe(rng, pitch(int(rng.integers(5, 14))), rng.uniform(0.6, 2.0)),
                0.12,
            )
    sound = sound[:total]
    return np.asarray(sound / max(np.abs(sound).max(), 1e-9) * 0.7, np.float32)


def layered(seed: int, duration_s: float) -> np.ndarray:
    """Sequenced music: drums, bass and chords are copies to the sample, bar by bar; what leads over them is new.

    Sections come again with other layers left out, so that any two passages share none, some or most of their sound.
    """
    rng = np.random.default_rng([seed, 29])
    beat = round(60 / rng.uniform(80, 140) * RATE_HZ)
    scale, root = SCALES[int(rng.integers(len(SCALES)))], rng.uniform(60, 110)
    total = int(duration_s * RATE_HZ)
    sound = np.zeros(total + RATE_HZ * 8)

    def add(into: np.ndarray, at: int, part: np.ndarray, level: float) -> None:
        here = into[at : at + part.size]
        here += part[: here.size] * level

    def pitch(step: int) -> float:
        octave, degree = divmod(step, len(scale))
        return float(root * 2 ** (octave + scale[degree] / 12))

    def layer(kind: str, bars: int) -> np.ndarray:
        """Some bars of one instrument, and a beat for what rings on."""
        part = np.zeros((bars * 4 + 2) * beat)
        if kind == "drums":
            strokes = {deep: drum(rng, deep) for deep in (True, False)}
            pattern = rng.random((4, 4)) < [[0.9, 0.2, 0.4, 0.2]]
            for bar in range(bars):
                for i in range(16):
                    if pattern[i // 4, i % 4]:
                        add(part, bar * 4 * beat + i * beat // 4, strokes[i % 4 == 0], 0.5)
        elif kind == "bass":
            for i in range(bars * 4):
                add(part, i * beat, pluck(rng, pitch(int(rng.integers(0, 5))), beat / RATE_HZ, 0.99), 0.6)
        else:
            for bar in range(bars):
                step = int(rng.integers(5, 9))
                for up in (0, 2, 4):
                    add(part, bar * 4 * beat, pipe(rng, pitch(step + up), 4 * beat / RATE_HZ), 0.12)
        return part

    sections = [{kind: layer(kind, 4) for kind in ("drums", "bass", "chords")} for _ in range(int(rng.integers(2, 4)))]
    at = 0
    while at < total:
        section = sections[int(rng.integers(len(sections)))]
        for _ in range(int(rng.integers(1, 4))):
            for kind, part in section.items():
                if rng.random() < 0.8:
                    add(sound, at, part, 1.0 if kind != "drums" else rng.uniform(0.5, 1.0))
            lead_level, here = rng.uniform(0.15, 0.5), 0.0
            while here < 16:
                length = float(rng.choice([0.5, 0.5, 1, 1, 2]))
                hz = pitch(int(rng.integers(8, 20)))
                note = pipe(rng, hz, length * beat / RATE_HZ) if rng.random() < 0.5 else pluck(rng, hz, 1.0, 0.993)
                add(sound, at + int(here * beat), note, lead_level)
                here += length
            at += 16 * beat
    sound = sound[:total]
    return np.asarray(sound / max(np.abs(sound).max(), 1e-9) * 0.7, np.float32)


def song(seed: int, duration_s: float) -> np.ndarray:
    """Verses and refrains of 12 to 25 s that come again to the sample, in an order that does not; in every other song
    something that never comes again plays softly over them.
    """
    rng = np.random.default_rng([seed, 41])
    parts = [piece(seed * 10 + k, float(rng.uniform(12, 25)), looped=bool(k % 2)) for k in range(4)]
    order = [0, 1, 0, 1, 2, 1, 3, 0, 1, 1, 2, 0, 3, 1, 1]
    sound = np.concatenate([parts[k] for k in order])
    while sound.size < duration_s * RATE_HZ:
        sound = np.concatenate([sound, sound])
    sound = sound[: int(duration_s * RATE_HZ)]
    if seed % 2:
        sound = sound + 0.3 * piece(seed * 10 + 9, duration_s, looped=False)[: sound.size]
    return np.asarray(sound)
