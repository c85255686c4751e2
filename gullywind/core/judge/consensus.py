"""Which of many measurements to believe: those that agree on one place for each recording, and the fewest that do not.

Recordings are first placed by the surest way. What speaks for a way of placing them is what every two of them say that
agrees with it, less one for every two that should sound alike by it, were compared and were not found to be alike: a
jingle that is played twice makes recordings alike that are not of one moment, and nothing else of them agrees. What
several say of the same time counts little more than once (`witnesses`). A
recording, with all that hangs by it, is then laid where another measurement would have it, or let go, as long as that
leaves more (steepest ascent over cuts of the tree of ways, as in Kernighan and Lin, "An efficient heuristic procedure
for partitioning graphs", 1970). Times in s.
"""

from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass

from gullywind.core.judge.placing import Drawn, Known
from gullywind.core.judge.weighing import AS_GOOD, State, Timeline
from gullywind.core.measure.evidence import Status, Way

#: What was found on the timeline itself is surely wrong only where this much more speaks for another place: a pair.
CLEARLY = 1.0
#: So many recordings are laid elsewhere at most.
MOST_MOVES = 200


@dataclass(frozen=True, eq=False)
class Consensus:
    """What is believed.

    Attributes
    ----------
    drawn : every recording's placing by it.
    doubtful : recordings that would do elsewhere as well.
    lost : those that were let go and have no other place, as they lay before.
    """

    drawn: dict[str, Drawn]
    doubtful: set[str]
    lost: dict[str, Drawn]


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
        state = State(timeline, believed, sure, missed)
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
    doubtful |= {
        key
        for one in sure
        if timeline.content in one.contents and state.is_barely_refuted(one, moves, CLEARLY)
        for key in one.contents
    }
    for group, instead_of in instead:
        # Who was let go and lies elsewhere now leaves nothing to explain.
        doubtful |= set() if group <= placed else instead_of
    agreeing = [one for one in believed if state.agrees(one)]
    drawn = timeline.placings([*agreeing, *unsure])
    lost = {key: one for key, one in lost.items() if key not in drawn or drawn[key].time_map is None}
    return Consensus(drawn, doubtful & drawn.keys(), lost)


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
