"""True peak in dBTP (ITU-R BS.1770-4, annex 2): the highest level between samples too, by four times oversampling."""

import numpy as np
from scipy.signal import firwin

from gullywind.core.ground.units import Samples
from gullywind.core.native import kernels

OVERSAMPLING, PHASE_TAPS = 4, 24
#: Between samples the wave is looked at beside those that come near the highest so far: it rises little above them.
NEAR_PEAK = 0.5
#: So much sound is kept, so that what a filter lacks at the end of a block is looked at with the next one.
KEPT = 2 * PHASE_TAPS


class TruePeakMeter:
    """Takes blocks of shape (channels, n), float32; `finish` gives dBTP, None for silence."""

    def __init__(self) -> None:
        taps = OVERSAMPLING * firwin(OVERSAMPLING * PHASE_TAPS, 1 / OVERSAMPLING, window=("kaiser", 7.0))
        # One row a phase, for sound from the oldest sample on.
        self._phases = np.ascontiguousarray(taps.reshape(PHASE_TAPS, OVERSAMPLING)[::-1].T, np.float32)
        self._tail: Samples | None = None
        self._highest = 0.0

    def push(self, block: Samples) -> None:
        """Add sound."""
        tail = self._tail if self._tail is not None else np.zeros((block.shape[0], KEPT), np.float32)
        if block.shape[1] > KEPT:
            # Copied is only the seam: blocks are long.
            self._look_along(np.concatenate([tail, block[:, :KEPT]], axis=1))
            self._look_along(block)
            self._tail = block[:, -KEPT:].copy()
        else:
            joined = np.concatenate([tail, block], axis=1)
            self._look_along(joined)
            self._tail = joined[:, -KEPT:]

    def _look_along(self, sound: Samples) -> None:
        for channel in sound:
            self._highest = kernels.true_peak(
                np.ascontiguousarray(channel), self._phases, near=NEAR_PEAK, before=self._highest
            )

    def finish(self) -> float | None:
        """Highest level in dB of full scale."""
        if self._tail is not None:
            self.push(np.zeros((self._tail.shape[0], PHASE_TAPS), np.float32))
        return 20 * float(np.log10(self._highest)) if self._highest > 0 else None
