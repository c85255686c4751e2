"""How many recordings are heard together, as a request."""

from uuid import UUID

from pydantic import Field

from gullywind.api.models.recordings import Body
from gullywind.core.render.mix import LEAST_LEVEL_DB, MOST_LEVEL_DB, Voice


class VoiceIn(Body):
    """How one recording is heard: louder or softer, dB, from left, -1, to right, 1, or not at all."""

    recording_id: UUID
    level_db: float = Field(default=0.0, ge=LEAST_LEVEL_DB, le=MOST_LEVEL_DB)
    position: float = Field(default=0.0, ge=-1, le=1)
    muted: bool = False


class MixIn(Body):
    """Those that are not heard as they are."""

    voices: list[VoiceIn] = Field(default=[], max_length=10_000)

    def to_core(self) -> dict[UUID, Voice]:
        """As core values, by recording."""
        return {one.recording_id: Voice(one.level_db, one.position, one.muted) for one in self.voices}
