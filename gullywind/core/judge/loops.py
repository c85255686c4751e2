"""Placings by what agrees (`consensus`), who is in doubt, and which measurements contradict. Times in s.

Where A lies on the timeline and B on A, and B on the timeline as well, the two ways to B must meet. Where they do not,
one measurement of the loop is wrong, and is named with the gap by which it misses the others. Who would do elsewhere as
well is unsure: a person must say.
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

from gullywind.core.ground.words import Note, seconds
from gullywind.core.judge.consensus import believe
from gullywind.core.judge.placing import Drawn, Known
from gullywind.core.judge.weighing import LEAST_MISSED_S, Timeline, most_gap_s
from gullywind.core.measure.evidence import Status

#: Of two that contradict each other one is wrong.
EVEN_ODDS = 0.5


@dataclass(frozen=True, eq=False)
class Contradiction:
    """A measurement that was left out, and by how much the way through it misses the others."""

    known: Known
    gap_s: float

    @property
    def contents(self) -> frozenset[str]:
        """Between whom it was measured."""
        return self.known.contents


def draw_consistently(
    timeline: str, duration_s: float, known: Sequence[Known]
) -> tuple[dict[str, Drawn], list[Contradiction]]:
    """Placings from measurements whose loops close, and what was left out for it.

    What was found through others to lie along the timeline, while compared with it nothing was alike there, is unsure:
    it may be noise, or a passage that comes again.

    Parameters
    ----------
    timeline, known : as for `draw_placings`.
    duration_s : length of the timeline.
    """
    along = Timeline(timeline)
    consensus = believe(along, known)
    drawn = consensus.drawn
    doubtful = consensus.doubtful | {
        one.recording for one in known if one.timeline == timeline and _missed(one, drawn, duration_s)
    }
    # What was let go and has no other place keeps the old one, as a suggestion.
    drawn = drawn | consensus.lost
    standing = {key: one for key, one in drawn.items() if one.status is Status.PLACED}
    gaps = {one: along.gap(standing, one) for one in known if one.status is Status.PLACED and not one.by_hand}
    left_out = [
        Contradiction(one, gap_s) for one, gap_s in gaps.items() if gap_s is not None and abs(gap_s) > most_gap_s(one)
    ]
    return drawn | {key: _in_doubt(drawn[key]) for key in (doubtful | consensus.lost.keys()) & drawn.keys()}, left_out


def _in_doubt(one: Drawn) -> Drawn:
    return replace(one, status=Status.UNSURE, confidence=min(one.confidence, EVEN_ODDS))


def _missed(one: Known, drawn: dict[str, Drawn], duration_s: float) -> bool:
    """Whether a comparison with the timeline found nothing where the recording is said to share its sound."""
    there = drawn.get(one.recording)
    if one.by_hand or one.status is Status.PLACED or there is None or not there.through or there.time_map is None:
        return False
    if one.time_map is not None and one.time_map.lies_at(there.time_map.offset_s):
        return False
    shared_s = sum(
        max(0.0, min(piece.end_exclusive[0], duration_s) - max(piece.start[0], 0.0)) for piece in there.time_map.pieces
    )
    return shared_s >= LEAST_MISSED_S


def contradiction_note(wrong: Contradiction, name: Callable[[str], str]) -> Note:
    """Between whom, and by how much; `name` tells what a content is called."""
    timeline, recording = (name(one) for one in wrong.contents)
    gap = f"{seconds(abs(wrong.gap_s))} {'later' if wrong.gap_s > 0 else 'earlier'}"
    words = f"{recording} sounds like {timeline} elsewhere: by that it would lie {gap} than by all others. Left out."
    return Note("contradiction", words)
