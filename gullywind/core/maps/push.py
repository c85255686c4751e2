"""A recording earlier or later on purpose, on top of its place and kept apart from it. Times in s."""

from dataclasses import dataclass, replace

import numpy as np

from gullywind.core.ground.errors import InputError
from gullywind.core.ground.words import later
from gullywind.core.maps.version import Version

#: What is meant on purpose is a matter of ms: more is another place.
MOST_PUSH_S = 1.0


@dataclass(frozen=True, slots=True)
class Pushed:
    """The new version and the sentence for the history."""

    version: Version
    sentence: str


@dataclass(frozen=True, slots=True)
class SetPush:
    """How much later (positive) or earlier the recording is than its place; 0: where it belongs."""

    push_s: float

    def apply(self, version: Version) -> Pushed:
        """The place and the sounding as they were."""
        if not np.isfinite(self.push_s) or abs(self.push_s) > MOST_PUSH_S:
            raise InputError(f"A push must lie within {MOST_PUSH_S * 1e3:.0f} ms, got {self.push_s * 1e3:g} ms.")
        words = f"pushed {later(self.push_s)} on purpose" if self.push_s else "no push any more"
        return Pushed(replace(version, push_s=self.push_s), words)
