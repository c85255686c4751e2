"""True peak in dBTP (ITU-R BS.1770-4, annex 2): the highest level between samples too, by four times oversampling."""

import numpy as np
import numpy.typing as npt
from scipy.signal import firwin

from gullywind.core.ground.units import Samples

OVERSAMPLING, PHASE_TAPS = 4, 24
#: Between samples the wave is looked at beside those that come near the highest so far: it rises little above them.
NEAR_PEAK = 0.5
#: So many samples are looked around at once.
PEAKS_AT_ONCE = 1 << 14
#: The filter's outputs from 7/8 of a sample before a sample to 7/8 after it end with these samples after it.
LAST_BEFORE, LAST_AFTER = PHASE_TAPS // 2 - 1, PHASE_TAPS // 2


class TruePeakMeter:
    """Takes blocks of shape (channels, n), float32; `finish` gives dBTP, None for silence."""

    def __init__(self) -> None:
        taps = OVERSAMPLING * firwin(OVERSAMPLING * PHASE_TAPS, 1 / OVERSAMPLING, window=("kaiser", 7.0))
        # One column a phase, for sound from the oldest sample on.
        self._phases = np.ascontiguousarray(taps.reshape(PHASE_TAPS, OVERSAMPLING)[::-1], np.float32)
        self._tail: Samples | None = None
        self._highest = 0.0

    def push(self, block: Samples) -> None:
        """Add sound."""
        tail = self._tail if self._tail is not None else np.zeros((block.shape[0], 2 * PHASE_TAPS), np.float32)
        joined = np.concatenate([tail, block], axis=1)
        self._tail = joined[:, -2 * PHASE_TAPS :]
        for channel in joined:
            self._look_along(channel)

    def _look_along(self, sound: Samples) -> None:
        # Of these the filter has all samples that it needs; the others come with the next block.
        level = np.abs(sound[PHASE_TAPS // 2 : -PHASE_TAPS // 2 - 1])
        if not level.size:
            return
        loudest = int(np.argmax(level))
        self._highest = max(self._highest, float(level[loudest]))
        self._look_around(sound, np.array([loudest]))
        near = np.flatnonzero(level > NEAR_PEAK * self._highest) if self._highest > 0 else np.zeros(0, np.intp)
        for first in range(0, near.size, PEAKS_AT_ONCE):
            self._look_around(sound, near[first : first + PEAKS_AT_ONCE])

    def _look_around(self, sound: Samples, at: npt.NDArray[np.intp]) -> None:
        """Between each of some samples, counted from the first that is looked at, and its neighbours."""
        windows = np.lib.stride_tricks.sliding_window_view(sound, PHASE_TAPS)
        for last in (LAST_BEFORE, LAST_AFTER):
            between = windows[at + PHASE_TAPS // 2 + last - PHASE_TAPS + 1] @ self._phases
            self._highest = max(self._highest, float(between.max()), -float(between.min()))

    def finish(self) -> float | None:
        """Highest level in dB of full scale."""
        if self._tail is not None:
            self.push(np.zeros((self._tail.shape[0], PHASE_TAPS), np.float32))
        return 20 * float(np.log10(self._highest)) if self._highest > 0 else None
