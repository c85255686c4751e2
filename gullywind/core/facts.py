"""What can be known about a media file without listening to it."""

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class MediaFacts:
    """Facts of one file.

    Attributes
    ----------
    container, codec : FFmpeg's short names, such as `wav` and `pcm_s24le`.
    samples : per channel, as decoded.
    bits : per sample for PCM and lossless codecs, else None.
    timecode : embedded start timecode `HH:MM:SS:FF`, if any.
    time_reference_samples : BWF samples since midnight, if any.
    frame_rate : frames a second of the picture, None where there is none.
    truncated : the file ends before its header says.
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
    frame_rate: float | None
    truncated: bool

    @property
    def duration_s(self) -> float:
        """Length in s by the file's own sample rate."""
        return self.samples / self.sample_rate_hz
