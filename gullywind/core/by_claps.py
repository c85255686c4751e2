"""Places a recording by the sharp sounds that it and the reference hold. Times in s."""

from collections.abc import Sequence

from gullywind.core.features.extract import Heard
from gullywind.core.ground.words import Note, to_the_millisecond
from gullywind.core.judge.notes import drift_notes
from gullywind.core.maps.time_map import TimeMap
from gullywind.core.measure.evidence import Alignment, Candidate, Status, Way
from gullywind.core.places.clap_patterns import ClapMatch, match_claps

#: Claps of two recordings that agree so well are the same: of 200 pairs that were not, with as many claps at much the
#: same distances, none did.
SAME_QUALITY, SAME_AGREEMENT = 8.0, 0.33
SURELY_SAME_QUALITY, LIKELY_AGREEMENT = 15.0, 0.2
#: A pattern of the same claps that comes so easily by chance proves nothing more.
MOST_CHANCE = 0.2
#: So many claps at the same distances are no chance, whatever rooms did to their sound.
PATTERN_CLAPS, PATTERN_CHANCE = 3, 1e-4
#: Of 141 generated pairs that were placed so, none was wrong (`scripts/claps.py`).
SAME_CONFIDENCE, PATTERN_CONFIDENCE, SUGGESTED_CONFIDENCE = 0.99, 0.93, 0.4
#: One common clap is a suggestion where it agrees at least so well.
SUGGESTED_QUALITY = 10.0
#: A place that this share of the claps speak for as well is a rival.
RIVAL_CLAPS = 0.6
#: Offsets that are suggested.
MOST_SUGGESTED = 5


def align_by_claps(reference: Sequence[Heard], recording: Sequence[Heard]) -> Alignment | None:
    """The place that a pattern of sharp sounds gives a recording, or suggests; None where they say nothing."""
    found = [
        (match, one)
        for ref in reference
        for one in recording
        if not ref.silent and not one.silent
        for match in match_claps(ref.view, ref.claps, one.view, one.claps)
    ]
    told = [(match, one) for match, one in found if _is_told(match)]
    if not told:
        return None
    told.sort(key=lambda pair: (_is_sure(pair[0]), len(pair[0].pairs), pair[0].quality), reverse=True)
    best, heard = told[0]
    duration_s = heard.view.duration_s
    rivals = [match for match, _ in told[1:] if abs(match.line.offset_s - best.line.offset_s) > 0.01]
    # A rhythm fits again a bar later, but for the claps at its edge.
    rivalled = any(_is_sure(one) and len(one.pairs) >= RIVAL_CLAPS * len(best.pairs) for one in rivals)
    placed = _is_sure(best) and not rivalled
    confidence = SUGGESTED_CONFIDENCE
    if placed:
        confidence = SAME_CONFIDENCE if _are_same(best) else PATTERN_CONFIDENCE
    time_map = TimeMap.placement(best.line.offset_s, best.line.rate, duration_s)
    notes = [Note("by-claps", _words(best, placed=placed))]
    if placed and best.polarity < 0:
        notes.append(Note("inverted", "Recorded inverted against the reference: put right."))
    return Alignment(
        Status.PLACED if placed else Status.UNSURE,
        time_map,
        best.polarity if placed else 1,
        confidence,
        tuple(
            Candidate(one.line.offset_s, one.line.rate, round(max(min(one.agreement, 1.0), 0.0), 4))
            for one in (best, *rivals[: MOST_SUGGESTED - 1])
        ),
        None,
        (*notes, *(drift_notes(time_map, 1.0) if placed else ())),
        by=Way.CLAPS,
    )


def _are_same(match: ClapMatch) -> bool:
    alike = match.quality >= SAME_QUALITY and match.agreement >= SAME_AGREEMENT
    return alike or (match.quality >= SURELY_SAME_QUALITY and match.agreement >= LIKELY_AGREEMENT)


def _is_sure(match: ClapMatch) -> bool:
    """Whether a pattern places a recording."""
    if len(match.pairs) >= 2 and match.chance <= MOST_CHANCE and _are_same(match):
        return True
    return len(match.pairs) >= PATTERN_CLAPS and match.chance <= PATTERN_CHANCE


def _is_told(match: ClapMatch) -> bool:
    return _is_sure(match) or (match.quality >= SUGGESTED_QUALITY and _are_same(match))


def _words(match: ClapMatch, *, placed: bool) -> str:
    times = [to_the_millisecond(t_ref) for t_ref, _ in match.pairs]
    several = f"{', '.join(times[:-1])} and {times[-1]}" if len(times) > 1 else times[0]
    if len(times) > 4:
        several = f"{times[0]}, {times[1]} … {times[-1]}"
    if placed:
        return f"Placed by {len(times)} sharp sounds that both hold, in the reference at {several}."
    what = "One sharp sound" if len(times) == 1 else f"{len(times)} sharp sounds"
    return f"{what} may be the same in both, in the reference at {several}: listen to it."
