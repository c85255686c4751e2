"""Facts of a recording's file as the interface sees them."""

from typing import Any, Literal

from pydantic import BaseModel

from gullywind.actions.words import facts_line
from gullywind.store.tables import MediaRow


class MediaOut(BaseModel):
    """Facts of a file; numbers are null until it has been listened to."""

    content_hash: str
    state: Literal["waiting", "stopped", "ready", "failed"]
    reason: str | None
    size_bytes: int
    duration_s: float | None
    sample_rate_hz: int | None
    channels: int | None
    samples: int | None
    codec: str | None
    timecode: str | None
    frame_rate: str | None
    picture_start_s: float | None
    peak_dbfs: float | None
    loudness_lufs: float | None
    clipped_samples: int
    silent: bool
    truncated: bool
    line: str

    @classmethod
    def of(cls, row: MediaRow) -> "MediaOut":
        """From the stored row."""
        fields: dict[str, Any] = {name: getattr(row, name) for name in cls.model_fields if name != "line"}
        return cls(**fields, line=facts_line(row))
