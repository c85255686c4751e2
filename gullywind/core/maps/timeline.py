"""The left side of every map: what recordings are lined up to. A recording, for now."""

from dataclasses import dataclass
from fractions import Fraction

from gullywind.core.sound.facts import MediaFacts


@dataclass(frozen=True, slots=True)
class Timeline:
    """Where time 0 is and how sound is rendered.

    Attributes
    ----------
    sample_rate_hz, samples : of what is rendered along all of it.
    start_samples : the time of day at its time 0, in samples since midnight; 0 where it is not known.
    frame_rate : frames a second, exact; None where there is no picture to speak of.
    """

    sample_rate_hz: int
    samples: int
    start_samples: int = 0
    frame_rate: Fraction | None = None

    @classmethod
    def of(cls, facts: MediaFacts, frame_rate: Fraction | None = None) -> "Timeline":
        """A recording as the timeline; without a frame rate its file's own."""
        return cls(
            facts.sample_rate_hz, facts.samples, facts.time_reference_samples or 0, frame_rate or facts.frame_rate
        )

    @property
    def duration_s(self) -> float:
        """Length, s."""
        return self.samples / self.sample_rate_hz
