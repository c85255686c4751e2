"""Recordings as the interface sees them: facts, judgement, map, and the words for them."""

from typing import Any, Literal
from uuid import UUID

from pydantic import BaseModel, ConfigDict

from gullywind.actions.deliver import status_of_recording
from gullywind.actions.words import clock_label, facts_line, percent, sentence_of, short_time
from gullywind.core.verify import window_agrees
from gullywind.store.tables import RecordingRow

RecordingStatus = Literal["waiting", "placed", "unsure", "unplaced", "failed"]


class Body(BaseModel):
    """A request's body: frozen, unknown fields refused."""

    model_config = ConfigDict(frozen=True, extra="forbid")


class MediaOut(BaseModel):
    """Facts of a file; numbers are null until it has been listened to."""

    content_hash: str
    state: Literal["waiting", "ready", "failed"]
    reason: str | None
    size_bytes: int
    duration_s: float | None
    sample_rate_hz: int | None
    channels: int | None
    samples: int | None
    codec: str | None
    timecode: str | None
    frame_rate: float | None
    peak_dbfs: float | None
    loudness_lufs: float | None
    clipped_samples: int
    silent: bool
    truncated: bool
    line: str


class NoteOut(BaseModel):
    """Something to know, as a stable code and a sentence."""

    code: str
    message: str


class CandidateOut(BaseModel):
    """One place that the search offers."""

    offset_s: float
    rate: float
    score: float


class WindowOut(BaseModel):
    """One dot of the trace, measured when the recording was placed; `agrees`: it lies on the line."""

    t_ref: float
    lag_ms: float
    quality: float
    agreement: float
    agrees: bool


class MapOut(BaseModel):
    """The current map: pieces of knots `[t_ref, t_rec]`, s."""

    number: int
    pieces: list[list[list[float]]]
    offset_s: float
    rate: float
    clock_ppm: float
    clock_label: str
    start_ref_s: float
    end_ref_s: float


class VersionOut(BaseModel):
    """One version of the map, for undo and redo."""

    number: int
    sentence: str
    pieces: list[list[list[float]]]


class JudgementOut(BaseModel):
    """What the program thinks of a recording, and why."""

    confidence: float
    sure: str
    left_over: str
    polarity: int
    residual_median_ms: float | None
    residual_p95_ms: float | None
    ppm_error: float | None
    candidates: list[CandidateOut]
    notes: list[NoteOut]
    trace: list[WindowOut]
    map_number: int


class RecordingOut(BaseModel):
    """A recording. `version` must come back with every edit."""

    id: UUID
    project_id: UUID
    name: str
    file_name: str
    version: int
    status: RecordingStatus
    media: MediaOut
    map: MapOut | None
    versions: list[VersionOut]
    judgement: JudgementOut | None
    sentence: str

    @classmethod
    def of(cls, row: RecordingRow) -> "RecordingOut":
        """From the stored row."""
        return cls(
            id=row.id,
            project_id=row.project_id,
            name=row.name,
            file_name=row.file_name,
            version=row.version,
            status=status_of_recording(row),  # type: ignore[arg-type]
            media=_media(row),
            map=_map(row),
            versions=[
                VersionOut(number=one.number, sentence=one.sentence, pieces=one.pieces) for one in row.map_versions
            ],
            judgement=_judgement(row),
            sentence=sentence_of(row),
        )


class CurveOut(BaseModel):
    """The match curve: heights in robust standard deviations at `start_s + i * step_s`."""

    start_s: float
    step_s: float
    heights: list[float]


class TimingOut(BaseModel):
    """Timing measured anew at one moment: ms, positive is late; null where the sound there says nothing."""

    t_ref: float
    lag_ms: float | None
    quality: float


class NameIn(Body):
    """A new name."""

    version: int
    name: str


class EditIn(Body):
    """One edit of the map. `by_s` goes with nudge, `offset_s` with move, `index` with take."""

    version: int
    kind: Literal["nudge", "move", "take", "unplace", "undo", "redo"]
    by_s: float | None = None
    offset_s: float | None = None
    index: int | None = None


def _media(row: RecordingRow) -> MediaOut:
    media = row.media
    fields: dict[str, Any] = {name: getattr(media, name) for name in MediaOut.model_fields if name != "line"}
    return MediaOut(**fields, line=facts_line(media))


def _map(row: RecordingRow) -> MapOut | None:
    if row.current is None:
        return None
    time_map = row.current.to_core()
    return MapOut(
        number=row.map_number,
        pieces=time_map.to_json(),
        offset_s=time_map.offset_s,
        rate=time_map.rate,
        clock_ppm=time_map.clock_ppm,
        clock_label=clock_label(row),
        start_ref_s=time_map.start_ref_s,
        end_ref_s=time_map.end_ref_s_exclusive,
    )


def _judgement(row: RecordingRow) -> JudgementOut | None:
    judged = row.alignment
    if judged is None:
        return None
    return JudgementOut(
        confidence=judged.confidence,
        sure=f"{percent(judged.confidence)} %".replace("over ", "> "),
        left_over=short_time(judged.residual["median_ms"]) if judged.residual else "",
        polarity=judged.polarity,
        residual_median_ms=judged.residual["median_ms"] if judged.residual else None,
        residual_p95_ms=judged.residual["p95_ms"] if judged.residual else None,
        ppm_error=judged.ppm_error,
        candidates=[CandidateOut(**one) for one in judged.candidates],
        notes=[NoteOut(**one) for one in judged.notes],
        trace=[
            WindowOut(t_ref=t, lag_ms=lag, quality=q, agreement=a, agrees=window_agrees(lag, q))
            for t, lag, q, a in judged.trace
        ],
        map_number=judged.map_number,
    )
