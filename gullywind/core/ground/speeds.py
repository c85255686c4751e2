"""Speeds far from 1: wrong sample-rate headers, and film and television speed changes."""

from dataclasses import dataclass
from fractions import Fraction

from gullywind.core.ground.frames import rate_name

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


def nearest_speed(rate: float, stated_hz: int) -> float:
    """The known speed that a rate belongs to: 1 for all clocks, and for rates that belong to none."""
    known = [speed.factor for speed in known_speeds(stated_hz) if abs(rate / speed.factor - 1) <= NEAR_PPM * 1e-6]
    return min(known, key=lambda factor: abs(rate / factor - 1), default=1.0)
