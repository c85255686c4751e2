"""True peak in dBTP (ITU-R BS.1770-4, annex 2): the highest level between samples too, by four times oversampling."""

import numpy as np
from scipy.signal import firwin, upfirdn

from gullywind.core.ground.units import Samples

OVERSAMPLING, PHASE_TAPS = 4, 24
#: Sound is looked at between its samples where they come near the highest so far: the wave rises little above them.
CHUNK, NEAR_PEAK = 2048, 0.5


class TruePeakMeter:
    """Takes blocks of shape (channels, n), float32; `finish` gives dBTP, None for silence."""

    def __init__(self) -> None:
        taps = OVERSAMPLING * PHASE_TAPS
        self._filter = (OVERSAMPLING * firwin(taps, 1 / OVERSAMPLING, window=("kaiser", 7.0))).astype(np.float32)
        self._tail: Samples | None = None
        self._highest = 0.0

    def push(self, block: Samples) -> None:
        """Add sound."""
        tail = self._tail if self._tail is not None else np.zeros((block.shape[0], PHASE_TAPS), np.float32)
        joined = np.concatenate([tail, block], axis=1)
        self._tail = joined[:, -PHASE_TAPS:]
        self._highest = max(self._highest, float(np.abs(block).max(initial=0.0)))
        for first in range(0, joined.shape[1], CHUNK):
            chunk = joined[:, first : first + CHUNK + PHASE_TAPS]
            if float(np.abs(chunk).max(initial=0.0)) > NEAR_PEAK * self._highest:
                between = upfirdn(self._filter, chunk, up=OVERSAMPLING, axis=1)
                # What rings before the first and after the last sample of a chunk is not in the sound.
                edge = OVERSAMPLING * PHASE_TAPS // 2
                self._highest = max(self._highest, float(np.abs(between[:, edge:-edge]).max(initial=0.0)))

    def finish(self) -> float | None:
        """Highest level in dB of full scale."""
        return 20 * float(np.log10(self._highest)) if self._highest > 0 else None
