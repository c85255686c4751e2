"""The judgement on places whose delay wanders, or that no single window shows: by a path through all. Times in s."""

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from gullywind.core.ground.units import SOUND_M_S, Checkpoint
from gullywind.core.ground.words import Note, milliseconds
from gullywind.core.judge.confidence import PART_QUALITY, PLACED_FROM
from gullywind.core.maps.time_map import Piece, TimeMap
from gullywind.core.measure.correlate import WindowLag
from gullywind.core.measure.evidence import NO_RIVAL, Alignment, Candidate, Status
from gullywind.core.measure.explained import explained_share
from gullywind.core.places.search import CoarsePlace
from gullywind.core.places.verify import starting_line, window_agrees
from gullywind.core.places.wandering import (
    COURSE_HOP_S,
    GLANCE_RATIO,
    LEAST_COURSE_WINDOWS,
    MOST_GAIN,
    Course,
    follow_course,
    glance_at_course,
    simplified,
)
from gullywind.core.places.weigh import Searched
from gullywind.core.sound.views import Listening

#: Of the search's places so many are glanced at, and so many of the hopeful followed.
MOST_GLANCES, MOST_FOLLOWS = 6, 3
#: If none of the first is hopeful, no other is: the search hears whatever wanders by some ms. What does not stand so
#: high, nor above the next, is a stranger's best.
FIRST_GLANCES = 2
LEAST_GLANCED_Z, STANDS_OUT = 5.0, 1.15
#: Paths of strangers gain up to 1.25 times what chance does, those of right places mostly 1.5 and more.
EVEN_RATIO, RATIO_STEEPNESS, MOST_COURSE_CONFIDENCE = 1.38, 14.0, 0.99
#: Below this nothing is told.
LEAST_RATIO = 1.3
#: Shorter paths prove nothing, s.
LEAST_COURSE_S = 5.0
#: A line that keeps this much of the gain is the truth, and what the path adds is noise.
STRAIGHT_SHARE = 0.8
#: Places nearer than this are one, s. A rival with this share of the gain must be led surely.
SAME_COURSE_S, RIVAL_GAIN = 0.1, 0.5
#: So many standard errors are a sure lead.
COURSE_LEAD = 3.0
#: Of a recording that is followed clearly, so much of the reference's sound is in it, and so many windows agree. Other
#: passages over the same chords and drums hold 0.3 to 0.45, and two thirds of their windows agree.
LEAST_EXPLAINED, LEAST_AGREEING = 0.5, 0.8
#: Neighbouring windows share half their sound, so that their gains count as fewer.
SHARED_WINDOWS = 1.4
#: Sound travels so far in a second, m.


@dataclass(frozen=True, eq=False)
class Followed:
    """A course with the views that it was followed in."""

    course: Course
    reference: Listening
    recording: Listening


def judge_courses(
    searched: Sequence[Searched], notes: tuple[Note, ...], checkpoint: Checkpoint
) -> tuple[Alignment, Followed] | None:
    """The place that a path through all windows speaks for; None where none beats chance."""
    followed = _follow(searched, checkpoint)
    if not followed:
        return None
    best = followed[0]
    course = best.course
    rivals = [one.course for one in followed[1:] if one.course.gain >= RIVAL_GAIN * course.gain]
    lead = min((_lead(course, one) for one in rivals), default=NO_RIVAL)
    confidence = MOST_COURSE_CONFIDENCE / (1 + float(np.exp(-RATIO_STEEPNESS * (course.ratio - EVEN_RATIO))))
    if lead < COURSE_LEAD:
        confidence = min(confidence, 0.5)
    placed = confidence >= PLACED_FROM and course.t_ref.size * COURSE_HOP_S >= LEAST_COURSE_S
    time_map = _map_of(course, best.recording)
    more = []
    if not _is_straight(course):
        distance = f"{course.wandered_s * SOUND_M_S:.1f}\u00a0m"
        told = f"Its delay wanders by up to {milliseconds(course.wandered_s * 1e3)}, as where a distance changes"
        more.append(Note("wandering", f"{told} by {distance}, or a tape runs unsteadily: the map follows it."))
    if course.polarity < 0:
        more.append(Note("inverted", "Recorded inverted against the reference: put right."))
    lines = [course.line, *(one.line for one in rivals)]
    gains = [course.gain, *(one.gain for one in rivals)]
    judged = Alignment(
        Status.PLACED if placed else Status.UNSURE,
        time_map,
        course.polarity,
        confidence,
        tuple(
            Candidate(line.offset_s, line.rate, round(gain / (MOST_GAIN * course.gains.size), 4))
            for line, gain in zip(lines, gains, strict=True)
        ),
        None,
        (*notes, *more),
        channels=(best.reference.channels, best.recording.channels),
    )
    return judged, best


