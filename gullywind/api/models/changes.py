"""What was done to a project, as the interface sees it."""

from collections.abc import Mapping
from typing import Literal
from uuid import UUID

from pydantic import BaseModel, Field

from gullywind.actions.words import change_words
from gullywind.api.models.recordings import Body
from gullywind.store.tables import ChangeRow


class ChangeOut(BaseModel):
    """One thing that was done; `recording_ids`: to which recordings, `applied` is false once it was taken back.

    `words`: the sentence with to whom it was done. Numbers rise, though not one by one. `made_at` is in UTC.
    """

    number: int
    sentence: str
    words: str
    applied: bool
    moves_reference: bool
    recording_ids: list[UUID]
    made_at: str

    @classmethod
    def of(cls, row: ChangeRow, recording_id: UUID | None, names: Mapping[UUID, str]) -> "ChangeOut":
        """From the stored row, in the words for one recording where one is given."""
        own = next((part.after for part in row.parts if part.recording_id == recording_id), None)
        return cls(
            number=row.number,
            sentence=own.sentence if own else row.sentence,
            words=change_words(row, names),
            applied=row.applied,
            moves_reference=row.moves_reference,
            recording_ids=[part.recording_id for part in row.parts],
            made_at=row.created_at.isoformat(),
        )


class StepIn(Body):
    """Take back the last change, or do again what was taken back last."""

    kind: Literal["undo", "redo"]


class GoToIn(Body):
    """Go to any change; 0 is before all of them."""

    kind: Literal["go"]
    number: int = Field(ge=0)
