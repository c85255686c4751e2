"""The judgement on another performance: its bent map as far as its editor wants, and what to know of it. Times in s."""

from collections.abc import Sequence
from itertools import pairwise

import numpy as np

from gullywind.core.bending.match import Matched
from gullywind.core.features.performance import FRAME_HOP_S, Performance
from gullywind.core.ground.words import Note, clock_time, seconds
from gullywind.core.maps.bending import Bend, bend
from gullywind.core.maps.ties import BendSettings, Levels
from gullywind.core.maps.time_map import TimeMap
from gullywind.core.measure.evidence import Alignment, Candidate, MovedTie, Status

#: A stretch without ties is told where it is this long and so much of it sounds, s.
TOLD_ALONE_S, TOLD_SOUNDING_S = 1.0, 0.5
#: Places that a sentence names.
MOST_NAMED = 4


def bent_alignment(
    reference: Performance, recording: Performance, matched: Matched, duration_s: float, settings: BendSettings
) -> Alignment:
    """What became of a performance.

    Parameters
    ----------
    duration_s : of the recording by its own clock.

    Returns
    -------
    Alignment : bent where it is placed; where a person must choose, at its plain place.
    """
    if matched.offset_s is None or matched.status is Status.UNPLACED:
        return Alignment(Status.UNPLACED, None, 1, matched.confidence, (), None, ())
    candidate = Candidate(matched.offset_s, 1.0, matched.confidence)
    if matched.status is Status.UNSURE:
        plain = TimeMap.placement(matched.offset_s, 1.0, duration_s)
        note = Note("left-alone", "Too little is alike to bend it: it lies where it fits best, its timing untouched.")
        return Alignment(Status.UNSURE, plain, 1, matched.confidence, (candidate,), None, (note,))
    made = bend(matched.ties, matched.offset_s, duration_s, settings, Levels(FRAME_HOP_S, recording.level_db))
    notes = (*_same_event(matched), *_left_alone(reference, matched, made), *_beyond_limit(matched, made, settings))
    ties = tuple(MovedTie(tie, moved) for tie, moved in zip(matched.ties, made.moved_s, strict=True))
    return Alignment(Status.PLACED, made.time_map, 1, matched.confidence, (candidate,), None, notes, ties=ties)


def _same_event(matched: Matched) -> tuple[Note, ...]:
    if not matched.exact:
        return ()
    return (Note("same-event", "Holds the very sound of the reference: it needs a place, and no bend."),)


def _left_alone(reference: Performance, matched: Matched, made: Bend) -> tuple[Note, ...]:
    """Passages that sound and have no tie that could be followed."""
    if not matched.ties:
        return (Note("left-alone", "Nothing in it can be held on to: its timing is untouched."),)
    followed = [
        tie.t_ref for tie, given_up in zip(matched.ties, made.given_up_s, strict=True) if not np.isnan(given_up)
    ]
    ends = [made.time_map.start_ref_s, *followed, made.time_map.end_ref_s_exclusive]
    alone = []
    for start, end in pairwise(ends):
        sounding = reference.sounding[max(0, int(start / FRAME_HOP_S)) : max(0, int(end / FRAME_HOP_S))]
        if end - start >= TOLD_ALONE_S and sounding.sum() * FRAME_HOP_S >= TOLD_SOUNDING_S:
            alone.append(f"{clock_time(max(start, 0.0))} to {clock_time(end)}")
    return (Note("left-alone", f"Left alone for want of evidence: {_named(alone)}."),) if alone else ()


def _beyond_limit(matched: Matched, made: Bend, settings: BendSettings) -> tuple[Note, ...]:
    """Where the limit keeps something from its tie, and where the performances do not correspond."""
    notes = []
    kept: list[float] = []
    for index, tie in enumerate(matched.ties):
        # One in each second is enough.
        if made.is_kept_back(index) and (not kept or tie.t_ref - kept[-1] >= 1.0):
            kept.append(tie.t_ref)
    if kept:
        where = _named([clock_time(at) for at in kept])
        words = f"Would have to be bent by more than {settings.limit * 100:.0f}\u00a0%: {where}."
        notes.append(Note("beyond-limit", words))
    longer = [f"{seconds(one.too_long_s)} at {clock_time(one.t_ref)}" for one in made.joints if one.too_long_s > 0]
    shorter = [f"{seconds(-one.too_long_s)} at {clock_time(one.t_ref)}" for one in made.joints if one.too_long_s < 0]
    if longer:
        notes.append(Note("beyond-limit", f"Too much to be squeezed, and left out: {_named(longer)}."))
    if shorter:
        notes.append(Note("beyond-limit", f"Too little to be stretched, and left open: {_named(shorter)}."))
    return tuple(notes)


def _named(places: Sequence[str]) -> str:
    """The first few, and how many more."""
    told = ", ".join(places[:MOST_NAMED])
    return f"{told} and {len(places) - MOST_NAMED} more" if len(places) > MOST_NAMED else told
