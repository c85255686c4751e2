"""Which of many measurements to believe: those that agree on one place for each recording, and the fewest that do not.

Recordings are first placed by the surest way. What speaks for a way of placing them is what every two of them say that
agrees with it, less one for every two that should sound alike by it, were compared and were not found to be alike: a
jingle that is played twice makes recordings alike that are not of one moment, and nothing else of them agrees. A
recording, with all that hangs by it, is then laid where another measurement would have it, or let go, as long as that
leaves more (steepest ascent over cuts of the tree of ways, as in Kernighan and Lin, "An efficient heuristic procedure
for partitioning graphs", 1970). Times in s.
"""

from collections import defaultdict
from collections.abc import Collection, Iterator, Sequence
from dataclasses import dataclass

import numpy as np

from gullywind.core.ground.units import Floats
from gullywind.core.judge.placing import Drawn, Known, Steps, draw_placings
from gullywind.core.maps.time_map import TimeMap
from gullywind.core.measure.evidence import Status, Way

#: Two recordings that share so much are mostly found to be alike if they are: where they were not, who says that they
#: share it may be wrong.
LEAST_MISSED_S = 10.0
#: Sound takes 30 ms for 10 m between two microphones: what is further apart is no way through air.
MOST_GAP_S = 0.05
#: Timecode tells no more than a frame or two.
MOST_CODE_GAP_S = 0.12
#: What is better by no more than this is as good. Confidences are no finer.
AS_GOOD = 0.1
#: So many recordings are laid elsewhere at most.
MOST_MOVES = 200


@dataclass(frozen=True, eq=False)
class Consensus:
    """What is believed.

    Attributes
    ----------
    drawn : every recording's placing by it.
    doubtful : recordings that would do elsewhere as well.
    lost : those that were let go, as they lay before.
    """

    drawn: dict[str, Drawn]
    doubtful: set[str]
    lost: dict[str, Drawn]


@dataclass(frozen=True, eq=False)
class _Move:
    """Recordings that hang together, laid so much later, s, or let go; and what is won by it."""

    group: frozenset[str]
    by_s: float | None
    won: float


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
        there = drawn.get(one.recording)
        if one.time_map is None or there is None or there.time_map is None or one.recording == self.content:
            return None
        base = drawn.get(one.timeline)
        if one.timeline != self.content and (base is None or base.time_map is None):
            return None
        by_this = self._steps.drawn(None if one.timeline == self.content else base, one, one.timeline)
        if by_this is None or by_this.time_map is None:
            return None
        key = id(by_this), id(there)
        if key not in self._gaps:
            self._gaps[key] = _later_s(by_this.time_map, there.time_map), by_this, there
        return self._gaps[key][0]


def believe(timeline: Timeline, known: Sequence[Known]) -> Consensus:
    """Choose what to believe of what is known; see `draw_placings`. What a person decided is believed."""
    decided = {one.recording: one for one in known if one.by_hand}
    counting = [one for one in known if decided.get(one.recording, one) is one]
    sure = [one for one in counting if one.status is Status.PLACED and one.timeline != one.recording]
    unsure = [one for one in counting if one.status is not Status.PLACED or one.timeline == one.recording]
    missed = _not_alike(timeline.content, counting)
    believed = list(sure)
    instead: list[tuple[frozenset[str], set[str]]] = []
    lost = dict[str, Drawn]()
    for _ in range(MOST_MOVES):
        state = _State(timeline, believed, sure, missed)
        moves = list(state.moves())
        best = max(moves, key=lambda move: move.won, default=None)
        if best is None or best.won < 0 or (best.by_s is not None and best.won <= AS_GOOD):
            tied = state.tied_again()
            if tied is None:
                break
            believed = tied
            continue
        if best.by_s is None:
            # Another may as well be let go.
            others = [one.group for one in moves if one.won >= best.won - AS_GOOD and not one.group & best.group]
            instead.append((best.group, set[str]().union(*others)))
            lost |= {key: state.drawn[key] for key in best.group}
        believed = state.believed_after(best)
    placed = state.drawn.keys()
    doubtful = {key for move in moves if move.by_s is not None and move.won >= -AS_GOOD for key in move.group}
    for group, instead_of in instead:
        # Who was let go and lies elsewhere now leaves nothing to explain.
        doubtful |= set() if group <= placed else instead_of
    agreeing = [one for one in believed if state.agrees(one)]
    drawn = timeline.placings([*agreeing, *unsure])
    return Consensus(drawn, doubtful & drawn.keys(), {key: one for key, one in lost.items() if key not in placed})


class _State:
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

    def moves(self) -> Iterator[_Move]:
        """What may be laid elsewhere, or let go."""
        for group in self._groups():
            across = self._across(group)
            now = self._worth(group, across, 0.0)
            if all(self.drawn[key].through for key in group):
                yield _Move(group, None, -now)
            for by_s in self._elsewhere(group, across):
                yield _Move(group, by_s, self._worth(group, across, by_s) - now)

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
            if pair <= self.drawn.keys() and self._is_missed(pair, compared):
                pairs[pair] = -1.0
        found: dict[str, list[tuple[str, float]]] = defaultdict(list)
        for pair, weight in pairs.items():
            ours, theirs = pair
            found[ours].append((theirs, weight))
            found[theirs].append((ours, weight))
        return found

    def _is_missed(self, pair: frozenset[str], compared: Sequence[Known]) -> bool:
        one, other = pair
        gaps = (self._timeline.gap(self.drawn, known) for known in compared)
        return self._should_be_alike(one, other, 0.0) and all(gap is None or abs(gap) > MOST_GAP_S for gap in gaps)

    def believed_after(self, move: _Move) -> list[Known]:
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
            more = _State(self._timeline, [*self._believed, one], self._sure, self._missed)
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
        alike = dict[frozenset[str], float]()
        for one in across:
            gap_s = self._gaps[one]
            if gap_s is not None and abs(self._after(one, gap_s, group, by_s)) <= most_gap_s(one):
                alike[one.contents] = max(alike.get(one.contents, 0.0), one.trust)
        against = 0
        for key in group:
            for pair, compared in self._missed_of[key]:
                (other,) = pair - {key}
                if other in group or other not in self.drawn or pair in alike:
                    continue
                against += self._should_be_alike(key, other, by_s) and not any(
                    gap_s is not None and abs(self._after(one, gap_s, group, by_s)) <= MOST_GAP_S
                    for one in compared
                    if (gap_s := self._timeline.gap(self.drawn, one)) is not None
                )
        return sum(alike.values()) - against

    def _should_be_alike(self, key: str, other: str, by_s: float) -> bool:
        (ours_s, ours_end_s), (theirs_s, theirs_end_s) = self._spans_s[key], self._spans_s[other]
        shared_s = min(ours_end_s + by_s, theirs_end_s) - max(ours_s + by_s, theirs_s)
        return shared_s >= LEAST_MISSED_S


def most_gap_s(one: Known) -> float:
    """How far a measurement may miss and still agree, s."""
    return MOST_CODE_GAP_S if one.way is Way.TIMECODE else MOST_GAP_S


def _not_alike(timeline: str, known: Sequence[Known]) -> dict[frozenset[str], list[Known]]:
    """Pairs of recordings that were compared by their sound and not surely found to be alike."""
    alike = {one.contents for one in known if one.status is Status.PLACED}
    found: dict[frozenset[str], list[Known]] = defaultdict(list)
    for one in known:
        if one.by_hand or one.way is Way.TIMECODE or timeline in one.contents or one.contents in alike:
            continue
        if len(one.contents) == 2:
            found[one.contents].append(one)
    return found


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
