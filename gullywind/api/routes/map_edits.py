"""Edits of recordings: each makes new versions, as one change."""

from uuid import UUID

from fastapi import APIRouter

from gullywind.actions.edit import bend_recording, edit_map
from gullywind.actions.edit.match_levels import match_levels
from gullywind.api.deps import ContextDep, SessionDep
from gullywind.api.models.bend_edits import (
    BendAsIn,
    BendIn,
    ClosenessIn,
    HoldEdgesIn,
    HoldTiesIn,
    RemoveTiesIn,
    TieIn,
    UnbendIn,
)
from gullywind.api.models.map_edits import (
    ClockIn,
    ClocksIn,
    CorrectInSetIn,
    EditIn,
    FirstSoundIn,
    GoIn,
    LevelsIn,
    LockIn,
    SetAsideIn,
    SettleIn,
    StepIn,
    TakeIn,
    TrimIn,
)
from gullywind.api.models.recordings import RecordingOut
from gullywind.api.shown import recording_out

router = APIRouter(tags=["recordings"])


@router.post("/recordings/{recording_id}/map-edits")
def edit_recording(recording_id: UUID, body: EditIn, context: ContextDep, session: SessionDep) -> RecordingOut:
    """Edit the map; a stale `version` gets a conflict, never a lost update."""
    on = (context, session, recording_id, body.version)
    match body:
        case TrimIn():
            edit_map.trim_piece(*on, index=body.index, edge=body.edge, t_ref=body.t_ref)
        case ClockIn():
            edit_map.use_clock(*on, measured=body.use == "measured")
        case TakeIn():
            edit_map.take_candidate(*on, body.index)
        case FirstSoundIn():
            edit_map.first_sound_to(*on, body.t_ref)
        case SettleIn():
            edit_map.settle_recording(*on, by_s=body.by_s, reach_s=body.reach_s)
        case HoldEdgesIn():
            bend_recording.hold_edges(*on, body.start_s, body.end_s, only=body.only)
        case BendAsIn():
            bend_recording.bend_as(*on, body.recording_id)
        case UnbendIn():
            bend_recording.unbend(*on)
        case BendIn() | TieIn() | RemoveTiesIn() | HoldTiesIn() | ClosenessIn():
            bend_recording.bend_recording(*on, body.to_core())
        case SetAsideIn():
            edit_map.set_aside(*on, aside=body.aside)
        case LockIn():
            edit_map.lock_recording(session, recording_id, body.version, locked=body.locked)
        case CorrectInSetIn():
            edit_map.correct_in_set(*on, body.corrected_s)
        case GoIn():
            edit_map.go_to_step(*on, body.number)
        case StepIn(kind="unplace"):
            edit_map.unplace_recording(*on)
        case StepIn():
            edit_map.step(*on, body.kind)
        case _:
            edit_map.edit_recording(*on, body.to_core())
    return recording_out(session, recording_id)


@router.post("/projects/{project_id}/clocks")
def use_clocks(project_id: UUID, body: ClocksIn, context: ContextDep, session: SessionDep) -> int:
    """Use the measured clocks of all recordings, or refuse them; returns how many changed."""
    return edit_map.use_clock_of_all(context, session, project_id, measured=body.use == "measured")


@router.post("/projects/{project_id}/levels")
def post_levels(project_id: UUID, body: LevelsIn, session: SessionDep) -> int:
    """Bring all placed recordings to one loudness; returns how many changed."""
    return match_levels(session, project_id, target_lufs=body.target_lufs, limit_dbtp=body.limit_dbtp)
