"""Edits of how a recording sounds, as requests."""

from typing import Annotated, Literal

from pydantic import Field

from gullywind.api.models.edit import Edit
from gullywind.api.models.recordings import Body
from gullywind.core.maps import sounding_edits
from gullywind.core.maps.version import Gaps, Pitch


class GapsIn(Edit):
    """What is heard in gaps."""

    kind: Literal["gaps"]
    gaps: Gaps

    def to_core(self) -> sounding_edits.SoundingEdit:
        """As core value."""
        return sounding_edits.SetGaps(self.gaps)


class PitchIn(Edit):
    """What happens to the pitch."""

    kind: Literal["pitch"]
    pitch: Pitch

    def to_core(self) -> sounding_edits.SoundingEdit:
        """As core value."""
        return sounding_edits.SetPitch(self.pitch)


class Polarity(Body):
    """Whether the sound is inverted."""

    kind: Literal["polarity"]
    polarity: Literal[1, -1]

    def to_core(self) -> sounding_edits.SoundingEdit:
        """As core value."""
        return sounding_edits.SetPolarity(self.polarity)


class PolarityIn(Polarity, Edit):
    """Whether the sound is inverted."""


class Gain(Body):
    """Louder or softer, dB."""

    kind: Literal["gain"]
    gain_db: float

    def to_core(self) -> sounding_edits.SoundingEdit:
        """As core value."""
        return sounding_edits.SetGain(self.gain_db)


class GainIn(Gain, Edit):
    """Louder or softer, dB."""


class Channels(Body):
    """Which channels are heard, counted from 0; null: all as they are."""

    kind: Literal["channels"]
    channels: list[Annotated[int, Field(ge=0, le=63)]] | None = Field(min_length=1, max_length=64)

    def to_core(self) -> sounding_edits.SoundingEdit:
        """As core value."""
        return sounding_edits.SetChannels(None if self.channels is None else tuple(self.channels))


class ChannelsIn(Channels, Edit):
    """Which channels are heard, counted from 0; null: all as they are."""


class Kept(Body):
    """Whether it is delivered, or scratch sound for checking."""

    kind: Literal["kept"]
    kept: bool

    def to_core(self) -> sounding_edits.SoundingEdit:
        """As core value."""
        return sounding_edits.SetKept(self.kept)


class KeptIn(Kept, Edit):
    """Whether it is delivered, or scratch sound for checking."""
