"""Frame rates as the fractions that they are: 29.97 is 30000/1001 (SMPTE ST 12-1)."""

from fractions import Fraction

from gullywind.core.ground.errors import InputError

#: Those that pictures are shot and shown at, slowest first.
FRAME_RATES = (
    Fraction(24000, 1001),
    Fraction(24),
    Fraction(25),
    Fraction(30000, 1001),
    Fraction(30),
    Fraction(48),
    Fraction(50),
    Fraction(60000, 1001),
    Fraction(60),
)


def frame_rate(text: str) -> Fraction:
    """A rate in use by its text, `25` or `30000/1001`.

    Raises
    ------
    InputError : it is none of those in use.

    Examples
    --------
    >>> frame_rate("30000/1001")
    Fraction(30000, 1001)
    """
    found = next((one for one in FRAME_RATES if str(one) == text), None)
    if found is None:
        names = ", ".join(rate_name(one) for one in FRAME_RATES)
        raise InputError(f"The frame rate must be one of {names}, as a fraction such as 30000/1001; got {text[:20]}.")
    return found


def nearest_rate(rate: Fraction) -> Fraction:
    """The rate in use that a measured one means: files of phones say 29.98 or 30.02.

    Examples
    --------
    >>> nearest_rate(Fraction(2997, 100))
    Fraction(30000, 1001)
    """
    return min(FRAME_RATES, key=lambda one: abs(one / rate - 1))


def rate_name(rate: Fraction) -> str:
    """What editors call it.

    Examples
    --------
    >>> rate_name(Fraction(30000, 1001)), rate_name(Fraction(25))
    ('29.97', '25')
    """
    return f"{float(rate):.3f}".rstrip("0").rstrip(".")
