"""Where between two pieces of a recording one offset gives way to the next, moment by moment. Times in s."""

import numpy as np

from gullywind.core.ground.units import Floats
from gullywind.core.measure.correlate import local_agreement
from gullywind.core.sound.views import Listening

CUT_STEP_S, CUT_WINDOW_S = 0.05, 0.2
#: Cuts whose sums of agreement differ by less than this, or by this share of their range, are equally good; a step of
#: sound is worth about 0.5.
EQUAL_CUT, EQUAL_SHARE = 0.3, 0.02
#: Both agree this well only with two copies of one sound.
TWICE = 0.3


def find_cut(
    reference: Listening,
    recording: Listening,
    rate: float,
    offsets_s: tuple[float, float],
    span_s: tuple[float, float],
) -> float:
    """Recording time, s, within a span, at which the first offset gives way to the second."""
    first_s, second_s = offsets_s
    low, high = max(span_s[0], 0.0), min(span_s[1], recording.duration_s)
    # A pause: both pieces meet in the recording. Too much: they meet in the reference, what lies between is dropped.
    dropped_s = max(0.0, first_s - second_s) * rate
    times = np.arange(low, min(high, recording.duration_s - dropped_s), CUT_STEP_S)
    if times.size < 3:
        return (low + high) / 2
    heard = [
        local_agreement(reference, recording, t_rec / rate + offset, t_rec, window_s=CUT_WINDOW_S)
        for offset, t_rec in ((first_s, times), (second_s, times + dropped_s))
    ]
    # One level for both: two copies of a block must weigh the same.
    level = float(np.median([loudness for _, loudness in heard])) + 1e-20
    first, second = (np.clip(agreement * loudness / level, -2, 2) for agreement, loudness in heard)
    gain = np.concatenate([[0.0], np.cumsum(first - second)])
    equal = _plateau(gain)
    # Where a block was written twice both copies are right: the first is kept. Within a silence the middle is as good a
    # guess as any, and a quiet place to join.
    twice = np.flatnonzero(np.minimum(first, second)[equal[0] : equal[1]] > TWICE)
    at = equal[0] + twice[-1] + 1 if dropped_s and twice.size else sum(equal) / 2
    return float(low + CUT_STEP_S * (at - 0.5))


def _plateau(gain: Floats) -> tuple[int, int]:
    """First and last step around the highest that are as good as it."""
    top = int(np.argmax(gain))
    worse = gain < gain[top] - max(EQUAL_CUT, EQUAL_SHARE * float(np.ptp(gain)))
    before, after = np.flatnonzero(worse[:top]), np.flatnonzero(worse[top:])
    return (int(before[-1]) + 1 if before.size else 0), (top + int(after[0]) - 1 if after.size else gain.size - 1)
