"""How much of the reference's sound a recording holds as well.

Music made of samples and loops has passages that share a drum or a bass line to the sample. Windows agree there to the
microsecond, yet what else plays is missing: of the reference's power only part is coherent with the recording. At the
right place noise and a room take something too, but least from what is loud, in the bands that carry the event.
"""

from collections.abc import Sequence

import numpy as np

from gullywind.core.measure.correlate import WindowLag


def explained_share(lags: Sequence[WindowLag]) -> float:
    """Share of the reference's power that is coherent with the recording, 0..1, in the better half of the bands.

    Louder windows count more, each band alike. Half of the bands, since microphones and codecs lack some, and noise
    covers some. Magnitude-squared coherence is the share of one signal's power that the other explains through a linear
    filter (Carter, Knapp and Nuttall, IEEE Trans. Audio Electroacoustics 21(4), 1973).

    Parameters
    ----------
    lags : windows of one reference, at least one.
    """
    power = np.array([lag.power for lag in lags]).sum(axis=0)
    coherent = np.array([lag.coherent for lag in lags]).sum(axis=0)
    shares = np.sort(np.clip(coherent / np.maximum(power, np.finfo(float).tiny), 0.0, 1.0))
    return float(shares[shares.size // 2 :].mean())
