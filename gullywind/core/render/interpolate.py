"""Interpolates sound at evenly spaced positions: windowed sinc.

Method: 64-tap Kaiser-windowed sinc at exact (64-bit) positions (Smith and Gossett, "A flexible sampling-rate conversion
method", ICASSP 1984).
"""

from functools import lru_cache

import numpy as np

from gullywind.core.ground.units import Samples
from gullywind.core.native import kernels

TAPS = 64
#: Linear interpolation between neighbouring phases leaves -138 dB at 4096.
PHASES = 4096
#: Kaiser's beta for 120 dB; flat to 0.44 of the sample rate.
BETA = 12.3


def interpolate(sound: Samples, start: float, step: float, into: Samples) -> None:
    """Write `sound` at positions `start`, `start + step` and so on, in samples, into `into`, all channels alike.

    `sound` has shape (channels, samples), `into` (channels, n); every position needs TAPS / 2 samples of sound on
    either side. In single precision: what that adds lies 20 dB below what the kernel leaves.
    """
    kernels.interpolate(sound, start, step, _kernel_table(), into)


@lru_cache(maxsize=1)
def _kernel_table() -> Samples:
    """Shape (PHASES + 1, TAPS): the kernel at every phase in 0..1."""
    phase = np.arange(PHASES + 1)[:, None] / PHASES
    distance = np.arange(TAPS)[None, :] - (TAPS // 2 - 1) - phase
    inside = np.clip(1 - (distance / (TAPS / 2)) ** 2, 0, None)
    table = np.sinc(distance) * np.i0(BETA * np.sqrt(inside)) / np.i0(BETA)
    return np.asarray(table / table.sum(axis=1, keepdims=True), np.float32)
