"""Recordings as the interface sees them: facts, judgement, map, and the words for them."""

from collections.abc import Mapping
from dataclasses import asdict
from itertools import pairwise
from typing import Annotated, Literal
from uuid import UUID

from pydantic import BaseModel, ConfigDict, Field

from gullywind.actions.status import RecordingStatus, status_of_recording
from gullywind.actions.words import clock_figure, clock_label, notes_of, sentence_of
from gullywind.api.models.media import MediaOut
from gullywind.core.bending.prove import PERFORMERS_TOGETHER_S
from gullywind.core.ground.words import percent, short_time
from gullywind.core.judge.notes import PERFORMANCE, joint_words
from gullywind.core.maps.piece_edits import LEAST_GAP_S
from gullywind.core.maps.time_map import Piece, TimeMap, gap_between
from gullywind.core.maps.version import Gaps, Pitch
from gullywind.core.proof import is_in_step
from gullywind.core.render.stretch import is_bent, pitch_reason
from gullywind.store.ends import Ends
from gullywind.store.tables import RecordingRow

#: Maps of more knots are not sent with every answer.
FEW_KNOTS = 200


class Body(BaseModel):
    """A request's body: frozen, unknown fields refused."""

    model_config = ConfigDict(frozen=True, extra="forbid")


#: At least one character that can be seen; whoever uses it refuses others with a sentence.
Name = Annotated[str, Field(json_schema_extra={"pattern": r"\S"})]


class NoteOut(BaseModel):
    """Something to know, as a stable code and a sentence."""

    code: str
    message: str


class CandidateOut(BaseModel):
    """One place that the search offers; `current`: the recording lies there now."""

    offset_s: float
    rate: float
    score: float
    current: bool


class JointOut(BaseModel):
    """What lies between a piece and the next; `has_gap`: they neither meet nor overlap."""

    words: str
    has_gap: bool


class ClockOut(BaseModel):
    """The clock to be read and typed over; `error` is empty where it was not measured."""

    value: str
    unit: Literal["ppm", "%"]
    error: str


class MapOut(BaseModel):
    """The current version: pieces of knots `[t_ref, t_rec]`, s; null where there are many, to be asked for once by id.

    `pitch_reason` says what happens to the pitch and why; empty where the speed is not changed audibly. `bent`: it
    follows another performance along ties.
    """

    id: UUID
    pieces: list[list[list[float]]] | None
    offset_s: float
    rate: float
    clock_ppm: float
    clock_label: str
    clock: ClockOut
    gaps: Gaps
    pitch: Pitch
    pitch_reason: str
    bent: bool
    polarity: Literal[1, -1]
    gain_db: float
    channels: list[int] | None
    kept: bool
    push_ms: float
    joints: list[JointOut]
    start_ref_s: float
    end_ref_s: float


class JudgementOut(BaseModel):
    """What the program thinks of a recording, and why; `has_clock`: one was measured, and can be used again."""

    confidence: float
    sure: str
    polarity: int
    ppm_error: float | None
    candidates: list[CandidateOut]
    notes: list[NoteOut]
    map_id: UUID | None
    has_clock: bool


class ProofOut(BaseModel):
    """What is left over, measured from the sound rendered through one version of the map.

    `current`: that is the map as it is now. `left_over` is empty and the figures null where nothing was clear enough.
    `in_step`: nineteen in twenty clear windows lie on the map.
    """

    map_id: UUID
    current: bool
    left_over: str
    in_step: bool
    median_ms: float | None
    p95_ms: float | None


