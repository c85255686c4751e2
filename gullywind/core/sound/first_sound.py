"""When a recording is first heard: the first moment well above what is there before anything happens. Times in s."""

import numpy as np

from gullywind.core.sound.views import SampleSource

#: Levels are taken over this long, and the beginning is told from finer ones.
LOOK_STEP_S, FINE_STEP_S = 0.01, 0.001
#: Sound is what rises this far above the quietest moments so far, dB, and is louder than this, dBFS.
ABOVE_QUIET_DB, LEAST_SOUND_DBFS = 15.0, -60.0
QUIET_PERCENT = 2
READ_S = 20.0


def first_sound_s(source: SampleSource) -> float | None:
    """The first sound in a recording, s from its start, to a millisecond; None where there is none.

    What sounds all along begins at its start.
    """
    step = max(1, round(LOOK_STEP_S * source.sample_rate_hz))
    fine = max(1, round(FINE_STEP_S * source.sample_rate_hz))
    block = round(READ_S * source.sample_rate_hz) // step * step
    quiet, sounds = np.inf, False
    for start in range(0, source.samples, block):
        sound = source.read(start, min(start + block, source.samples)).mean(axis=0)
        levels = _levels(sound, step)
        if levels.size == 0:
            return None
        quiet = min(quiet, float(np.percentile(levels, QUIET_PERCENT)))
        threshold = max(quiet * 10 ** (ABOVE_QUIET_DB / 10), 10 ** (LEAST_SOUND_DBFS / 10))
        sounds |= bool((levels > 10 ** (LEAST_SOUND_DBFS / 10)).any())
        loud = np.flatnonzero(levels > threshold)
        if loud.size:
            # The step before may hold the very beginning.
            first = max(0, int(loud[0]) - 1) * step
            near = _levels(sound[first : first + 3 * step], fine)
            return (start + first + int(np.argmax(near > threshold)) * fine) / source.sample_rate_hz
    return 0.0 if sounds else None


def _levels(sound: np.ndarray, step: int) -> np.ndarray:
    """Mean power of whole steps, shape (steps,)."""
    whole = sound.size // step * step
    return np.asarray(np.square(sound[:whole], dtype=np.float64).reshape(-1, step).mean(axis=1))
