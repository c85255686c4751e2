"""Multi-resolution peaks for drawing: minimum, maximum, RMS of the mono mix in bins of 256, 1024 ... samples."""

import numpy as np
import numpy.typing as npt

from gullywind.core.ground.units import Samples
from gullywind.core.native import kernels

#: Finer levels are cheap to make from the sound itself when they are asked for.
FINEST_BIN = 256
FACTOR = 4
LEVELS = 6
TILE_BINS = 1024
SCALE = 32767

#: shape (bins, 3), int16: minimum, maximum, RMS.
Peaks = npt.NDArray[np.int16]


class PeakBuilder:
    """Streams mono sound into the finest level."""

    def __init__(self) -> None:
        self._carry: Samples = np.zeros(0, np.float32)
        self._rows: list[Peaks] = []

    def push(self, mono: Samples) -> None:
        """Add samples, shape (samples,)."""
        mono = np.concatenate([self._carry, mono]) if self._carry.size else mono
        whole = mono.size - mono.size % FINEST_BIN
        if whole:
            self._rows.append(peaks_of(mono[:whole], FINEST_BIN))
        self._carry = mono[whole:].copy()

    def finish(self) -> list[Peaks]:
        """All levels, finest first; each a quarter of the one before."""
        if self._carry.size:
            self._rows.append(peaks_of(np.pad(self._carry, (0, FINEST_BIN - self._carry.size)), FINEST_BIN))
        levels = [np.concatenate(self._rows) if self._rows else np.zeros((0, 3), np.int16)]
        while len(levels) < LEVELS:
            levels.append(_coarser(levels[-1]))
        return levels


def peaks_of(mono: Samples, bin_samples: int) -> Peaks:
    """Peaks of sound whose length is a multiple of `bin_samples`; shape (bins, 3), int16."""
    rows = kernels.extremes(np.ascontiguousarray(mono), bin_samples)
    rows[:, 2] = np.sqrt(rows[:, 2] / bin_samples)
    return np.asarray(np.rint(np.clip(np.nan_to_num(rows), -1, 1) * SCALE), np.int16)


def _coarser(peaks: Peaks) -> Peaks:
    rest = -peaks.shape[0] % FACTOR
    groups = np.pad(peaks, ((0, rest), (0, 0)), mode="edge" if peaks.size else "constant").reshape(-1, FACTOR, 3)
    rows = np.empty((groups.shape[0], 3), np.int16)
    rows[:, 0], rows[:, 1] = groups[:, :, 0].min(axis=1), groups[:, :, 1].max(axis=1)
    rows[:, 2] = np.rint(np.sqrt(np.mean(groups[:, :, 2].astype(np.float32) ** 2, axis=1)))
    return rows
