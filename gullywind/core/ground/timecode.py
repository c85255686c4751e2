"""Timecode arithmetic (SMPTE ST 12-1): labels, the frames that they count, and the time of day that both mean.

A label counts whole frames, 24, 25 or 30 (or 48, 50, 60) of them to its second, whatever the true rate is: at 29.97
frames a second an hour of labels lasts 3603.6 s. Drop-frame labels leave out the numbers 0 and 1 (at 59.94 four of
them) at the start of each minute that is no tenth, and so keep to the clock.
"""

import re
from dataclasses import dataclass
from fractions import Fraction

from gullywind.core.ground.errors import InputError

Label = tuple[int, int, int, int]
_WRITTEN = re.compile(r"(\d{1,2}):(\d{2}):(\d{2})([:;.,])(\d{2})")


@dataclass(frozen=True, slots=True)
class Counting:
    """How a timecode counts: at which true rate, and whether it drops numbers."""

    rate: Fraction
    drop_frame: bool = False

    @property
    def count(self) -> int:
        """Labels to a second."""
        return round(self.rate)

    @property
    def dropped(self) -> int:
        """Numbers that are left out in nine of ten minutes."""
        return 2 * self.count // 30 if self.drop_frame else 0

    @property
    def day_frames(self) -> int:
        """Frames of a day of labels."""
        return 24 * (3600 * self.count - 54 * self.dropped)

    @property
    def day_s(self) -> float:
        """How long a day of labels lasts, s."""
        return float(self.day_frames / self.rate)

    def number(self, label: Label) -> int:
        """Frames since the label 00:00:00:00."""
        hours, minutes, seconds, frames = label
        whole_minutes = 60 * hours + minutes
        dropped = self.dropped * (whole_minutes - whole_minutes // 10)
        return (60 * whole_minutes + seconds) * self.count + frames - dropped

    def label(self, number: int) -> Label:
        """The label of a frame; days follow one another.

        Examples
        --------
        >>> Counting(Fraction(30000, 1001), True).label(1800)
        (0, 1, 0, 2)
        """
        number %= self.day_frames
        if self.dropped:
            ten, rest = divmod(number, 600 * self.count - 9 * self.dropped)
            minutes = max(0, (rest - self.dropped) // (60 * self.count - self.dropped))
            number += self.dropped * (9 * ten + minutes)
        seconds, frames = divmod(number, self.count)
        return seconds // 3600, seconds // 60 % 60, seconds % 60, frames

    def written(self, label: Label) -> str:
        """As it is read: `10:00:00:00`, drop-frame `10:00:00;00`."""
        hours, minutes, seconds, frames = label
        return f"{hours:02d}:{minutes:02d}:{seconds:02d}{';' if self.drop_frame else ':'}{frames:02d}"


def read_label(text: str) -> tuple[Label, bool]:
    """A written label, and whether it says that it drops frames.

    Raises
    ------
    InputError : it is none.

    Examples
    --------
    >>> read_label("10:00:00;02")
    ((10, 0, 0, 2), True)
    """
    found = _WRITTEN.fullmatch(text.strip())
    if found is None:
        raise InputError(f"A timecode is written 10:00:00:00, got {text[:20]!r}.")
    hours, minutes, seconds, frames = (int(found[k]) for k in (1, 2, 3, 5))
    if hours > 23 or minutes > 59 or seconds > 59:
        raise InputError(f"A timecode is written 10:00:00:00, up to 23:59:59, got {text[:20]!r}.")
    return (hours, minutes, seconds, frames), found[4] != ":"
