"""Loops of measurements that do not close: which of them to leave out, and between whom they contradict. Times in s.

Where A lies on the timeline and B on A, and B on the timeline as well, the two ways to B must meet. Where they do not,
one measurement of the loop is wrong. The one is left out without which most loops close; of several that would do, one
between two recordings before one with the timeline itself, and the less sure before the surer. What would lie elsewhere
had another of those been left out is placed no more: a person must say.

Two that share much and were found not to be alike contradict the ways to them just as well: a jingle that is played
twice makes recordings alike that are not of one moment, and nothing else of them agrees. Of a group that no more pairs
tie to all others than are so found across, those pairs are left out: it lies as others say, or a person must.
"""

from collections import defaultdict
from collections.abc import Callable, Collection, Sequence
from dataclasses import dataclass, replace

import numpy as np

from gullywind.core.ground.words import Note, seconds
from gullywind.core.judge.placing import Drawn, Known, draw_placings
from gullywind.core.maps.compose import through
from gullywind.core.maps.time_map import TimeMap
from gullywind.core.measure.evidence import Status, Way

#: Two recordings that share so much are mostly found to be alike if they are: where they were not, who says that they
#: share it may be wrong.
LEAST_MISSED_S = 10.0
#: Sound takes 30 ms for 10 m between two microphones: what is further apart is no way through air.
MOST_GAP_S = 0.05
#: Of two that contradict each other one is wrong.
EVEN_ODDS = 0.5
#: A cut with so much of the best one's worth is nearly as good.
NEARLY = 0.9
#: So many recordings change sides at most.
MOST_ROUNDS = 200
#: Timecode tells no more than a frame or two.
MOST_CODE_GAP_S = 0.12


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
    kept, left_out, doubtful = list(known), list[Contradiction](), set[str]()
    while True:
        drawn = draw_placings(timeline, kept)
        open_loops = _gaps(timeline, drawn, kept)
        if not open_loops:
            break
        worst, *others = _worst(timeline, drawn, kept, open_loops)
        after = draw_placings(timeline, _without(kept, worst))
        for other in others:
            doubtful |= _elsewhere(after, draw_placings(timeline, _without(kept, other)))
        kept = _without(kept, worst)
        # How far it is off by what is left.
        gap_s = _gap(timeline, after, worst)
        left_out.append(Contradiction(worst, max(open_loops.values(), key=abs) if gap_s is None else gap_s))
    lost = dict[str, Drawn]()
    while groups := _torn(timeline, _standing(drawn), kept):
        group = groups[0]
        # As good a cut might lie elsewhere.
        doubtful.update(*groups[1:])
        across = [one for one in _alike(timeline, _standing(drawn), kept) if len(one.contents & group) == 1]
        kept = [one for one in kept if one not in across]
        after = draw_placings(timeline, kept)
        gaps = {one: _gap(timeline, _standing(after), one) for one in across}
        left_out += [Contradiction(one, gap_s) for one, gap_s in gaps.items() if gap_s is not None]
        # What has no other place keeps this one, as a suggestion.
        lost |= {key: one for key, one in drawn.items() if one.time_map is not None}
        drawn = after
    doubtful |= {one.recording for one in kept if one.timeline == timeline and _missed(one, drawn, duration_s)}
    lost = {key: one for key, one in lost.items() if key not in drawn or drawn[key].time_map is None}
    drawn |= lost
    return drawn | {key: _in_doubt(drawn[key]) for key in (doubtful | lost.keys()) & drawn.keys()}, left_out


def _in_doubt(one: Drawn) -> Drawn:
    return replace(one, status=Status.UNSURE, confidence=min(one.confidence, EVEN_ODDS))


def _standing(drawn: dict[str, Drawn]) -> dict[str, Drawn]:
    """Those of which the place is sure."""
    return {key: one for key, one in drawn.items() if one.status is Status.PLACED}


def _torn(timeline: str, drawn: dict[str, Drawn], known: Sequence[Known]) -> list[set[str]]:
    """Groups that no more pairs tie to all others than were found not to be alike though they should be.

    First the one with fewest against those, then what may as well be wrong: groups elsewhere with hardly more, and who
    would do on either side. Empty where there are none.

    From what hangs by each recording on, recordings change sides as long as that leaves less between the two (after
    Kernighan and Lin, "An efficient heuristic procedure for partitioning graphs", 1970, with one free side).
    """
    weights = {one.contents: 1 for one in _alike(timeline, drawn, known)}
    missed = {one.contents: -1 for one in _misses(timeline, drawn, known)}
    edges: dict[str, list[tuple[str, int]]] = defaultdict(list)
    for pair, weight in (weights | missed).items():
        one, other = pair
        edges[one].append((other, weight))
        edges[other].append((one, weight))
    free = [key for key, one in drawn.items() if one.through and not one.way[-1].by_hand and edges[key]]

    def cost_of_moving(key: str, group: Collection[str]) -> int:
        return sum(weight if (other in group) == (key in group) else -weight for other, weight in edges[key])

    found = dict[frozenset[str], tuple[int, int]]()
    for seed in free if missed else ():
        group = {key for key in free if key == seed or seed in drawn[key].through}
        for _ in range(MOST_ROUNDS):
            costs = {key: cost_of_moving(key, group) for key in free}
            moved = min(costs, key=lambda key: costs[key])
            if costs[moved] >= 0:
                break
            group ^= {moved}
        between = [weight for key in group for other, weight in edges[key] if other not in group]
        if {1, -1} <= set(between) and sum(between) <= 0:
            found[frozenset(group)] = sum(between), len(group)
    if not found:
        return []
    best, *others = sorted(found, key=lambda group: found[group])
    near = [set(one) for one in others if found[one][0] <= NEARLY * found[best][0] and 2 * len(one & best) < len(one)]
    tied = {other for key in best for other, _ in edges[key]} - best
    return [set(best), *near, {key for key in tied & set(free) if cost_of_moving(key, best) == 0}]


