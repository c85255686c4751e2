"""Projects, work and deliveries as the interface sees them."""

from fractions import Fraction
from typing import Annotated, Literal
from uuid import UUID

from pydantic import BaseModel, Field

from gullywind.actions.words import batch_words
from gullywind.actions.work.batch import Batch
from gullywind.api.models.recordings import Body, Name, RecordingOut
from gullywind.core.ground.frames import FRAME_RATES, frame_rate, rate_name
from gullywind.formats.write_sound import SampleForm
from gullywind.store.tables import DeliveryRow, ProjectRow, WorkRow


class WorkOut(BaseModel):
    """Queued or running work, and matching that came to nothing."""

    id: UUID
    recording_id: UUID | None
    kind: Literal["listen", "place", "match", "prove", "deliver"]
    state: Literal["queued", "running", "done", "failed", "cancelled"]
    fraction_done: float
    message: str | None
    stop_asked: bool

    @classmethod
    def of(cls, row: WorkRow) -> "WorkOut":
        """From the stored row."""
        return cls.model_validate(row, from_attributes=True)


#: A rate by its fraction; the document lists those in use.
RateText = Annotated[str, Field(json_schema_extra={"enum": [str(one) for one in FRAME_RATES]})]


class FrameRateOut(BaseModel):
    """A frame rate: the exact fraction as it is sent back, what editors call it, and as a number for drawing."""

    rate: RateText
    name: str
    per_second: float

    @classmethod
    def of(cls, rate: Fraction) -> "FrameRateOut":
        """From the exact value."""
        return cls(rate=str(rate), name=rate_name(rate), per_second=float(rate))


class BatchOut(BaseModel):
    """Listening or placing of several recordings: how many are through, and about how long the rest takes."""

    done: int
    total: int
    words: str

    @classmethod
    def of(cls, batch: Batch) -> "BatchOut":
        """From the store's value."""
        return cls(done=batch.done, total=batch.total, words=batch_words(batch.done, batch.total, batch.seconds_left))


class ProjectSummary(BaseModel):
    """A line in the list of projects."""

    id: UUID
    name: str
    frame_rate: FrameRateOut
    recordings: int
    placed: int
    needs_you: int
    created_at: str


class ProjectOut(BaseModel):
    """A project with its recordings and the work on it. `version` must come back with every change."""

    id: UUID
    name: str
    frame_rate: FrameRateOut
    reference_id: UUID | None
    version: int
    recordings: list[RecordingOut]
    works: list[WorkOut]
    batch: BatchOut | None
    undo: str | None
    redo: str | None
    summary: str
    unplaced_count: int

    @classmethod
    def of(
        cls,
        row: ProjectRow,
        recordings: list[RecordingOut],
        works: list[WorkRow],
        batch: Batch | None,
        *,
        undo: str | None,
        redo: str | None,
    ) -> "ProjectOut":
        """From the stored rows; `undo`, `redo`: what would be taken back or done again next, in words."""
        others = [one for one in recordings if one.id != row.reference_id]
        performs = sum(one.status == "unplaced" and one.performs for one in others)
        strange = sum(one.status == "unplaced" for one in others) - performs
        counts = {
            "placed": sum(one.status == "placed" for one in others),
            "unsure": sum(one.status == "unsure" for one in others),
            "performs the part anew" if performs == 1 else "perform the part anew": performs,
            "does not belong" if strange == 1 else "do not belong": strange,
            "cannot be read": sum(one.status == "failed" for one in others),
            "not placed yet": sum(one.status == "waiting" for one in others),
        }
        return cls(
            id=row.id,
            name=row.name,
            frame_rate=FrameRateOut.of(frame_rate(row.frame_rate)),
            reference_id=row.reference_id,
            version=row.version,
            recordings=recordings,
            works=[WorkOut.of(one) for one in works],
            batch=BatchOut.of(batch) if batch else None,
            undo=undo,
            redo=redo,
            summary=" · ".join(f"{count} {word}" for word, count in counts.items() if count),
            unplaced_count=counts["not placed yet"],
        )


class ProjectIn(Body):
    """A new project."""

    name: Name
    frame_rate: RateText = "25"


class ProjectChange(Body):
    """What to change; null leaves it."""

    version: int
    name: Name | None = None
    frame_rate: RateText | None = None
    reference_id: UUID | None = None


class PlaceIn(Body):
    """Which recordings to place; null: all that have no place yet."""

    recording_ids: list[UUID] | None = Field(default=None, min_length=1, max_length=10_000)


class StretchToMatch(Body):
    """From where to where, s of the reference."""

    start_s: float
    end_s: float


class MatchIn(Body):
    """Which recordings to match with the reference as other performances of its part; null: all of it, else the stretch
    alone, its edges held.
    """

    recording_ids: list[UUID] = Field(min_length=1, max_length=10_000)
    stretch: StretchToMatch | None = None


class DeliverIn(Body):
    """Which recordings to write (one: as a file; several, or null for all that are placed: as a ZIP), and how."""

    recording_ids: list[UUID] | None = Field(default=None, min_length=1, max_length=10_000)
    form: SampleForm = SampleForm.PCM24


class PictureIn(Body):
    """Whose picture to write, and whose sounds go onto it, the first one first: beside its own, or instead of that."""

    recording_id: UUID
    sounds_from: list[UUID] = Field(min_length=1, max_length=8)
    instead: bool = False


class DeliveryOut(BaseModel):
    """A delivery; `ready` once its file can be fetched. `sound_from_id`: it is a picture with that one's sound."""

    id: UUID
    work_id: UUID
    recording_id: UUID | None
    sound_from_id: UUID | None
    form: SampleForm
    file_name: str | None
    ready: bool
    message: str | None

    @classmethod
    def of(cls, row: DeliveryRow, message: str | None = None) -> "DeliveryOut":
        """From the stored row."""
        return cls(
            id=row.id,
            work_id=row.work_id,
            recording_id=row.recording_id,
            sound_from_id=row.sound_from_id,
            form=SampleForm(row.form),
            file_name=row.file_name.rsplit("/", 1)[-1] if row.file_name else None,
            ready=row.file_name is not None,
            message=message,
        )
