"""Matches another performance of a part with the reference: where it lies, its ties, and how sure all that is."""

from dataclasses import dataclass

import numpy as np
from scipy.special import expit

from gullywind.core.bending.course import Course, follow_course
from gullywind.core.bending.exact import exactly
from gullywind.core.bending.passage import Passage, find_passage
from gullywind.core.bending.ties import FoundTies, find_ties
from gullywind.core.features.performance import FRAME_HOP_S, Performance
from gullywind.core.ground.units import Checkpoint, Floats, no_checkpoint
from gullywind.core.maps.ties import Tie
from gullywind.core.measure.evidence import Status

#: Probability that this is the same part, by logistic regression: constant, then weights of `placing_features`; fitted
#: by `scripts.bending` on pairs of the same part and of different ones.
PLACING_WEIGHTS = (-7.934, 4.318, -1.594, 5.882, -14.146, -0.779)
#: Surer matches are placed, less sure ones do not belong here.
PERFORMED_FROM, PERFORMED_BELOW = 0.6, 0.2
#: A course that runs faster or slower than this over a tenth of a second is no performance's.
UNEVEN_SLOPE, SLOPE_FRAMES = 1.6, 20
#: Where ties are right in fewer cases than this, bending does more harm than good, as of a bow against a plucked
#: string: its timing is left alone.
MOSTLY_CERTAIN = 0.68
#: A tie that counts for the plain place.
PLACING_CERTAINTY = 0.5


@dataclass(frozen=True, eq=False)
class Matched:
    """What is known of two performances of one part.

    Attributes
    ----------
    offset_s : s. Where the recording lies as a whole, at rate 1; None where there is nothing to place it by.
    ties : in order.
    exact : it is the same sound: its ties agree to the sample.
    """

    status: Status
    confidence: float
    offset_s: float | None
    ties: tuple[Tie, ...]
    exact: bool


def match_performances(
    reference: Performance, recording: Performance, *, checkpoint: Checkpoint = no_checkpoint
) -> Matched:
    """Find the passage, follow it, and choose ties.

    Returns
    -------
    Matched : `placed`, `unsure` or `unplaced`.
    """
    silent = not (reference.sounding.any() and recording.sounding.any())
    passage = None if silent else find_passage(reference, recording, checkpoint=lambda done: checkpoint(0.5 * done))
    if passage is None:
        return Matched(Status.UNPLACED, 0.0, None, (), False)
    course = follow_course(reference, recording, passage, checkpoint=lambda done: checkpoint(0.5 + 0.4 * done))
    found = find_ties(reference, recording, course, passage.height)
    weights = np.array(PLACING_WEIGHTS)
    sure = float(expit(weights[0] + placing_features(reference, recording, passage, course) @ weights[1:]))
    ties, exact = exactly(reference, recording, found.as_ties())
    sure = max(sure, 0.99) if exact else sure
    certain = float(np.mean([tie.certainty for tie in ties])) if ties else 0.0
    status = Status.PLACED if sure >= PERFORMED_FROM else Status.UNSURE if sure >= PERFORMED_BELOW else Status.UNPLACED
    if status is Status.PLACED and certain < MOSTLY_CERTAIN:
        status = Status.UNSURE
    checkpoint(1.0)
    return Matched(status, sure, _plain_place(found, ties, passage), ties, exact)


def placing_features(reference: Performance, recording: Performance, passage: Passage, course: Course) -> Floats:
    """What tells the same part from another: height, distance, share of either, unevenness, length; each about 0..4."""
    within = (course.t_ref >= passage.t_ref[0]) & (course.t_ref <= passage.t_ref[-1]) & (course.distance >= 0)
    heard = within & reference.sounding
    there = (recording.times_s >= passage.t_rec[0]) & (recording.times_s <= passage.t_rec[-1])
    shares = (
        heard.sum() / max(int(reference.sounding.sum()), 1),
        (there & recording.sounding).sum() / max(int(recording.sounding.sum()), 1),
    )
    steps = np.diff(course.t_rec[::SLOPE_FRAMES][: max(2, course.t_rec.size // SLOPE_FRAMES)]) / (
        SLOPE_FRAMES * FRAME_HOP_S
    )
    uneven = np.abs(np.log(np.clip(steps, 0.05, 20.0))) > np.log(UNEVEN_SLOPE)
    return np.array(
        [
            np.log(max(passage.height, 0.5)),
            float(course.distance[heard].mean()) if heard.any() else 1.5,
            max(shares),
            float(uneven.mean()) if uneven.size else 1.0,
            np.log(max(float(heard.sum()) * FRAME_HOP_S, 0.5)),
        ]
    )


def _plain_place(found: FoundTies, ties: tuple[Tie, ...], passage: Passage) -> float:
    """Where the recording lies as a whole: the median of its differences, those of sure ties if there are some."""
    sure = [tie for tie in ties if tie.certainty >= PLACING_CERTAINTY] or list(ties)
    if not sure:
        return float(np.median(passage.t_ref - passage.t_rec))
    return float(np.median([tie.t_ref - tie.t_rec for tie in sure]))
