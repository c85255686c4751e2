"""The moment of a recording that tells most between several places where it may lie. Times in s."""

from collections.abc import Sequence

import numpy as np

from gullywind.core.maps.time_map import TimeMap
from gullywind.core.measure.correlate import local_agreement
from gullywind.core.sound.views import Listening

#: Moments looked at are a second apart, or further where there are many; each is judged by so much sound around it, s.
LOOKED_EVERY_S, MOST_LOOKED, LOOKED_S = 1.0, 60, 0.6
#: Of what is that much softer than the loudest nobody hears a difference.
HEARD_SHARE = 0.1


def telling_moment(reference: Listening, recording: Listening, maps: Sequence[TimeMap]) -> float:
    """Where places differ most in how well the recording agrees with the reference, and loudly.

    Parameters
    ----------
    maps : the places, straight, one or more; those in which a moment lies outside the reference do not count there.

    Returns
    -------
    s, of the recording.
    """
    count = int(np.clip(recording.duration_s / LOOKED_EVERY_S, 1, MOST_LOOKED))
    t_rec = (np.arange(count) + 0.5) * recording.duration_s / count
    found, loud = np.full((len(maps), count), np.nan), np.zeros(count)
    for row, time_map in zip(found, maps, strict=True):
        t_ref = time_map.to_reference(t_rec * recording.speed)
        inside = np.isfinite(t_ref) & (t_ref > LOOKED_S) & (t_ref < reference.duration_s - LOOKED_S)
        if not inside.any():
            continue
        row[inside], level = local_agreement(reference, recording, t_ref[inside], t_rec[inside], window_s=LOOKED_S)
        loud[inside] = level
    known = np.isfinite(found)
    top = np.where(known, found, -1.0).max(axis=0)
    low = np.where(known, found, 1.0).min(axis=0)
    several = known.sum(axis=0) > 1
    apart = np.where(several, top - low, top)
    heard = loud >= HEARD_SHARE * loud.max(initial=0.0)
    return float(t_rec[int(np.argmax(np.where(heard & known.any(axis=0), apart, -2.0)))])
