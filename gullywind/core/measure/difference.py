"""What remains of the reference when a recording is taken from it: the best gain, and how much cancels."""

from dataclasses import dataclass

import numpy as np

from gullywind.core.ground.units import Samples

#: More than this no loudspeaker shows; copies would cancel without end.
MOST_CANCELLED_DB = 120.0


@dataclass(frozen=True, slots=True)
class Difference:
    """`gain`: what the recording is multiplied by before it is taken away; `cancelled_db`: how much softer what remains
    is than the reference. None where one of the two is silent.
    """

    gain: float
    cancelled_db: float


def measure_difference(reference: Samples, recording: Samples) -> Difference | None:
    """The gain of least squares, and what it leaves.

    Parameters
    ----------
    reference, recording : shape (channels, n), in step; one channel stands for all of the other's.
    """
    ours, theirs = (np.atleast_2d(one).astype(np.float64) for one in (reference, recording))
    ours, theirs = np.broadcast_arrays(ours, theirs)
    power, energy = float(np.sum(theirs**2)), float(np.sum(ours**2))
    if power <= 0 or energy <= 0:
        return None
    gain = float(np.sum(ours * theirs)) / power
    left = float(np.sum((ours - gain * theirs) ** 2))
    cancelled = 10 * np.log10(energy / max(left, energy * 10 ** (-MOST_CANCELLED_DB / 10)))
    return Difference(gain, float(cancelled))
