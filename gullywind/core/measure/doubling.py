"""What an ear makes of two recordings of one event that sound together, by their lag around one moment.

Two equal sounds that lie `lag` apart cancel first at 1 / (2 lag): a comb. Where that notch lies above what is heard
they are in step; below some 10 ms the comb colours the sound; then the two are heard side by side, as of two players,
and beyond some 30 ms as a sound and its repetition. Blauert, "Spatial Hearing", rev. ed., MIT Press 1997, section 3.1
(summing localisation, the precedence effect and the echo threshold, 30 to 50 ms for speech); Haas, "Über den Einfluss
eines Einfachechos auf die Hörsamkeit von Sprache", Acustica 1, 1951.
"""

from dataclasses import dataclass
from enum import StrEnum

from gullywind.core.measure.windows import Layout, Line, measure_all
from gullywind.core.sound.views import Listening

#: The first notch lies above 10 kHz, where little is lost and few recordings agree.
IN_STEP_S = 0.00005
COMBED_S, THICK_S = 0.010, 0.030
#: What is looked for on either side, s: beyond it nobody takes the two for one event.
MOST_LAG_S = 0.080
#: What is compared around the moment, s; and how clear it must be: noise alone reaches 4 to 5.
DOUBLING_WINDOW_S, DOUBLING_QUALITY = 2.7, 7.0
#: Measured again where it was found, so that what lies outside the segments on one side biases nothing, s.
AGAIN_LAG_S = 0.002


class DoublingKind(StrEnum):
    """What the two are to an ear."""

    IN_STEP = "in step"
    COMBED = "coloured by combing"
    THICK = "thick"
    ECHO = "an echo"


@dataclass(frozen=True, slots=True)
class Doubling:
    """`lag_s` positive: the recording is late."""

    lag_s: float
    kind: DoublingKind

    @property
    def notch_hz(self) -> float | None:
        """Where the two cancel first; None where they are in step."""
        return None if self.kind is DoublingKind.IN_STEP else 1 / (2 * abs(self.lag_s))


def kind_of(lag_s: float) -> DoublingKind:
    """What an ear makes of a lag.

    Examples
    --------
    >>> [kind_of(one).value for one in (0.00002, -0.004, 0.02, -0.05)]
    ['in step', 'coloured by combing', 'thick', 'an echo']
    """
    size_s = abs(lag_s)
    if size_s <= IN_STEP_S:
        return DoublingKind.IN_STEP
    if size_s < COMBED_S:
        return DoublingKind.COMBED
    return DoublingKind.THICK if size_s < THICK_S else DoublingKind.ECHO


def measure_doubling(reference: Listening, rendered: Listening, t_ref: float) -> Doubling | None:
    """Compare what is heard of both around a moment of the reference, s.

    Parameters
    ----------
    rendered : the recording in reference time, as it is heard.

    Returns
    -------
    Doubling, or None where one of them is silent or nothing in them is clearly alike.
    """
    layout, lag_s = Layout((t_ref,), DOUBLING_WINDOW_S), 0.0
    for most_lag_s in (MOST_LAG_S, AGAIN_LAG_S):
        found = measure_all(reference, rendered, Line(-lag_s, 1.0), layout, most_lag_s=most_lag_s)
        if not found or found[0].quality < DOUBLING_QUALITY:
            return None
        lag_s += found[0].lag_s
    return Doubling(lag_s, kind_of(lag_s))
