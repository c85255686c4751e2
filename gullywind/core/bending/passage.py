"""The passage that two performances have in common, roughly: 40 ms, whatever comes before and after it in either.

A local alignment of all against all, once by timbre and once with pitches besides. What it is worth is told by the same
sum against the recording backwards, which has the same sounds in an order that means nothing.
"""

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from gullywind.core.bending.likeness import Frames, Likeness
from gullywind.core.features.performance import FRAME_HOP_S
from gullywind.core.ground.units import Checkpoint, Floats, no_checkpoint
from gullywind.core.native import kernels

#: Frames that are taken together, so that one cell is 40 ms; more in long parts, whose cells would be too many.
POOLED_FRAMES, MOST_CELLS = 8, 24_000_000
#: Likeness is this share of a chance pair's squared distance, less the distance; a step along one side alone costs as
#: much. By 34 pairs of generated voices and instruments: with 0.45 half of the noisy voices were lost.
CHANCE_SHARE, GAP_SHARE = 0.6, 0.6
#: Pitches count so much beside timbre, or not at all: which of the two is told by what stands out more.
PITCH_WEIGHTS = (0.0, 1.5)


@dataclass(frozen=True, eq=False)
class Passage:
    """What two performances have in common.

    Attributes
    ----------
    t_ref, t_rec : shape (steps,), s, never falling.
    height : its sum of likeness over that against the recording backwards; about 1 by chance.
    pitch_weight : what pitches count.
    """

    t_ref: Floats
    t_rec: Floats
    height: float
    pitch_weight: float


def find_passage(likeness: Likeness, *, checkpoint: Checkpoint = no_checkpoint) -> Passage | None:
    """The passage by whichever features it stands out more; None where nothing is alike."""
    found = []
    for k, weight in enumerate(PITCH_WEIGHTS):
        one = _by(likeness.weighted(weight), weight)
        found += [one] if one else []
        checkpoint((k + 1) / len(PITCH_WEIGHTS))
    return max(found, key=lambda one: one.height, default=None)


def _by(frames: Frames, weight: float) -> Passage | None:
    by = POOLED_FRAMES
    while (len(frames.ours) // by) * (len(frames.theirs) // by) > MOST_CELLS:
        by *= 2
    pooled = frames.pooled(by)
    ours, theirs, chance = pooled.ours, pooled.theirs, pooled.chance()
    base, gap = chance * CHANCE_SHARE, chance * CHANCE_SHARE * GAP_SHARE
    if chance <= 0:
        return None
    path, total, backwards = kernels.common_passage_both_ways(ours, theirs, base, gap)
    if not len(path):
        return None
    centre = (by - 1) / 2
    t_ref, t_rec = _once_each(path).T
    return Passage(
        (t_ref * by + centre) * FRAME_HOP_S, (t_rec * by + centre) * FRAME_HOP_S, total / max(backwards, base), weight
    )


def _once_each(path: npt.NDArray[np.int64]) -> Floats:
    """Each element of the reference once, with the mean of what belongs to it."""
    rows, which, counts = np.unique(path[:, 0], return_inverse=True, return_counts=True)
    return np.stack([rows.astype(np.float64), np.bincount(which, path[:, 1]) / counts], axis=1)
