"""Places of a search weighed by the whole overlap, and which of them are worth a closer look. Times in s."""

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property

from gullywind.core.features.extract import Heard
from gullywind.core.ground.units import Checkpoint
from gullywind.core.measure.windows import Line
from gullywind.core.places.accumulate import GridSpectra, accumulate, recording_grid, reference_grid
from gullywind.core.places.search import CoarsePlace, MatchCurve, ReferenceIndex
from gullywind.core.places.verify import Weighed, starting_line
from gullywind.core.sound.views import Listening

#: Of strangers the best of all places reaches 6 to 9.4 in the sum over the whole overlap, of generated matches the
#: right one 11 and more: below the first of these nothing is looked at, below the second only so few places. A sum of
#: so few windows must stand higher.
LEAST_HEIGHT, SURE_HEIGHT, FEW_PLACES = 8.2, 9.5, 2
LEAST_WINDOWS, SPARSE_HEIGHT = 3, 10.5
#: Rivals below this share of the best are not looked at; nor, among copies, those below the other.
RIVAL_SHARE, COPY_SHARE = 0.45, 0.35
#: Windows of a recording that are added up: for all places, and for so many of the best.
FEW_WINDOWS, MOST_WEIGHED_WINDOWS, MOST_WHOLE = 10, 64, 6
#: So many places are weighed in one go: it is left sooner than a click is waited for.
WEIGHED_TOGETHER = 12
#: Of so many, where a few windows already say more than those of strangers do.
HOPEFUL_HEIGHT, MOST_HOPEFUL = 7.5, 32
#: Places nearer than this are one.
SAME_HOPE_S = 0.05


@dataclass(frozen=True, eq=False)
class Searched:
    """A search's result with the reference's index and the two views it was made of."""

    curve: MatchCurve
    index: ReferenceIndex
    reference: Heard
    recording: Heard

    @cached_property
    def grid(self) -> GridSpectra:
        """The recording's windows, made once however many places are weighed."""
        return recording_grid(self.recording.view, most_windows=MOST_WEIGHED_WINDOWS)


@dataclass(frozen=True, eq=False)
class Hopeful:
    """A weighed place, and of which pair of views."""

    place: Weighed
    reference: Listening
    recording: Listening


def weigh(
    searched: Sequence[Searched], places: Sequence[Sequence[CoarsePlace]], checkpoint: Checkpoint
) -> list[Hopeful]:
    """Places with what the whole overlap says of each, best first: few windows of all, then all windows of the best."""
    found: list[Hopeful] = []
    for one, some in zip(searched, places, strict=True):
        reference, recording = reference_grid(one.reference.view), one.grid
        lines = [(place, starting_line(place)) for place in some]
        first = _accumulated(reference, recording, lines, FEW_WINDOWS, checkpoint)
        if recording.count > FEW_WINDOWS and first:
            # Sums of few and of many windows do not compare: who is not looked at again is out.
            hopeful = first[0].height >= HOPEFUL_HEIGHT
            best = first[: MOST_HOPEFUL if hopeful else MOST_WHOLE]
            lines = [(one.coarse, one.line) for one in best]
            first = _accumulated(reference, recording, lines, MOST_WEIGHED_WINDOWS, checkpoint)
        found += [Hopeful(place, one.reference.view, one.recording.view) for place in first]
    return sorted(found, key=lambda one: -one.place.height)


def _accumulated(
    reference: GridSpectra,
    recording: GridSpectra,
    places: Sequence[tuple[CoarsePlace, Line]],
    most_windows: int,
    checkpoint: Checkpoint,
) -> list[Weighed]:
    weighed = []
    for first in range(0, len(places), WEIGHED_TOGETHER):
        checkpoint(0.4)
        some = places[first : first + WEIGHED_TOGETHER]
        added = accumulate(reference, recording, [line for _, line in some], most_windows=most_windows)
        weighed += [
            Weighed(coarse, found.line, found.height, found.windows)
            for (coarse, _), found in zip(some, added, strict=True)
            if found is not None
        ]
    return sorted(weighed, key=lambda one: -one.height)


def least_height(windows: int) -> float:
    """How far the sum of so many windows must stand above chance to be looked at."""
    return LEAST_HEIGHT if windows >= LEAST_WINDOWS else SPARSE_HEIGHT


def worthy(weighed: Sequence[Hopeful]) -> list[Hopeful]:
    """Those that come near the best in the sum, or in what each window says: a short overlap may agree throughout where
    a long one shares no more than its drums.
    """
    height = max(one.place.height for one in weighed)
    density = max(one.place.density for one in weighed)
    share = [(max(one.place.height / height, one.place.density / density), one) for one in weighed]
    return [one for worth, one in sorted(share, key=lambda pair: -pair[0]) if worth >= RIVAL_SHARE]


def apart(hopeful: Sequence[Hopeful]) -> list[Hopeful]:
    """Those that lie at a place of their own, best first."""
    kept: list[Hopeful] = []
    for one in hopeful:
        if all(abs(one.place.line.offset_s - other.place.line.offset_s) > SAME_HOPE_S for other in kept):
            kept.append(one)
    return kept
