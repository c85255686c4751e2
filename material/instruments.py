"""More invented instruments: struck, bowed, blown, wooden. Mono float64 at 48 kHz."""

import numpy as np
from scipy.signal import butter, sosfilt

from material.devices import RATE_HZ


def struck(hz: float, duration_s: float) -> np.ndarray:
    """A struck string: slightly stretched partials that die away, the high ones first."""
    t = np.arange(int(duration_s * RATE_HZ)) / RATE_HZ
    partials = [(k * hz * np.sqrt(1 + 4e-4 * k * k), 1 / k) for k in range(1, 12)]
    tone = sum(level * np.sin(2 * np.pi * f * t) * np.exp(-t * (2.0 + f / 700)) for f, level in partials)
    return np.asarray(tone * np.minimum(1, t / 0.002) * np.minimum(1, (duration_s - t) / 0.05))


def bowed(rng: np.random.Generator, hz: float, duration_s: float) -> np.ndarray:
    """A bowed string: a slow start, vibrato, a body."""
    t = np.arange(int(max(duration_s, 0.12) * RATE_HZ)) / RATE_HZ
    wobble = 0.004 * np.sin(2 * np.pi * rng.uniform(4.5, 6.5) * t) * np.minimum(1, t / 0.2)
    phase = hz * (t + np.cumsum(wobble) / RATE_HZ)
    saw = 2 * (phase % 1) - 1
    body = sosfilt(butter(2, [180, 3500], "bandpass", fs=RATE_HZ, output="sos"), saw)
    attack = rng.uniform(0.06, 0.11)
    return np.asarray(
        (body + 0.02 * rng.standard_normal(t.size)) * np.minimum(1, t / attack) * np.minimum(1, (t[-1] - t) / 0.06)
    )


def reed(hz: float, duration_s: float) -> np.ndarray:
    """A reed organ: odd partials, an attack of 20 ms."""
    t = np.arange(int(max(duration_s, 0.08) * RATE_HZ)) / RATE_HZ
    tone = sum(np.sin(2 * np.pi * k * hz * t + k) / k**0.8 for k in (1, 2, 3, 5, 7, 9) if k * hz < 9000)
    return np.asarray(tone * np.minimum(1, t / 0.02) * np.minimum(1, (t[-1] - t) / 0.03))


def wood(rng: np.random.Generator, hz: float) -> np.ndarray:
    """A wooden bar: two partials that die away at once, and the mallet."""
    t = np.arange(int(0.5 * RATE_HZ)) / RATE_HZ
    tone = np.sin(2 * np.pi * hz * t) * np.exp(-t * 9) + 0.4 * np.sin(2 * np.pi * 3.93 * hz * t) * np.exp(-t * 25)
    return np.asarray(tone + 0.3 * rng.standard_normal(t.size) * np.exp(-t * 300))
