"""The words for times, clocks and chances, each form once, and what is told with them."""

from dataclasses import dataclass

from gullywind.core.ground.speeds import MOST_CLOCK


@dataclass(frozen=True, slots=True)
class Note:
    """Something the editor should know: a stable code and a sentence."""

    code: str
    message: str


def clock_time(time_s: float) -> str:
    """A time of the event for sentences: `1:02:03.4` or `2:03.4`."""
    tenths = round(abs(time_s) * 10)
    minutes, rest = divmod(tenths, 600)
    hours, minutes = divmod(minutes, 60)
    seconds = f"{rest / 10:04.1f}"
    sign = "-" if time_s < 0 else ""
    return f"{sign}{hours}:{minutes:02d}:{seconds}" if hours else f"{sign}{minutes}:{seconds}"


def seconds(value_s: float) -> str:
    """A length of time for sentences, fine enough to tell short ones apart."""
    return f"{value_s * 1e3:.0f} ms" if value_s < 0.1 else f"{value_s:.2f} s"


def to_the_millisecond(value_s: float) -> str:
    """A time of the event as exact as it is told in a sentence: `12.345 s`, `1:02.345`."""
    minutes, rest = divmod(value_s, 60)
    return f"{int(minutes)}:{rest:06.3f}" if minutes else f"{rest:.3f} s"


def length(value_s: float) -> str:
    """How long a file is: `4:05.2`, `1:02:03`."""
    minutes, rest = divmod(value_s, 60)
    hours, minutes = divmod(int(minutes), 60)
    return f"{hours}:{minutes:02d}:{rest:02.0f}" if hours else f"{minutes}:{rest:04.1f}"


def milliseconds(value_ms: float) -> str:
    """A time of some ms, two or three digits of it."""
    return f"{value_ms:.0f} ms" if value_ms >= 10 else f"{value_ms:.1f} ms"


def percent(confidence: float) -> str:
    """A probability in per cent; nothing is ever wholly sure."""
    # No line is to break between the two.
    return "over\u00a099.9" if confidence > 0.999 else f"{confidence * 100:.1f}"


def short_time(value_ms: float) -> str:
    """A small time in the unit that reads best."""
    if value_ms < 0.0001:
        return "< 0.1 µs"
    return f"{value_ms * 1e3:.1f} µs" if value_ms < 0.01 else f"{value_ms:.2f} ms"


def later(by_s: float) -> str:
    """`1.5 ms later`, `2 s earlier`."""
    return f"{readable(abs(by_s))} {'later' if by_s > 0 else 'earlier'}"


def clock_words(rate: float) -> str:
    """`38.1 ppm fast`, `as it is`, `95.904 % of its speed`."""
    ppm = (rate - 1) * 1e6
    if abs(rate - 1) > MOST_CLOCK:
        return f"{rate * 100:.4f} % of its speed"
    return f"{abs(ppm):.2f} ppm {'fast' if ppm > 0 else 'slow'}" if abs(ppm) >= 0.005 else "as it is"


def readable(time_s: float) -> str:
    """A short time in the unit that reads best, by what it is once it is rounded."""
    if time_s >= 0.99995:
        return f"{time_s:.3f} s"
    if time_s >= 0.0009995:
        return f"{time_s * 1e3:.4g} ms"
    return f"{time_s * 1e6:.3g} µs"


def signed(value: float, digits: int) -> str:
    """A number with its sign, a true minus: `+1.5`, `−0.3`."""
    return f"{value:+.{digits}f}".replace("-", "−")
