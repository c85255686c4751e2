"""Where the members of sets lie: one of them tells for all. Times in s."""

from collections.abc import Mapping, Sequence
from dataclasses import replace

from gullywind.core.ground.words import Note
from gullywind.core.judge.placing import Drawn, Known
from gullywind.core.maps.sets import Member, carried
from gullywind.core.maps.time_map import TimeMap
from gullywind.core.measure.evidence import Status, Way

#: Of the note on a recording that lies with its set.
SET_CODE = "with-its-set"


def with_sets(timeline: str, drawn: Mapping[str, Drawn], sets: Sequence[Mapping[str, Member]]) -> dict[str, Drawn]:
    """Placings in which every set lies as its surest member does.

    Where the timeline itself is a member its set lies with it. What was found of the others' polarity stays theirs.

    Parameters
    ----------
    sets : of each set its members, by their contents.
    """
    told = dict(drawn)
    for members in sets:
        leader = _leader(timeline, drawn, members)
        if leader is None:
            continue
        whole = TimeMap.placement(0.0, 1.0, members[leader].duration_s)
        lead = Drawn(Status.PLACED, whole, 1.0, 1, None, (), (), direct=False) if leader == timeline else drawn[leader]
        assert lead.time_map is not None
        for content, member in members.items():
            if content in (leader, timeline):
                continue
            time_map = carried(lead.time_map, members[leader], member)
            if time_map is None:
                continue
            own = drawn.get(content)
            heard = own is not None and own.status is Status.PLACED
            link = Known("", leader, content, lead.status, time_map, lead.confidence, way=Way.SET)
            told[content] = replace(
                lead,
                time_map=time_map,
                polarity=own.polarity if own is not None and heard else lead.polarity,
                way=(*lead.way, link),
                through=(*lead.through, leader),
                direct=False,
            )
    return told


def set_note(name: str) -> Note:
    """Whom a recording lies with."""
    return Note(SET_CODE, f"Lies with {name}, of the same set.")


def _leader(timeline: str, drawn: Mapping[str, Drawn], members: Mapping[str, Member]) -> str | None:
    """Who tells for all: the timeline, else the surest that has a place; of equals the first."""
    if timeline in members:
        return timeline
    placed = [
        (one.status is Status.PLACED, _by_hand(one), one.confidence, key)
        for key, one in drawn.items()
        if key in members and one.time_map is not None
    ]
    return max(placed, key=lambda one: one[:3])[3] if placed else None


def _by_hand(one: Drawn) -> bool:
    return bool(one.way) and one.way[-1].by_hand
