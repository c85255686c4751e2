"""Speeds far from 1: wrong sample-rate headers, and film and television speed changes."""

from dataclasses import dataclass, replace

from gullywind.core.evidence import Note
from gullywind.core.features.bands import at_speed
from gullywind.core.features.extract import Heard
from gullywind.core.search import MatchCurve, ReferenceIndex, search_offsets

#: Sample rates that headers state by mistake for one another.
STATED_RATES_HZ = (32000, 44100, 48000, 88200, 96000)
#: Frame rates between which film and television change the speed.
FRAME_SPEEDS = ((24, 25), (1000, 1001))
#: A speed within this of a known one is that one, ppm: clocks differ too.
NEAR_PPM = 400.0
#: Rates further from 1 than this are speeds, not clocks: 1000/1001 is 999 ppm.
MOST_CLOCK = 0.0006


@dataclass(frozen=True, slots=True)
class Speed:
    """A known speed: true sample rate over stated one, and what it is called."""

    factor: float
    code: str
    message: str


def known_speeds(stated_hz: int) -> tuple[Speed, ...]:
    """Speeds that a file of this stated sample rate may have."""
    speeds = [
        Speed(
            true_hz / stated_hz,
            "rate-mislabelled",
            f"Recorded at {true_hz / 1000:g} kHz, though the file says {stated_hz / 1000:g} kHz: put right.",
        )
        for true_hz in STATED_RATES_HZ
        if true_hz != stated_hz and stated_hz in STATED_RATES_HZ and 0.6 < true_hz / stated_hz < 1.7
    ]
    for slow, fast in FRAME_SPEEDS:
        for to, of in ((slow, fast), (fast, slow)):
            way = "slow" if to > of else "fast"
            percent = abs(to / of - 1) * 100
            speeds.append(Speed(to / of, "speed-changed", f"Runs {percent:.2g} % {way} ({of}/{to}): put right."))
    return tuple(speeds)


def heard_at(heard: Heard, speed: Speed) -> Heard:
    """What was heard, as if at another speed."""
    return replace(heard, view=heard.view.at_speed(speed.factor), features=at_speed(heard.features, speed.factor))


def best_speeds(
    index: ReferenceIndex, heard: Heard, stated_hz: int, *, most: int = 2
) -> list[tuple[Speed, Heard, MatchCurve]]:
    """The known speeds at which the search peaks highest, best first."""
    found = []
    for speed in known_speeds(stated_hz):
        other = heard_at(heard, speed)
        found.append((speed, other, search_offsets(index, other.features, most_places=4)))
    found.sort(key=lambda one: -float(one[2].heights.max(initial=0.0)))
    return found[:most]


def speed_note(speed: Speed) -> Note:
    """In the editor's words."""
    return Note(speed.code, speed.message)


def nearest_speed(rate: float, stated_hz: int) -> float:
    """The known speed that a rate belongs to: 1 for all clocks, and for rates that belong to none."""
    known = [speed.factor for speed in known_speeds(stated_hz) if abs(rate / speed.factor - 1) <= NEAR_PPM * 1e-6]
    return min(known, key=lambda factor: abs(rate / factor - 1), default=1.0)