class RecordingOut(BaseModel):
    """A recording. `version` must come back with every edit.

    `set_aside`: it does not belong, as a person said. `locked`: it is finished, and nothing changes it. `set_id`: the
    set that it moves with. `remark`: what a person noted of it. `performs`: it seems to be another performance of the
    reference's part, and has not been followed yet.

    `undo`, `redo` say what would be taken back or done again next, `earlier_id` is the version before the last change.
    """

    id: UUID
    project_id: UUID
    name: str
    file_name: str
    version: int
    status: RecordingStatus
    media: MediaOut
    map: MapOut | None
    undo: str | None
    redo: str | None
    earlier_id: UUID | None
    judgement: JudgementOut | None
    as_judged: bool
    set_aside: bool
    locked: bool
    set_id: UUID | None
    remark: str
    performs: bool
    proof: ProofOut | None
    sentence: str

    @classmethod
    def of(cls, row: RecordingRow, ends: Ends | None) -> "RecordingOut":
        """From the stored row, and the ends of its history, if it has any."""
        return cls(
            id=row.id,
            project_id=row.project_id,
            name=row.name,
            file_name=row.file_name,
            version=row.version,
            status=status_of_recording(row),
            media=MediaOut.of(row.media),
            map=_map(row),
            undo=ends.undo if ends else None,
            redo=ends.redo if ends else None,
            earlier_id=ends.earlier_id if ends else None,
            judgement=_judgement(row),
            as_judged=row.is_as_judged,
            performs=any(note["code"] == PERFORMANCE for note in notes_of(row)),
            set_aside=row.is_set_aside,
            locked=row.locked,
            set_id=row.member.membership.set_id if row.member else None,
            remark=row.remark,
            proof=_proof(row),
            sentence=sentence_of(row),
        )


class DescribeIn(Body):
    """A new name, a new remark; null leaves it."""

    version: int
    name: Name | None = None
    remark: str | None = None


def _map(row: RecordingRow) -> MapOut | None:
    if row.current is None:
        return None
    version = row.current.value
    time_map, sounding = version.heard_map, version.sounding
    return MapOut(
        id=row.current.id,
        pieces=time_map.to_json() if _is_small(time_map) else None,
        offset_s=time_map.offset_s,
        rate=time_map.rate,
        clock_ppm=time_map.clock_ppm,
        clock_label=clock_label(row),
        clock=ClockOut(**asdict(clock_figure(row, time_map))),
        gaps=sounding.gaps,
        pitch=sounding.pitch,
        polarity=1 if sounding.polarity > 0 else -1,
        gain_db=sounding.gain_db,
        channels=None if sounding.channels is None else list(sounding.channels),
        kept=sounding.kept,
        push_ms=version.push_s * 1e3,
        pitch_reason=pitch_reason(sounding.pitch, _bent_or_first(time_map), row.media.sample_rate_hz or 0),
        bent=version.bending is not None,
        joints=[
            JointOut(words=joint_words(before, after), has_gap=gap_between(before, after) > LEAST_GAP_S)
            for before, after in pairwise(time_map.pieces)
        ],
        start_ref_s=time_map.start_ref_s,
        end_ref_s=time_map.end_ref_s_exclusive,
    )


def _judgement(row: RecordingRow) -> JudgementOut | None:
    judged = row.placing
    if judged is None:
        return None
    now = row.current.value.heard_map if row.current else None
    return JudgementOut(
        confidence=judged.confidence,
        sure=f"{percent(judged.confidence)} %".replace("over\u00a0", "> "),
        polarity=judged.polarity,
        ppm_error=judged.ppm_error,
        candidates=[
            CandidateOut(**one, current=now is not None and now.lies_at(one["offset_s"])) for one in judged.candidates
        ],
        notes=[NoteOut(**one) for one in notes_of(row)],
        map_id=judged.version_id,
        has_clock=judged.stored is not None,
    )


def _proof(row: RecordingRow) -> ProofOut | None:
    proof = row.proof
    if proof is None:
        return None
    residual = proof.residual
    return ProofOut(
        map_id=proof.version_id,
        current=row.current_proof is not None,
        left_over=short_time(residual["median_ms"]) if residual else "",
        in_step=residual is not None and _is_in_step(row, residual),
        median_ms=residual["median_ms"] if residual else None,
        p95_ms=residual["p95_ms"] if residual else None,
    )


def _is_in_step(row: RecordingRow, residual: Mapping[str, float]) -> bool:
    """Whether it is where it should be: of the same event to a millisecond, of a performance as an ear has it."""
    if row.current and row.current.value.bending:
        return residual["median_ms"] <= PERFORMERS_TOGETHER_S * 1e3
    return is_in_step(residual["p95_ms"] / 1e3)


def _is_small(time_map: TimeMap) -> bool:
    return sum(piece.t_ref.size for piece in time_map.pieces) <= FEW_KNOTS


def _bent_or_first(time_map: TimeMap) -> Piece:
    """The piece that says what happens to the pitch."""
    return next((piece for piece in time_map.pieces if is_bent(piece)), time_map.pieces[0])
