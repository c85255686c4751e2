"""Marks as the interface sees them: those of a person and the sharp sounds that were found."""

from collections.abc import Sequence
from uuid import UUID

from pydantic import BaseModel

from gullywind.api.models.recordings import Body
from gullywind.store.tables import MarkRow

#: Sharp sounds that are shown are at least this sure, and so many of a recording: more are a rhythm, and no marks.
SHOWN_CERTAINTY, MOST_SHOWN = 0.5, 60


class MarkOut(BaseModel):
    """A moment of a recording, s. `id` and `name` are those of a person's; `certainty` that of a sound found."""

    id: UUID | None
    t_rec: float
    name: str
    certainty: float | None

    @classmethod
    def of(cls, row: MarkRow) -> "MarkOut":
        """From the stored row."""
        return cls(id=row.id, t_rec=row.t_rec, name=row.name, certainty=None)


class RecordingMarksOut(BaseModel):
    """All marks of a recording, in the order of time."""

    recording_id: UUID
    marks: list[MarkOut]

    @classmethod
    def of(cls, recording_id: UUID, claps: Sequence[Sequence[float]], marks: Sequence[MarkRow]) -> "RecordingMarksOut":
        """From what was found, and what a person marked."""
        sure = sorted((one for one in claps if one[1] >= SHOWN_CERTAINTY), key=lambda one: -one[1])[:MOST_SHOWN]
        found = [MarkOut(id=None, t_rec=t_rec, name="", certainty=certainty) for t_rec, certainty in sure]
        return cls(
            recording_id=recording_id,
            marks=sorted([*found, *(MarkOut.of(one) for one in marks)], key=lambda one: one.t_rec),
        )


class MarkIn(Body):
    """A new mark, s of the recording."""

    t_rec: float
    name: str = ""


class MarkNameIn(Body):
    """Another name for a mark."""

    name: str
