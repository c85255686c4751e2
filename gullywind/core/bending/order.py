"""Whether two performances have their sounds in the same order: how much nearer they come than shuffled ones.

The recording is aligned with the reference at 80 ms, and so is the recording cut into pieces of some words or notes
that are put in another order. Both have the same sounds, rooms and noise: what is left is what belongs together.
"""

import numpy as np

from gullywind.core.bending.likeness import Frames
from gullywind.core.bending.passage import CHANCE_SHARE, GAP_SHARE, MOST_CELLS, Passage
from gullywind.core.features.performance import FRAME_HOP_S
from gullywind.core.native import kernels

#: Frames that are taken together; more in long parts.
ORDER_FRAMES = 16
#: Nearly all of both is aligned: a pair counts against the sum where it is less alike than this share of chance.
ALIGNED_SHARE = 1.2
#: Pieces of the shuffled recordings, s, and how many of those: three waver more than six.
SHUFFLED_S, SHUFFLINGS = 0.64, 4
#: Around the passage so much is looked at besides, s.
BESIDE_S = 1.0
#: In what is too short to be shuffled nothing is told.
NOTHING_TOLD = 1.0


def order_ratio(frames: Frames, passage: Passage) -> float:
    """Distance along the passage over that along shuffled recordings; 1 by chance, the smaller the surer.

    Parameters
    ----------
    frames : weighted as the passage is.
    """
    ours, theirs = (
        one[max(0, round((t[0] - BESIDE_S) / FRAME_HOP_S)) : round((t[-1] + BESIDE_S) / FRAME_HOP_S)]
        for one, t in ((frames.ours, passage.t_ref), (frames.theirs, passage.t_rec))
    )
    by = ORDER_FRAMES
    while (len(ours) // by) * (len(theirs) // by) > MOST_CELLS // 4:
        by *= 2
    there = Frames(ours, theirs).pooled(by)
    chance = there.chance()
    if len(there.theirs) * by * FRAME_HOP_S < 2 * SHUFFLED_S or chance <= 0:
        return NOTHING_TOLD
    rng = np.random.default_rng(1)
    pieces = np.array_split(np.arange(len(there.theirs)), round(len(there.theirs) * by * FRAME_HOP_S / SHUFFLED_S))
    orders = [np.concatenate([pieces[k] for k in rng.permutation(len(pieces))]) for _ in range(SHUFFLINGS)]
    shuffled = [_distance(Frames(there.ours, np.ascontiguousarray(there.theirs[order])), chance) for order in orders]
    return float(_distance(there, chance) / max(float(np.mean(shuffled)), 1e-9))


def _distance(frames: Frames, chance: float) -> float:
    """Mean squared distance along the best alignment, over chance."""
    path, _ = kernels.common_passage(
        frames.ours, frames.theirs, chance * ALIGNED_SHARE, chance * CHANCE_SHARE * GAP_SHARE
    )
    if not len(path):
        return NOTHING_TOLD
    return float(((frames.ours[path[:, 0]] - frames.theirs[path[:, 1]]) ** 2).sum(axis=1).mean() / chance)