def _alike(timeline: str, drawn: dict[str, Drawn], known: Sequence[Known]) -> list[Known]:
    """Measurements between two recordings that agree with where those lie."""
    found = []
    for one in known:
        # Of two copies of one content nothing follows.
        if one.timeline == one.recording:
            continue
        if one.status is Status.PLACED and not one.by_hand and timeline not in one.contents:
            gap_s = _gap(timeline, drawn, one)
            if gap_s is not None and abs(gap_s) <= MOST_GAP_S:
                found.append(one)
    return found


def _misses(timeline: str, drawn: dict[str, Drawn], known: Sequence[Known]) -> list[Known]:
    """Comparisons of two that share enough where they are placed, and were not found to be alike there."""
    alike = {one.contents for one in known if one.status is Status.PLACED}
    missed = []
    for one in known:
        if one.by_hand or one.way is Way.TIMECODE or timeline in one.contents or one.contents in alike:
            continue
        maps = [drawn[content].time_map for content in one.contents if content in drawn]
        placed = [time_map for time_map in maps if time_map is not None]
        gap_s = _gap(timeline, drawn, one)
        if len(placed) < 2 or (gap_s is not None and abs(gap_s) <= MOST_GAP_S):
            continue
        shared_s = min(one.end_ref_s_exclusive for one in placed) - max(one.start_ref_s for one in placed)
        if shared_s >= LEAST_MISSED_S:
            missed.append(one)
    return missed


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


def _without(known: Sequence[Known], one: Known) -> list[Known]:
    return [other for other in known if other is not one]


def _elsewhere(drawn: dict[str, Drawn], other: dict[str, Drawn]) -> set[str]:
    """What lies somewhere else, or nowhere, in the other."""
    found = set()
    for key, one in drawn.items():
        there = other.get(key)
        if one.time_map is None:
            continue
        if there is None or there.time_map is None or abs(one.time_map.offset_s - there.time_map.offset_s) > MOST_GAP_S:
            found.add(key)
    return found


def _gaps(timeline: str, drawn: dict[str, Drawn], known: Sequence[Known]) -> dict[Known, float]:
    """Measurements between two that are placed, and by how much they miss where those lie; small ones left out."""
    gaps = {}
    for one in known:
        if one.by_hand or one.status is not Status.PLACED:
            continue
        gap_s = _gap(timeline, drawn, one)
        if gap_s is not None and abs(gap_s) > (MOST_CODE_GAP_S if one.way is Way.TIMECODE else MOST_GAP_S):
            gaps[one] = gap_s
    return gaps


def _gap(timeline: str, drawn: dict[str, Drawn], one: Known) -> float | None:
    """How much later the recording lies by this measurement than where it is placed; None where that is not known."""
    there = drawn.get(one.recording)
    if one.time_map is None or there is None or there.time_map is None:
        return None
    if one.recording == timeline:
        return None
    base = drawn.get(one.timeline)
    by_this: TimeMap | None = one.time_map
    if one.timeline != timeline:
        if base is None or base.time_map is None:
            return None
        by_this = through(base.time_map, one.time_map)
    if by_this is None:
        return None
    # At its middle, or where it has one by both.
    t_rec = np.linspace(by_this.pieces[0].start[1], by_this.pieces[-1].end_exclusive[1], 9)
    late_s = by_this.to_reference(t_rec) - there.time_map.to_reference(t_rec)
    late_s = late_s[np.isfinite(late_s)]
    return float(np.median(late_s)) if late_s.size else None


def _worst(
    timeline: str, drawn: dict[str, Drawn], known: Sequence[Known], open_loops: dict[Known, float]
) -> list[Known]:
    """The measurement to leave out, and others that would do as well."""
    suspects = dict.fromkeys(open_loops)
    for one in open_loops:
        for content in (one.timeline, one.recording):
            if content in drawn:
                # Those of the way there, as they were told, not as they were turned.
                keys = {step.key for step in drawn[content].way}
                suspects |= dict.fromkeys(other for other in known if other.key in keys and not other.by_hand)

    def cost(suspect: Known) -> tuple[int, bool, float]:
        kept = _without(known, suspect)
        left = _gaps(timeline, draw_placings(timeline, kept), kept)
        return len(left), timeline in (suspect.timeline, suspect.recording), suspect.confidence

    ranked = sorted((cost(one), k, one) for k, one in enumerate(suspects))
    best = ranked[0][0][:2]
    return [one for worth, _, one in ranked if worth[:2] == best]
