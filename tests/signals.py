"""Seeded test signals with known truth; mono float64 at 48 kHz unless stated."""

import numpy as np
from scipy.signal import lfilter, oaconvolve

from material.arrays import ArraySound
from material.devices import clocked, room_response

RATE_HZ = 48000


def busy(seconds: float, seed: int = 1) -> np.ndarray:
    """Sound that changes like speech: coloured noise under a random envelope, never silent."""
    rng = np.random.default_rng(seed)
    n = int(seconds * RATE_HZ)
    envelope = np.repeat(rng.random(n // 2400 + 1) ** 3, 2400)[:n]
    return np.asarray(lfilter([1], [1, -0.85], rng.standard_normal(n) * envelope) * 0.05)


def in_room(sound: np.ndarray, seed: int, rt60_s: float = 0.4, direct_db: float = 6.0) -> np.ndarray:
    """The sound in a room; the direct sound is not delayed."""
    response = room_response(np.random.default_rng(seed), rt60_s, direct_db)
    return np.asarray(oaconvolve(sound, response)[: sound.size])


def with_noise(sound: np.ndarray, snr_db: float, seed: int) -> np.ndarray:
    """The sound with white noise at a ratio of overall powers, dB."""
    noise = np.random.default_rng(seed).standard_normal(sound.size)
    return np.asarray(sound + noise * np.sqrt(np.mean(sound**2)) * 10 ** (-snr_db / 20))


def source(sound: np.ndarray, rate_hz: int = RATE_HZ) -> ArraySound:
    """As the core reads it."""
    return ArraySound(sound, rate_hz)


__all__ = ["RATE_HZ", "ArraySound", "busy", "clocked", "in_room", "source", "with_noise"]
