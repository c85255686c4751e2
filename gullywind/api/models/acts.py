"""Acts on many recordings at once, as requests: the edits of one that make sense for many, and removing."""

from typing import Annotated, Literal
from uuid import UUID

from pydantic import BaseModel, Field

from gullywind.actions.edit_many import Done
from gullywind.api.models.map_edits import Lock, Nudge, Push
from gullywind.api.models.recordings import Body
from gullywind.api.models.sounding_edits import Channels, Gain, Kept, Polarity


class Aside(Body):
    """That they do not belong."""

    kind: Literal["set-aside"]


class Removal(Body):
    """Out of the project; undoing brings them back."""

    kind: Literal["remove-recordings"]


class ActIn(Body):
    """One act, and on which recordings."""

    recording_ids: list[UUID] = Field(min_length=1, max_length=10_000)
    act: Annotated[
        Gain | Channels | Kept | Polarity | Push | Nudge | Lock | Aside | Removal, Field(discriminator="kind")
    ]


class LeftOut(BaseModel, from_attributes=True):
    """A recording to which nothing was done, and why."""

    name: str
    reason: str


class DoneOut(BaseModel):
    """To how many recordings it was done, with their sets, and which were left; `words` says so, empty where none."""

    count: int
    left: list[LeftOut]
    words: str

    @classmethod
    def of(cls, done: Done) -> "DoneOut":
        """From the action's value."""
        return cls.model_validate(done, from_attributes=True)
