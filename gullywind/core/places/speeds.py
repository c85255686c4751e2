"""Recordings at a wrong speed: which of the known ones the features speak for."""

from dataclasses import replace

from gullywind.core.features.bands import at_half_rate, at_speed, every_other_band, middle_of
from gullywind.core.features.extract import Heard
from gullywind.core.ground.speeds import Speed, known_speeds
from gullywind.core.ground.words import Note
from gullywind.core.places.search import MatchCurve, ReferenceIndex, search_offsets

#: At the right speed so many places are weighed.
MOST_SPEED_PLACES = 8
#: Of strangers the best of all speeds reaches 4 to 6 standard deviations, the right one mostly 7 to 30.
#: A tenth of a per cent leaves features alike: there the stated one peaks as high.
LEAST_SPEED_HEIGHT, SPEED_SHARE = 6.2, 0.95
#: So near to the stated one the right speed peaks no higher there than this share of it.
NEAR_SPEED, NEAR_SHARE = 0.002, 0.8


def heard_at(heard: Heard, speed: Speed) -> Heard:
    """What was heard, as if at another speed."""
    return replace(heard, view=heard.view.at_speed(speed.factor), features=at_speed(heard.features, speed.factor))


def best_speeds(
    index: ReferenceIndex, heard: Heard, stated_hz: int, *, most: int = 2
) -> list[tuple[Speed, Heard, MatchCurve]]:
    """The known speeds at which the search peaks highest, best first, if about as high as at the stated one.

    The middle minute tells the speed; only what it speaks for is searched whole.
    """
    coarse = index.coarser
    part = middle_of(every_other_band(heard.features), index.probe_frames)

    def height(factor: float) -> float:
        # Spread before it is made coarser: at twice the speed every other of few frames would be left out.
        spread = at_speed(part, factor) if factor != 1.0 else part
        probe = middle_of(at_half_rate(spread), coarse.probe_frames)
        return float(coarse.heights(probe.values, coarse.features.valid & probe.valid).max(initial=0.0))

    stated = height(1.0)
    least = max(LEAST_SPEED_HEIGHT, SPEED_SHARE * stated)
    speeds = [speed for speed in known_speeds(stated_hz) if stated >= NEAR_SHARE * least or not _is_near(speed)]
    peaks = sorted(((height(speed.factor), speed) for speed in speeds), key=lambda one: -one[0])
    found = []
    for peak, speed in peaks[:most]:
        if peak > least:
            other = heard_at(heard, speed)
            found.append((speed, other, search_offsets(index, other.features, most_places=MOST_SPEED_PLACES)))
    return found


def _is_near(speed: Speed) -> bool:
    return abs(speed.factor - 1.0) <= NEAR_SPEED


def speed_note(speed: Speed) -> Note:
    """In the editor's words."""
    return Note(speed.code, speed.message)
