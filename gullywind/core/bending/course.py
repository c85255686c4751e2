"""The course: for each moment of the reference where it is in the recording, to about a millisecond, and how sure.

Along the rough passage in a band, first at 20 ms, then at 5 ms: sums over all paths give a mean finer than the frames,
and its spread.
"""

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from gullywind.core.bending.likeness import Frames, Likeness
from gullywind.core.bending.passage import Passage
from gullywind.core.bending.slips import evened, without_slips
from gullywind.core.features.performance import FRAME_HOP_S
from gullywind.core.ground.units import Checkpoint, Floats, no_checkpoint
from gullywind.core.native import kernels

#: Frames taken together, half the band in such frames, and how much a squared distance weighs: neighbouring frames
#: share most of their sound, so it is less the finer they are. By the pairs of `passage`: half as sharp costs nothing,
#: twice as sharp lets noise in.
ROUGH, EVEN, FINE = (4, 20, 0.4), (4, 8, 0.4), (1, 40, 0.35)
#: What a step along one side alone counts against one along both: with 0.3 noise makes the course waver (95th
#: percentile 30 for 26 ms), with 0.02 that of recorded voices is 52 ms for 44.
ALONE = 0.08
#: Who plays the same notes keeps with the other but for moments, and a bow's or a pipe's wavering is no haste: where
#: pitches tell, such steps count less, down to this. With it 95 in 100 moments of bowed and blown notes are right to 38
#: ms for 43, and bows are found along plucked strings that were not.
ALONE_STEADY = 0.005
#: How far from 1 the slope of a first course is in the mean, of those who keep together and of those who do not, as
#: with notes that are held twice as long, or another tempo.
STEADY_SLOPE, FREE_SLOPE = 0.09, 0.16
#: Frames around the likeliest one over which the mean is taken.
REACH_FRAMES = 8


@dataclass(frozen=True, eq=False)
class Course:
    """Where each frame of the reference is in the recording.

    Attributes
    ----------
    t_ref, t_rec : shape (frames,), s; `t_rec` all but rising.
    spread_s : shape (frames,), s. Standard deviation of `t_rec` by all paths.
    distance : shape (frames,). Squared distance there over that of a chance pair; -1 outside the recording.
    """

    t_ref: Floats
    t_rec: Floats
    spread_s: Floats
    distance: Floats

    def at(self, t_ref: Floats) -> Floats:
        """Recording times in s, same shape as `t_ref`."""
        return np.interp(t_ref, self.t_ref, self.t_rec)


def follow_course(likeness: Likeness, passage: Passage, *, checkpoint: Checkpoint = no_checkpoint) -> Course:
    """Refine a rough passage; beyond its ends it goes on at the same speed."""
    frames = likeness.closely(passage.pitch_weight)
    rough = _along(frames, passage.t_ref, passage.t_rec, *ROUGH, ALONE)
    known = (rough.t_ref >= passage.t_ref[0]) & (rough.t_ref <= passage.t_ref[-1])
    alone = _alone_for(rough, known) if passage.pitch_weight else ALONE
    if alone < ALONE:
        rough = _along(frames, passage.t_ref, passage.t_rec, *ROUGH, alone)
    t_rec, distance = rough.t_rec, rough.distance
    for even in evened(passage.t_ref, passage.t_rec):
        near = _along(frames, passage.t_ref, even, *EVEN, alone)
        t_rec, distance = without_slips(ROUGH[0] * FRAME_HOP_S, known, t_rec, distance, near.t_rec, near.distance)
    checkpoint(0.5)
    fine = _along(frames, rough.t_ref, t_rec, *FINE, alone)
    checkpoint(1.0)
    return fine


def _alone_for(course: Course, known: npt.NDArray[np.bool_]) -> float:
    """What suits two that keep together as they do along a first course, where it is `known`."""
    slopes = np.diff(course.t_rec)[known[1:]] / (ROUGH[0] * FRAME_HOP_S)
    apart = float(np.abs(slopes - 1).mean()) if slopes.size else FREE_SLOPE
    share = float(np.clip((apart - STEADY_SLOPE) / (FREE_SLOPE - STEADY_SLOPE), 0, 1))
    return float(ALONE_STEADY * (ALONE / ALONE_STEADY) ** share)


def _along(frames: Frames, t_ref: Floats, t_rec: Floats, by: int, half: int, sharpness: float, alone: float) -> Course:
    """The course in a band along a rougher one."""
    pooled = frames.pooled(by)
    centre, hop_s = (by - 1) / 2 * FRAME_HOP_S, by * FRAME_HOP_S
    times = np.asarray(centre + np.arange(len(pooled.ours)) * hop_s, np.float64)
    middle = np.rint((_straight_on(times, t_ref, t_rec) - centre) / hop_s).astype(np.int64)
    starts = np.maximum.accumulate(middle - half)
    found = kernels.likely_course(
        pooled.ours, pooled.theirs, starts, 2 * half + 1, sharpness=sharpness, gap=alone, reach=REACH_FRAMES
    )
    distance = np.where(found[:, 2] < 0, -1.0, found[:, 2] / max(frames.chance(), 1e-9))
    return Course(times, found[:, 0] * hop_s + centre, found[:, 1] * hop_s, distance)


def _straight_on(times: Floats, t_ref: Floats, t_rec: Floats) -> Floats:
    """Linear between moments, and on at the same speed beyond them."""
    inside = np.interp(times, t_ref, t_rec)
    before, after = np.minimum(times - t_ref[0], 0), np.maximum(times - t_ref[-1], 0)
    return np.asarray(inside + before + after)