def proved_course(
    judged: Alignment, followed: Followed, windows: Sequence[WindowLag], otherwise: Alignment
) -> Alignment:
    """What remains of the judgement once the sound was rendered along the course and measured again.

    `otherwise` is the judgement by windows on a line. Where windows are clear and the course is straight, it knows
    better: it tells copies apart. And where they are clear, most of the sound must be there, all along.
    """
    agreeing = [lag for lag in windows if window_agrees(lag)]
    quality = float(np.median([lag.quality for lag in windows])) if windows else 0.0
    if judged.status is not Status.PLACED:
        return judged if otherwise.status is Status.UNPLACED else otherwise
    if quality < PART_QUALITY:
        return judged
    if _is_straight(followed.course):
        return otherwise
    whole = explained_share(windows) >= LEAST_EXPLAINED and len(agreeing) >= LEAST_AGREEING * len(windows)
    if whole:
        return judged
    return otherwise if otherwise.status is Status.UNSURE else replace(judged, status=Status.UNSURE, confidence=0.5)


def _follow(searched: Sequence[Searched], checkpoint: Checkpoint) -> list[Followed]:
    """Courses at places of their own that beat chance, the one that gains most first."""
    glanced = []
    for one in searched:
        hopeful = 0
        for k, place in enumerate(_worth_a_glance(one.curve.places)):
            if k >= FIRST_GLANCES and not hopeful:
                break
            checkpoint(0.92)
            line = starting_line(place)
            ratio = glance_at_course(one.reference.view, one.recording.view, line)
            if ratio >= GLANCE_RATIO:
                glanced.append((ratio, line, one))
                hopeful += 1
    found: list[Followed] = []
    for _, line, one in sorted(glanced, key=lambda found: -found[0])[:MOST_FOLLOWS]:
        checkpoint(0.93)
        course = follow_course(one.reference.view, one.recording.view, line)
        if course is not None and course.ratio >= LEAST_RATIO:
            found.append(Followed(course, one.reference.view, one.recording.view))
    found.sort(key=lambda one: -one.course.gain)
    kept: list[Followed] = []
    for follow in found:
        apart = [abs(follow.course.line.offset_s - other.course.line.offset_s) > SAME_COURSE_S for other in kept]
        if all(apart):
            kept.append(follow)
    return kept


def _worth_a_glance(places: Sequence[CoarsePlace]) -> Sequence[CoarsePlace]:
    """The search's best, where it shows more than it does of strangers."""
    if not places or (places[0].z < LEAST_GLANCED_Z and len(places) > 1 and places[0].z < STANDS_OUT * places[1].z):
        return ()
    return places[:MOST_GLANCES]


def _lead(course: Course, rival: Course) -> float:
    """How surely windows gain more than those of a rival at the same moments of the recording, standard errors."""
    both = (course.t_rec >= rival.t_rec[0]) & (course.t_rec <= rival.t_rec[-1])
    if np.count_nonzero(both) < LEAST_COURSE_WINDOWS:
        # They hold different parts of the recording: nothing tells which of them is a copy.
        return 0.0
    ahead = course.gains[both] - np.interp(course.t_rec[both], rival.t_rec, rival.gains)
    error = float(ahead.std()) * SHARED_WINDOWS / np.sqrt(ahead.size) + 1e-3
    return float(np.clip(ahead.mean() / error, 0.0, NO_RIVAL))


def _is_straight(course: Course) -> bool:
    return course.straight >= STRAIGHT_SHARE


def _map_of(course: Course, recording: Listening) -> TimeMap:
    """The map of the whole recording along its course; straight on, as fast as the line, beyond what both heard."""
    duration_s, line = recording.duration_s, course.line
    if _is_straight(course):
        return TimeMap.placement(line.offset_s, line.rate, duration_s)
    kept = simplified(course.t_ref, course.t_rec)
    t_ref, t_rec = course.t_ref[kept], course.t_rec[kept]
    rising = np.concatenate([[True], (np.diff(t_rec) > 0) & (np.diff(t_ref) > 0)])
    t_ref, t_rec = t_ref[rising], t_rec[rising]
    inside = (t_rec > 1e-6) & (t_rec < duration_s - 1e-6)
    t_ref, t_rec = t_ref[inside], t_rec[inside]
    start = (t_ref[0] - t_rec[0] / line.rate, 0.0)
    end = (t_ref[-1] + (duration_s - t_rec[-1]) / line.rate, duration_s)
    knots = [start, *zip(t_ref.tolist(), t_rec.tolist(), strict=True), end]
    return TimeMap((Piece(tuple((float(ref), float(rec)) for ref, rec in knots)),))
