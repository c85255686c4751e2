"""Recordings that overlap one another but not the reference: which pairs are worth a closer look.

The search that finds places tells by its height who may have heard the same; the full-rate check of the few best then
says whether they did.
"""

from collections.abc import Iterable, Sequence

from gullywind.core.align import PreparedReference
from gullywind.core.features.extract import Heard
from gullywind.core.places.search import search_offsets

#: Of strangers the best of all offsets reaches 4 to 6, of neighbours mostly more; the check decides.
LEAST_TIE_HEIGHT = 4.5
#: So many neighbours of a recording are looked at closely: two or three are enough to close a loop.
MOST_TIED = 6
#: And so many are searched: more than a hundred recordings must not cost the square of their number.
MOST_SEARCHED = 100


def likely_neighbours(own: PreparedReference, others: Iterable[tuple[str, Sequence[Heard]]]) -> list[str]:
    """Who may have heard the same as a recording, likeliest first, at most MOST_TIED.

    Parameters
    ----------
    own : the recording, prepared as a reference is.
    others : keys, and what was heard of each.
    """
    heights = []
    for key, heard in others:
        found = [
            float(search_offsets(index, one.features, most_places=1).heights.max(initial=0.0))
            for view, index in zip(own.heard, own.indices, strict=True)
            for one in heard
            if not one.silent and not view.silent
        ]
        heights.append((max(found, default=0.0), key))
    likely = sorted((one for one in heights if one[0] >= LEAST_TIE_HEIGHT), reverse=True)
    return [key for _, key in likely[:MOST_TIED]]
