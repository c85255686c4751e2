"""A way of placing recordings: what speaks for and against it, and what may be laid elsewhere. Times in s."""

import math
from collections import defaultdict
from collections.abc import Collection, Iterator, Sequence
from dataclasses import dataclass

import numpy as np

from gullywind.core.ground.units import Floats
from gullywind.core.judge.placing import Drawn, Known, Steps, draw_placings
from gullywind.core.judge.witnesses import Word, heard_once
from gullywind.core.maps.time_map import TimeMap
from gullywind.core.measure.evidence import Way

#: Two recordings that share so much are mostly found to be alike if they are: where they were not, who says that they
#: share it may be wrong.
LEAST_MISSED_S = 10.0
#: Sound takes 30 ms for 10 m between two microphones: what is further apart is no way through air.
MOST_GAP_S = 0.05
#: Timecode tells no more than a frame or two.
MOST_CODE_GAP_S = 0.12
#: What is better by no more than this is as good. Confidences are no finer.
AS_GOOD = 0.1


@dataclass(frozen=True, eq=False)
class Move:
    """Recordings that hang together, laid so much later, s, or let go; and what is won by it."""

    group: frozenset[str]
    by_s: float | None
    won: float

    def leads_to(self, one: Known, gap_s: float) -> bool:
        """Whether by it a measurement with this gap agrees of which one side moves."""
        if self.by_s is None or len(one.contents & self.group) != 1:
            return False
        return abs(self.by_s - (gap_s if one.recording in self.group else -gap_s)) <= most_gap_s(one)


class Timeline:
    """A timeline, and what was drawn on it before: the same steps are drawn again and again."""

    def __init__(self, content: str) -> None:
        self.content = content
        self._steps = Steps()
        #: With what they were told of, so that it stays what it is.
        self._gaps: dict[tuple[int, int], tuple[float | None, Drawn, Drawn]] = {}

    def placings(self, known: Sequence[Known]) -> dict[str, Drawn]:
        """As `draw_placings`."""
        return draw_placings(self.content, known, self._steps)

    def gap(self, drawn: dict[str, Drawn], one: Known) -> float | None:
        """How much later a recording lies by a measurement than where it is placed, s; None where that is not known."""
        # Where the timeline itself was laid on another one, that is asked how much earlier it lies.
        turned = one.recording == self.content
        base, own = (one.recording, one.timeline) if turned else (one.timeline, one.recording)
        there, so_far = drawn.get(own), drawn.get(base)
        if one.time_map is None or own == self.content or there is None or there.time_map is None:
            return None
        if base != self.content and (so_far is None or so_far.time_map is None):
            return None
        by_this = self._steps.drawn(None if base == self.content else so_far, one, base)
        if by_this is None or by_this.time_map is None:
            return None
        key = id(by_this), id(there)
        if key not in self._gaps:
            self._gaps[key] = _later_s(by_this.time_map, there.time_map), by_this, there
        later_s = self._gaps[key][0]
        return -later_s if turned and later_s is not None else later_s


