"""What can be known about a media file without listening to it."""

from dataclasses import dataclass
from enum import StrEnum
from fractions import Fraction


class GapKind(StrEnum):
    """Why a file holds no sound for a while."""

    #: Its sound starts after time 0 of the file.
    LATE = "late"
    #: Its time stamps leave it out.
    HOLE = "hole"
    #: It is there, but damaged beyond decoding.
    DAMAGE = "damage"


@dataclass(frozen=True, slots=True)
class Gap:
    """A stretch of a file without sound, filled with silence; s on the file's clock."""

    start_s: float
    duration_s: float
    kind: GapKind


@dataclass(frozen=True, slots=True)
class MediaFacts:
    """Facts of one file.

    Attributes
    ----------
    container, codec : FFmpeg's short names, such as `wav` and `pcm_s24le`.
    samples : per channel, from time 0 of the file to the end of its sound, gaps counted.
    bits : per sample for PCM and lossless codecs, else None.
    timecode : embedded start timecode `HH:MM:SS:FF`, if any.
    time_reference_samples : BWF samples since midnight, if any.
    frame_rate : frames a second of the picture, None where there is none.
    truncated : the file ends before its header says.
    gaps : where the file holds no sound, in order.
    picture_start_s : when its picture starts on the file's clock, None where there is none.
    timecode_rate : frames a second of its timecode, None where it does not say.
    timecode_drop : it says that its timecode drops frame numbers.
    """

    container: str
    codec: str
    sample_rate_hz: int
    channels: int
    samples: int
    bits: int | None
    is_float: bool
    size_bytes: int
    timecode: str | None
    time_reference_samples: int | None
    frame_rate: Fraction | None
    truncated: bool
    gaps: tuple[Gap, ...] = ()
    picture_start_s: float | None = None
    timecode_rate: Fraction | None = None
    timecode_drop: bool = False

    @property
    def duration_s(self) -> float:
        """Length in s by the file's own sample rate."""
        return self.samples / self.sample_rate_hz
