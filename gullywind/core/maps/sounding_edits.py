"""Edits of how a recording sounds: each is a value that makes a new sounding and a sentence. Nothing moves."""

from dataclasses import dataclass, replace

from gullywind.core.ground.words import signed
from gullywind.core.maps.version import Gaps, Pitch, Sounding


@dataclass(frozen=True, slots=True)
class Sounded:
    """The new sounding and the sentence for the history."""

    sounding: Sounding
    sentence: str


@dataclass(frozen=True, slots=True)
class SetGaps:
    """What is heard in gaps."""

    gaps: Gaps

    def apply(self, sounding: Sounding) -> Sounded:
        """The rest as it was."""
        words = "gaps filled with room tone" if self.gaps is Gaps.ROOM_TONE else "gaps left silent"
        return Sounded(replace(sounding, gaps=self.gaps), words)


@dataclass(frozen=True, slots=True)
class SetPitch:
    """What happens to the pitch where the speed is changed."""

    pitch: Pitch

    def apply(self, sounding: Sounding) -> Sounded:
        """The rest as it was."""
        words = {
            Pitch.SENSIBLE: "pitch treated as seems right",
            Pitch.FOLLOWS: "pitch follows the speed",
            Pitch.KEPT: "pitch kept whatever the speed",
        }
        return Sounded(replace(sounding, pitch=self.pitch), words[self.pitch])


@dataclass(frozen=True, slots=True)
class SetPolarity:
    """Whether the sound is inverted: 1 as it was recorded, -1 inverted."""

    polarity: int

    def apply(self, sounding: Sounding) -> Sounded:
        """The rest as it was."""
        words = "inverted" if self.polarity < 0 else "polarity as it was recorded"
        return Sounded(replace(sounding, polarity=self.polarity), words)


@dataclass(frozen=True, slots=True)
class SetGain:
    """Louder or softer, dB."""

    gain_db: float

    def apply(self, sounding: Sounding) -> Sounded:
        """The rest as it was."""
        return Sounded(replace(sounding, gain_db=self.gain_db), f"gain set to {signed(self.gain_db, 1)} dB")


@dataclass(frozen=True, slots=True)
class SetChannels:
    """Which channels are heard, counted from 0; None: all as they are."""

    channels: tuple[int, ...] | None

    def apply(self, sounding: Sounding) -> Sounded:
        """The rest as it was."""
        if self.channels is None:
            return Sounded(replace(sounding, channels=None), "all channels heard")
        told = ", ".join(str(one + 1) for one in self.channels)
        words = f"channel {told} alone heard" if len(self.channels) == 1 else f"channels {told} heard"
        return Sounded(replace(sounding, channels=self.channels), words)


@dataclass(frozen=True, slots=True)
class SetKept:
    """Whether the sound is delivered; scratch sound is heard for checking alone."""

    kept: bool

    def apply(self, sounding: Sounding) -> Sounded:
        """The rest as it was."""
        return Sounded(replace(sounding, kept=self.kept), "to be delivered" if self.kept else "kept as scratch sound")


SoundingEdit = SetGaps | SetPitch | SetPolarity | SetGain | SetChannels | SetKept
