"""What anybody would try first to match two performances: the yardstick of `scripts.bending`."""

import numpy as np
from scipy.fft import dct
from scipy.spatial.distance import cdist

from gullywind.core.features.performance import FRAME_HOP_S, Performance
from gullywind.core.native.checks import path_back


def plain_path(reference: Performance, recording: Performance, t_rec: np.ndarray) -> np.ndarray:
    """Reference times by MFCC each 10 ms and dynamic time warping of the whole."""
    ours, theirs = (
        dct(one.bands_db[::2].astype(np.float64), norm="ortho", axis=1)[:, 1:14] for one in (reference, recording)
    )
    costs = cdist(ours, theirs)
    came = np.empty(costs.shape, np.uint8)
    before = np.concatenate([[0.0], np.full(costs.shape[1], np.inf)])
    for i, cost in enumerate(costs):
        least = np.minimum(before[:-1], before[1:])
        total = np.cumsum(cost)
        earlier = np.concatenate([[0.0], total[:-1]])
        here = np.minimum.accumulate(least - earlier) + total
        came[i] = np.where(here < least + cost - 1e-9, 3, np.where(before[1:] < before[:-1], 2, 1))
        before = np.concatenate([[np.inf], here])
    path = path_back(came, costs.shape[0] - 1, costs.shape[1] - 1)
    columns, at = np.unique(path[:, 1], return_index=True)
    return np.asarray(np.interp(t_rec, columns * 2 * FRAME_HOP_S, path[at, 0] * 2 * FRAME_HOP_S))
