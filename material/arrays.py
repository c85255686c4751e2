"""A sound source over an array, for tests and measurements."""

import numpy as np


class ArraySound:
    """Random access to samples in memory, shape (channels, samples) or (samples,)."""

    def __init__(self, sound: np.ndarray, sample_rate_hz: int) -> None:
        self._sound = np.atleast_2d(sound).astype(np.float32)
        self.sample_rate_hz = sample_rate_hz
        self.channels, self.samples = self._sound.shape

    def read(self, start: int, stop: int) -> np.ndarray:
        """Shape (channels, stop - start); zeros outside."""
        out = np.zeros((self.channels, stop - start), np.float32)
        low, high = max(start, 0), min(stop, self.samples)
        if high > low:
            out[:, low - start : high - start] = self._sound[:, low:high]
        return out
