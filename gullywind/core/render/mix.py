"""Many recordings together, each with its own level and place between left and right."""

from dataclasses import dataclass
from math import cos, pi, sin, sqrt

import numpy as np

from gullywind.core.ground.errors import InputError
from gullywind.core.ground.units import Samples

#: Softer is silence, louder is no use.
LEAST_LEVEL_DB, MOST_LEVEL_DB = -60.0, 24.0


@dataclass(frozen=True, slots=True)
class Voice:
    """How one recording is heard among others: `level_db`, and `position` from -1, left, to 1, right."""

    level_db: float = 0.0
    position: float = 0.0
    muted: bool = False

    def __post_init__(self) -> None:
        if not LEAST_LEVEL_DB <= self.level_db <= MOST_LEVEL_DB:
            raise InputError(
                f"A level lies between {LEAST_LEVEL_DB:g} and {MOST_LEVEL_DB:g} dB, not {self.level_db:g}."
            )
        if not -1 <= self.position <= 1:
            raise InputError(f"A position lies between -1, left, and 1, right, not {self.position:g}.")

    def gains(self, channels: int) -> tuple[float, float]:
        """What the left and the right are multiplied by.

        One channel keeps its power wherever it stands (sine and cosine), 1 on either side in the middle; of two the one
        that is turned away from becomes softer.
        """
        level = 10 ** (self.level_db / 20)
        if channels > 1:
            return level * min(1.0, 1 - self.position), level * min(1.0, 1 + self.position)
        angle = (self.position + 1) * pi / 4
        return level * sqrt(2) * cos(angle), level * sqrt(2) * sin(angle)


#: As it is, from both sides.
PLAIN = Voice()


def add_voice(mix: Samples, sound: Samples, voice: Voice) -> None:
    """Add a recording to a mix of shape (2, samples), in place; `sound` has one or two channels."""
    for side, gain in enumerate(voice.gains(sound.shape[0])):
        if gain:
            mix[side] += np.float32(gain) * sound[min(side, sound.shape[0] - 1)]