class State:
    """Placings, and what speaks for and against them."""

    def __init__(
        self,
        timeline: Timeline,
        believed: Sequence[Known],
        sure: Sequence[Known],
        missed: dict[frozenset[str], list[Known]],
    ) -> None:
        drawn = timeline.placings(believed)
        self.drawn = {key: one for key, one in drawn.items() if one.time_map is not None}
        self._timeline, self._sure, self._missed, self._believed = timeline, sure, missed, set(believed)
        self._gaps = {one: timeline.gap(self.drawn, one) for one in sure}
        maps = ((key, one.time_map) for key, one in self.drawn.items())
        self._spans_s = {key: (one.start_ref_s, one.end_ref_s_exclusive) for key, one in maps if one is not None}
        self._missed_of: dict[str, list[tuple[frozenset[str], list[Known]]]] = defaultdict(list)
        for pair, compared in missed.items():
            for key in pair:
                self._missed_of[key].append((pair, compared))
        self._links: dict[str, list[Known]] = defaultdict(list)
        for one, gap_s in self._gaps.items():
            if gap_s is not None:
                for key in one.contents:
                    self._links[key].append(one)

    def agrees(self, one: Known) -> bool:
        """Whether a measurement agrees with where the recordings lie."""
        gap_s = self._gaps[one]
        return gap_s is not None and abs(gap_s) <= most_gap_s(one)

    def is_barely_refuted(self, one: Known, moves: Sequence[Move], clearly: float) -> bool:
        """Whether a recording does not lie where a measurement has it, and not much more speaks for where it lies."""
        gap_s = self._gaps[one]
        if gap_s is None or self.agrees(one):
            return False
        back = [move.won for move in moves if move.leads_to(one, gap_s)]
        return max(back, default=-clearly) > -clearly

    def moves(self) -> Iterator[Move]:
        """What may be laid elsewhere, or let go."""
        for group in self._groups():
            across = self._across(group)
            now = self._worth(group, across, 0.0)
            if all(self.drawn[key].through for key in group):
                yield Move(group, None, -now)
            for by_s in self._elsewhere(group, across):
                yield Move(group, by_s, self._worth(group, across, by_s) - now)

    def _groups(self) -> Collection[frozenset[str]]:
        """Recordings that may hang together: each with those placed through it, and what that becomes while recordings
        change sides as long as that leaves less between the two.
        """
        free = [key for key, one in self.drawn.items() if not one.way[-1].by_hand]
        between = self._between()
        speaks_against = any(weight < 0 for some in between.values() for _, weight in some)
        found = dict[frozenset[str], None]()
        for seed in free:
            group = {key for key in free if key == seed or seed in self.drawn[key].through}
            found[frozenset(group)] = None
            if speaks_against:
                found[frozenset(self._tightened(group, free, between))] = None
        return found

    def _tightened(
        self, group: set[str], free: Sequence[str], between: dict[str, list[tuple[str, float]]]
    ) -> Collection[str]:
        # What lies between the two if that recording changes sides.
        costs = {
            key: sum(weight if (other in group) == (key in group) else -weight for other, weight in between[key])
            for key in free
            if self.drawn[key].through
        }
        for _ in range(len(costs)):
            moved = min(costs, key=lambda key: costs[key])
            if costs[moved] >= 0 or group == {moved}:
                break
            group = group ^ {moved}
            costs[moved] = -costs[moved]
            for other, weight in between[moved]:
                if other in costs:
                    costs[other] += 2 * weight if (other in group) == (moved in group) else -2 * weight
        return group

    def _between(self) -> dict[str, list[tuple[str, float]]]:
        """Of each recording what speaks for its place beside others', and what against it."""
        pairs = dict[frozenset[str], float]()
        for one in self._sure:
            if self.agrees(one):
                pairs[one.contents] = max(pairs.get(one.contents, 0.0), one.trust)
        for pair, compared in self._missed.items():
            ours, theirs = pair
            if pair <= self.drawn.keys() and self._is_missed(ours, theirs, compared, {ours}, 0.0):
                pairs[pair] = -1.0
        found: dict[str, list[tuple[str, float]]] = defaultdict(list)
        for pair, weight in pairs.items():
            ours, theirs = pair
            found[ours].append((theirs, weight))
            found[theirs].append((ours, weight))
        return found

    def _is_missed(self, key: str, other: str, compared: Sequence[Known], group: Collection[str], by_s: float) -> bool:
        """Whether two should sound alike, the first with its group so much later, and were not found to."""
        gaps = ((one, self._timeline.gap(self.drawn, one)) for one in compared)
        return self._should_be_alike(key, other, by_s) and not any(
            gap_s is not None and abs(self._after(one, gap_s, group, by_s)) <= MOST_GAP_S for one, gap_s in gaps
        )

    def believed_after(self, move: Move) -> list[Known]:
        """The measurements that agree once that is done."""

        def agrees(one: Known, gap_s: float | None) -> bool:
            if gap_s is None:
                return one in self._believed
            if len(one.contents & move.group) != 1:
                return self.agrees(one)
            return move.by_s is not None and abs(self._after(one, gap_s, move.group, move.by_s)) <= most_gap_s(one)

        return [one for one, gap_s in self._gaps.items() if agrees(one, gap_s)]

    def tied_again(self) -> list[Known] | None:
        """What is believed with one more measurement, by which some that were let go find a place; None: none do."""
        for one in self._sure:
            if len(one.contents & (self.drawn.keys() | {self._timeline.content})) != 1:
                continue
            more = State(self._timeline, [*self._believed, one], self._sure, self._missed)
            group = frozenset(more.drawn.keys() - self.drawn.keys())
            if group and more._worth(group, more._across(group), 0.0) > AS_GOOD:
                return [
                    other
                    for other, gap_s in more._gaps.items()
                    if (other in more._believed if gap_s is None else more.agrees(other))
                ]
        return None

    def _across(self, group: frozenset[str]) -> list[Known]:
        return [one for other in group for one in self._links[other] if len(one.contents & group) == 1]

    def _elsewhere(self, group: Collection[str], across: Sequence[Known]) -> list[float]:
        """By how much later, s, the group would lie by those that do not agree; each place once."""
        found = list[float]()
        for one in across:
            gap_s = self._gaps[one]
            if gap_s is None or self.agrees(one):
                continue
            by_s = gap_s if one.recording in group else -gap_s
            if all(abs(by_s - other) > MOST_GAP_S for other in found):
                found.append(by_s)
        return found

    def _after(self, one: Known, gap_s: float, group: Collection[str], by_s: float) -> float:
        """The gap of a measurement across the group's edge, s, if the group lay so much later."""
        return gap_s - by_s if one.recording in group else gap_s + by_s

    def _worth(self, group: frozenset[str], across: Sequence[Known], by_s: float) -> float:
        """What speaks for the group's place among the others, if it lay so much later."""
        trusts = dict[frozenset[str], float]()
        for one in across:
            gap_s = self._gaps[one]
            if gap_s is not None and abs(self._after(one, gap_s, group, by_s)) <= most_gap_s(one):
                trusts[one.contents] = max(trusts.get(one.contents, 0.0), one.trust)
        alike = [Word(trust, *self._shared_s(pair, group, by_s)) for pair, trust in trusts.items()]
        against = [
            Word(1.0, *self._shared_s(pair, group, by_s))
            for key in group
            for pair, compared in self._missed_of[key]
            for other in pair - {key}
            if other not in group and other in self.drawn and pair not in trusts
            if self._is_missed(key, other, compared, group, by_s)
        ]
        return heard_once(alike) - heard_once(against)

    def _should_be_alike(self, key: str, other: str, by_s: float) -> bool:
        start_s, end_s = self._shared_s((key, other), {key}, by_s)
        return end_s - start_s >= LEAST_MISSED_S

    def _shared_s(self, pair: Collection[str], group: Collection[str], by_s: float) -> tuple[float, float]:
        """From when to when two share the timeline, s, with the group so much later."""
        spans_s = []
        for key in pair:
            # The timeline itself begins at 0.
            start_s, end_s = self._spans_s.get(key, (0.0, math.inf))
            late_s = by_s if key in group else 0.0
            spans_s.append((start_s + late_s, end_s + late_s))
        return max(start for start, _ in spans_s), min(end for _, end in spans_s)


def most_gap_s(one: Known) -> float:
    """How far a measurement may miss and still agree, s."""
    return MOST_CODE_GAP_S if one.way is Way.TIMECODE else MOST_GAP_S


def _later_s(by_this: TimeMap, there: TimeMap) -> float | None:
    """How much later a recording lies by one map than by another, s, in the median of some of its moments."""
    t_rec = np.linspace(by_this.pieces[0].start[1], by_this.pieces[-1].end_exclusive[1], 9)
    late_s = by_this.to_reference(t_rec) - _run_on(there, t_rec)
    late_s = late_s[np.isfinite(late_s)]
    return float(np.median(late_s)) if late_s.size else None


def _run_on(time_map: TimeMap, t_rec: Floats) -> Floats:
    """Reference times, s; before the first piece and after the last one that goes on straight: of some only what both
    have heard has a place.
    """
    first, last = time_map.pieces[0], time_map.pieces[-1]
    inside = np.where(t_rec < first.start[1], first.reference_along(t_rec), time_map.to_reference(t_rec))
    return np.where(t_rec > last.end_exclusive[1], last.reference_along(t_rec), inside)
