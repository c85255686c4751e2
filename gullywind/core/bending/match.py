"""Matches another performance of a part with the reference: where it lies, its ties, and how sure all that is."""

from dataclasses import dataclass, replace

import numpy as np
from scipy.special import expit

from gullywind.core.bending.course import Course, follow_course
from gullywind.core.bending.exact import exactly
from gullywind.core.bending.likeness import liken
from gullywind.core.bending.order import order_ratio
from gullywind.core.bending.passage import Passage, find_passage
from gullywind.core.bending.ties import FoundTies, find_ties
from gullywind.core.features.performance import FRAME_HOP_S, Performance
from gullywind.core.ground.units import Checkpoint, Floats, no_checkpoint
from gullywind.core.maps.ties import Tie
from gullywind.core.measure.evidence import Status

#: Probability that this is the same part, by logistic regression: constant, then weights of `Followed.features`; fitted
#: by the regression of `scripts.bending` on 370 pairs of the same part and 490 of different ones, 1 to 200 s long.
PLACING_WEIGHTS = (-1.62, 4.94, -3.37, 1.24, -2.95, 3.5, 1.27)
#: What stands no higher than this over the recording backwards is nothing, however evenly it runs: noise does. Of the
#: 370 pairs two were lower, and not sure; of the others a third.
LEAST_PASSAGE = 1.6
#: Surer matches are placed, less sure ones do not belong here.
PERFORMED_FROM, PERFORMED_BELOW = 0.6, 0.2
#: A course that runs this much faster or slower over a tenth of a second than it mostly does is no performance's.
UNEVEN_SLOPE, SLOPE_FRAMES = 1.6, 20
#: Of other parts a quarter of the course is uneven. A course that is evener speaks the more for the same part the
#: longer it is, but never enough alone: two tunes of one rhythm run evenly as well.
UNEVEN_BY_CHANCE, MOST_EVENNESS = 0.25, 1.7
#: Where ties would be right in fewer cases than this, bending does more harm than good, as of some bows against plucked
#: strings, and the timing is left alone: of 30 pairs with a bow or a pipe the three below it were worse by their 95th
#: percentile, two of them on average, none above.
MOSTLY_CERTAIN = 0.4
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

    @property
    def can_be_held(self) -> bool:
        """Whether its ties are right so often that to follow them does more good than harm."""
        return bool(self.ties) and float(np.mean([tie.certainty for tie in self.ties])) >= MOSTLY_CERTAIN


@dataclass(frozen=True, eq=False)
class Followed:
    """One performance followed along another; `features` tell the same part from another, see `PLACING_WEIGHTS`."""

    passage: Passage
    course: Course
    found: FoundTies
    features: Floats


def match_performances(
    reference: Performance, recording: Performance, *, checkpoint: Checkpoint = no_checkpoint
) -> Matched:
    """Find the passage, follow it, and choose ties.

    Returns
    -------
    Matched : `placed`, `unsure` or `unplaced`.
    """
    followed = follow_performance(reference, recording, checkpoint=checkpoint)
    matched = judge_performance(reference, recording, followed)
    checkpoint(1.0)
    return matched


def judge_performance(reference: Performance, recording: Performance, followed: Followed | None) -> Matched:
    """Whether it is the same part, and what can be held on to."""
    if followed is None:
        return Matched(Status.UNPLACED, 0.0, None, (), False)
    odds = PLACING_WEIGHTS[0] + followed.features @ np.array(PLACING_WEIGHTS[1:])
    sure = float(expit(odds)) if followed.passage.height >= LEAST_PASSAGE else 0.0
    ties, exact = exactly(reference, recording, followed.found.as_ties())
    sure = max(sure, 0.99) if exact else sure
    status = Status.PLACED if sure >= PERFORMED_FROM else Status.UNSURE if sure >= PERFORMED_BELOW else Status.UNPLACED
    matched = Matched(status, sure, _plain_place(followed.found, ties, followed.passage), ties, exact)
    if status is Status.PLACED and not matched.can_be_held:
        return replace(matched, status=Status.UNSURE)
    return matched


def follow_performance(
    reference: Performance, recording: Performance, *, checkpoint: Checkpoint = no_checkpoint
) -> Followed | None:
    """The passage, the course along it, its ties; None where nothing is alike."""
    if not (reference.sounding.any() and recording.sounding.any()):
        return None
    likeness = liken(reference, recording)
    passage = find_passage(likeness, checkpoint=lambda done: checkpoint(0.5 * done))
    if passage is None:
        return None
    course = follow_course(likeness, passage, checkpoint=lambda done: checkpoint(0.5 + 0.4 * done))
    order = order_ratio(likeness.weighted(passage.pitch_weight), passage)
    found = find_ties(reference, recording, course, passage.height)
    return Followed(passage, course, found, _placing_features(reference, recording, passage, course, order))


def _placing_features(
    reference: Performance, recording: Performance, passage: Passage, course: Course, order: float
) -> Floats:
    """What tells the same part from another: height, order, evenness; and how long it is, alone and with the last two:
    chance brings a longer part as high, but in no good order, nor as evenly. Each about -2..6.
    """
    within = (course.t_ref >= passage.t_ref[0]) & (course.t_ref <= passage.t_ref[-1]) & (course.distance >= 0)
    heard = within & reference.sounding
    # In pauses anything goes.
    frames = np.clip(np.rint(course.t_rec / FRAME_HOP_S).astype(np.int64), 0, recording.frames - 1)
    both = (heard & recording.sounding[frames])[:-SLOPE_FRAMES:SLOPE_FRAMES]
    steps = (course.t_rec[SLOPE_FRAMES:] - course.t_rec[:-SLOPE_FRAMES])[::SLOPE_FRAMES] / (SLOPE_FRAMES * FRAME_HOP_S)
    speeds = np.log(np.clip(steps, 0.05, 20.0))[both]
    # One who speaks faster throughout is not uneven.
    uneven = np.abs(speeds - np.median(speeds)) > np.log(UNEVEN_SLOPE) if speeds.size else np.ones(1)
    heard_s = max(float(heard.sum()) * FRAME_HOP_S, 0.5)
    even = _evenness(float(uneven.mean()), heard_s)
    height, long = np.log(max(passage.height, 0.5)), np.log(heard_s)
    return np.array([height, order, even, long, (1 - order) * long, even * long])


def _evenness(uneven: float, heard_s: float) -> float:
    """How much a share of uneven steps, over so many seconds, speaks for the same part: the signed root of the
    logarithm of its likelihood against that of other parts (Kullback and Leibler, Ann. Math. Stat. 22, 1951), one step
    a second.
    """
    share = np.clip(np.array([uneven, 1 - uneven]), 1e-3, 1.0)
    chance = np.array([UNEVEN_BY_CHANCE, 1 - UNEVEN_BY_CHANCE])
    root = float(np.sqrt(max(heard_s * float((share * np.log(share / chance)).sum()), 0.0)))
    return float(np.clip(root if uneven < UNEVEN_BY_CHANCE else -root, -MOST_EVENNESS, MOST_EVENNESS))


def _plain_place(found: FoundTies, ties: tuple[Tie, ...], passage: Passage) -> float:
    """Where the recording lies as a whole: the median of its differences, those of sure ties if there are some."""
    sure = [tie for tie in ties if tie.certainty >= PLACING_CERTAINTY] or list(ties)
    if not sure:
        return float(np.median(passage.t_ref - passage.t_rec))
    return float(np.median([tie.t_ref - tie.t_rec for tie in sure]))
