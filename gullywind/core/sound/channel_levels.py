"""How loud each channel of a file is along its length: enough to see which of them hold what. dBFS."""

import numpy as np
import numpy.typing as npt

from gullywind.core.sound.views import SampleSource

#: So many looks of this length, s, spread evenly.
LOOKS_ALONG, ALONG_LOOK_S = 32, 0.4
#: Nothing is told below.
LOWEST_DBFS = -96.0


def levels_along(source: SampleSource) -> npt.NDArray[np.float64]:
    """Root mean square of short looks, dBFS from LOWEST_DBFS up, shape (channels, looks); no looks of an empty file."""
    length = min(int(ALONG_LOOK_S * source.sample_rate_hz), source.samples)
    if length == 0:
        return np.zeros((source.channels, 0))
    starts = np.linspace(0, source.samples - length, LOOKS_ALONG).astype(int)
    power = [np.mean(source.read(int(s), int(s) + length).astype(np.float64) ** 2, axis=1) for s in starts]
    floor = 10 ** (LOWEST_DBFS / 10)
    return np.asarray(10 * np.log10(np.maximum(np.nan_to_num(np.stack(power, axis=1)), floor)))
