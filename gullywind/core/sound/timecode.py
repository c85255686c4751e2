"""What a recording says of its own time, by whichever source: the time of day at its first sample."""

import math
from dataclasses import dataclass
from enum import StrEnum
from fractions import Fraction

from gullywind.core.ground.errors import InputError
from gullywind.core.ground.frames import nearest_rate
from gullywind.core.ground.timecode import Counting, Label, read_label
from gullywind.core.sound.facts import MediaFacts

#: Cameras and recorders that say nothing of their rate are read at this one.
USUAL_RATE = Fraction(25)
#: A start this near to the next frame is that frame: what is measured from sound is as exact as that.
FRAME_SHARE = 0.02
DAY_S = 86400.0


class CodeSource(StrEnum):
    """Where a timecode stands, the most trustworthy source first."""

    #: Recorded with the sound, so that it keeps to it whatever happened to the file.
    SOUND = "sound"
    #: The time reference of a broadcast WAV file (EBU Tech 3285): samples since midnight.
    BWF = "bwf"
    #: The timecode track of a video file.
    TRACK = "track"


@dataclass(frozen=True, slots=True)
class Timecode:
    """The time of day at a recording's first sample.

    Attributes
    ----------
    day_s : s since midnight by the code's own count; below 0 where the code begins later than the recording.
    speed : seconds of code for each second of the recording.
    """

    source: CodeSource
    counting: Counting
    day_s: float
    speed: float = 1.0

    @property
    def start(self) -> str:
        """The label of the frame in which the first sample lies."""
        number = math.floor(self.day_s * float(self.counting.rate) + FRAME_SHARE)
        return self.counting.written(self.counting.label(number))


def code_of_label(source: CodeSource, counting: Counting, label: Label, at_s: float, speed: float = 1.0) -> Timecode:
    """The timecode of a recording that shows a label at a moment, s."""
    return Timecode(source, counting, float(counting.number(label) / counting.rate) - at_s * speed, speed)


def codes_of_file(facts: MediaFacts, rate: Fraction | None = None) -> tuple[Timecode, ...]:
    """What a file says of its time without being listened to, the most trustworthy first.

    `rate` is the frame rate to count by where the file does not say.
    """
    own = facts.timecode_rate or facts.frame_rate or rate or USUAL_RATE
    counting = Counting(nearest_rate(own), facts.timecode_drop)
    found = []
    if facts.time_reference_samples is not None:
        found.append(Timecode(CodeSource.BWF, counting, facts.time_reference_samples / facts.sample_rate_hz))
    if facts.timecode:
        try:
            label, drops = read_label(facts.timecode)
        except InputError:
            # Not what it should be: no timecode, and no reason to refuse the file.
            return tuple(found)
        counting = Counting(counting.rate, drops)
        found.append(code_of_label(CodeSource.TRACK, counting, label, facts.picture_start_s or 0.0))
    return tuple(found)


def offset_by_code(reference: Timecode, recording: Timecode) -> float:
    """The reference time at which the recording's first sample falls by both codes, s; midnight lies between or not."""
    same = reference.counting == recording.counting
    day_s = reference.counting.day_s if same else DAY_S
    apart_s = (recording.day_s - reference.day_s + day_s / 2) % day_s - day_s / 2
    return apart_s / reference.speed
