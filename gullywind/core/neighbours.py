"""Recordings that overlap one another but not the reference: which pairs are worth a closer look.

The search that finds places tells by its height who may have heard the same; the full-rate check of the few best then
says whether they did. Who hangs together, and has no way to the timeline, is looked at once more: with the likeliest of
all others. And where what is known says that two share enough, they are compared as well: where they are not
alike, something of what is known is wrong (`judge/loops`).
"""

from collections.abc import Iterable, Sequence

from gullywind.core.align import PreparedReference
from gullywind.core.features.extract import Heard
from gullywind.core.judge.placing import Known, draw_placings
from gullywind.core.judge.weighing import LEAST_MISSED_S
from gullywind.core.measure.evidence import Status
from gullywind.core.places.search import search_offsets

#: Of strangers the best of all offsets reaches 3.5 to 6, of neighbours mostly more, but of those that share nine
#: seconds of half a minute sometimes no more than 4; the check decides.
LEAST_TIE_HEIGHT = 3.8
#: Some recordings look like everybody's neighbours, at many offsets: the best offset is compared with this next one.
#: Of 207 pairs that share 8 s and more in six generated events the likeliest eight held 206; by height alone 204.
NEXT_BEST = 3
#: So many neighbours of a recording are looked at closely: two or three are enough to close a loop.
MOST_TIED = 8
#: And so many are searched: more than a hundred recordings must not cost the square of their number.
MOST_SEARCHED = 100


def likely_neighbours(
    own: PreparedReference, others: Iterable[tuple[str, Sequence[Heard]]], *, least_height: float = LEAST_TIE_HEIGHT
) -> list[str]:
    """Who may have heard the same as a recording, likeliest first, at most MOST_TIED.

    Parameters
    ----------
    own : the recording, prepared as a reference is.
    others : keys, and what was heard of each.
    least_height : of the search, in standard deviations; 0 where a link is missing and all is worth a look.
    """
    leads = []
    for key, heard in others:
        curves = [
            search_offsets(index, one.features, most_places=NEXT_BEST + 1)
            for view, index in zip(own.heard, own.indices, strict=True)
            for one in heard
            if not one.silent and not view.silent
        ]
        best = max(curves, key=lambda curve: float(curve.heights.max(initial=0.0)), default=None)
        if best is not None and best.places and float(best.heights.max(initial=0.0)) >= least_height:
            next_best = best.places[min(NEXT_BEST, len(best.places) - 1)]
            leads.append((best.places[0].z - next_best.z, key))
    return [key for _, key in sorted(leads, reverse=True)[:MOST_TIED]]


def said_to_share(own: str, own_s: float, known: Sequence[Known]) -> list[str]:
    """Who shares enough with a recording, by what is known of both, and was not compared with it; most first.

    Parameters
    ----------
    own, own_s : the recording, and its length, s.
    known : as for `draw_placings`; at most MOST_TIED are named.
    """
    compared = {content for one in known if own in one.contents for content in one.contents}
    shared_s = {
        content: min(drawn.time_map.end_ref_s_exclusive, own_s) - max(drawn.time_map.start_ref_s, 0.0)
        for content, drawn in draw_placings(own, known).items()
        if content not in compared and drawn.time_map is not None
    }
    enough = [content for content, seconds in shared_s.items() if seconds >= LEAST_MISSED_S]
    return sorted(enough, key=lambda content: -shared_s[content])[:MOST_TIED]


def cut_off_with(own: str, timeline: str, known: Sequence[Known]) -> frozenset[str]:
    """Whom a recording hangs together with, itself among them, where none of all these has a way to the timeline: one
    more link may lead there. Empty where one has, and where it hangs together with nobody: most who do are strangers.
    """
    links = [one.contents for one in known if one.status is Status.PLACED and one.time_map is not None]
    found = {own}
    while more := set[str]().union(*(link for link in links if link & found)) - found:
        found |= more
    return frozenset() if timeline in found or found == {own} else frozenset(found)
