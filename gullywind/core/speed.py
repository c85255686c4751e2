"""Speeds far from 1: wrong sample-rate headers, and film and television speed changes."""

from dataclasses import dataclass, replace
from fractions import Fraction

from gullywind.core.evidence import Note
from gullywind.core.features.bands import at_speed, middle_of
from gullywind.core.features.extract import Heard
from gullywind.core.frames import rate_name
from gullywind.core.search import MatchCurve, ReferenceIndex, search_offsets

#: Sample rates that headers state by mistake for one another.
STATED_RATES_HZ = (8000, 16000, 22050, 24000, 32000, 44100, 48000, 88200, 96000)
#: Rates that are mistaken for one another are no further apart than this: 8 and 16 kHz, 48 and 96.
MOST_MISTAKE = 2.05
#: Frame rates between which film and television change the speed.
FRAME_SPEEDS = (
    (Fraction(24), Fraction(25)),
    (Fraction(24000, 1001), Fraction(25)),
    (Fraction(24000, 1001), Fraction(24)),
)
#: So much tells the speed; at the right one so many places are weighed.
PART_FRAMES, MOST_PLACES = 6000, 8
#: Of strangers the best of all speeds reaches 4 to 6 standard deviations, the right one mostly 7 to 30.
#: A tenth of a per cent leaves features alike: there the stated one peaks as high.
LEAST_HEIGHT, SPEED_SHARE = 6.2, 0.95
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
        if true_hz != stated_hz
        and stated_hz in STATED_RATES_HZ
        and 1 / MOST_MISTAKE < true_hz / stated_hz < MOST_MISTAKE
    ]
    for slow, fast in FRAME_SPEEDS:
        for to, of in ((slow, fast), (fast, slow)):
            way = "slow" if to > of else "fast"
            factor = float(to / of)
            told = (
                f"Runs {abs(factor - 1) * 100:.2g} % {way}, as {rate_name(of)} frames for {rate_name(to)}: put right."
            )
            speeds.append(Speed(factor, "speed-changed", told))
    return tuple(speeds)


def heard_at(heard: Heard, speed: Speed) -> Heard:
    """What was heard, as if at another speed."""
    return replace(heard, view=heard.view.at_speed(speed.factor), features=at_speed(heard.features, speed.factor))


def best_speeds(
    index: ReferenceIndex, heard: Heard, stated_hz: int, *, most: int = 2
) -> list[tuple[Speed, Heard, MatchCurve]]:
    """The known speeds at which the search peaks highest, best first, if about as high as at the stated one.

    The middle minute tells the speed; only what it speaks for is searched whole.
    """
    part = middle_of(heard.features, PART_FRAMES)

    def height(factor: float) -> float:
        features = at_speed(part, factor) if factor != 1.0 else part
        return float(search_offsets(index, features, most_places=1).heights.max(initial=0.0))

    peaks = sorted(((height(speed.factor), speed) for speed in known_speeds(stated_hz)), key=lambda one: -one[0])
    least = max(LEAST_HEIGHT, SPEED_SHARE * height(1.0))
    found = []
    for peak, speed in peaks[:most]:
        if peak > least:
            other = heard_at(heard, speed)
            found.append((speed, other, search_offsets(index, other.features, most_places=MOST_PLACES)))
    return found


def speed_note(speed: Speed) -> Note:
    """In the editor's words."""
    return Note(speed.code, speed.message)


def nearest_speed(rate: float, stated_hz: int) -> float:
    """The known speed that a rate belongs to: 1 for all clocks, and for rates that belong to none."""
    known = [speed.factor for speed in known_speeds(stated_hz) if abs(rate / speed.factor - 1) <= NEAR_PPM * 1e-6]
    return min(known, key=lambda factor: abs(rate / factor - 1), default=1.0)
