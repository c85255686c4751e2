"""The one place where seconds, samples and frames meet."""

from collections.abc import Callable

import numpy as np
import numpy.typing as npt

Floats = npt.NDArray[np.float64]
Samples = npt.NDArray[np.float32]
#: How fast sound travels in air at 15 degrees Celsius, m/s.
SOUND_M_S = 340.0
#: `checkpoint(fraction_done)`: reports progress in 0..1 and may raise `Cancelled`.
Checkpoint = Callable[[float], None]


def no_checkpoint(fraction_done: float) -> None:
    """Report to nobody; for callers that neither show progress nor cancel."""


def to_samples(time_s: float, sample_rate_hz: float) -> int:
    """Nearest whole sample to a time in s."""
    return round(time_s * sample_rate_hz)


def to_seconds(samples: float, sample_rate_hz: float) -> float:
    """Time in s of a (possibly fractional) sample position."""
    return samples / sample_rate_hz


def to_fractional_samples(time_s: Floats, sample_rate_hz: int) -> Floats:
    """Exact sample positions, same shape as `time_s`."""
    return time_s * sample_rate_hz
