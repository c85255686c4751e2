"""Edit a recording's time map by hand, with undo and redo over its versions."""

from dataclasses import replace
from uuid import UUID

from gullywind.actions.context import Context
from gullywind.actions.prove_recording import request_proof
from gullywind.core.ground.errors import NotNowError
from gullywind.core.ground.speeds import nearest_speed
from gullywind.core.maps.edits import Edited, MapEdit, MoveTo, UseClock, steady
from gullywind.core.maps.piece_edits import Trim
from gullywind.core.maps.time_map import TimeMap, alike
from gullywind.store.database import Session, announce
from gullywind.store.projects import check_version, lock_project
from gullywind.store.recordings import add_map_version, get_recording, list_recordings
from gullywind.store.tables import RecordingRow


def edit_recording(context: Context, session: Session, recording_id: UUID, version: int, edit: MapEdit) -> RecordingRow:
    """Make a new version of the map with an edit."""
    row = _locked(session, recording_id, version)
    if row.current is None and isinstance(edit, MoveTo):
        if row.media.duration_s is None:
            raise NotNowError("This recording has not been listened to yet.")
        time_map = TimeMap.placement(edit.offset_s, 1.0, row.media.duration_s)
        return _apply(context, session, row, Edited(time_map, f"placed by hand at {edit.offset_s:.6f} s"))
    return _apply(context, session, row, edit.apply(_current(row)))


def trim_piece(
    context: Context, session: Session, recording_id: UUID, version: int, *, index: int, edge: str, t_ref: float
) -> RecordingRow:
    """Move one edge of a piece, outwards at most to the ends of the file."""
    duration_s = get_recording(session, recording_id).media.duration_s or 0.0
    return edit_recording(context, session, recording_id, version, Trim(index, edge, t_ref, duration_s))


def use_clock(context: Context, session: Session, recording_id: UUID, version: int, *, measured: bool) -> RecordingRow:
    """Apply the clock that was measured, or refuse it."""
    row = _locked(session, recording_id, version)
    return _apply(context, session, row, _clock_edit(row, measured).apply(_current(row)))


def use_clock_of_all(context: Context, session: Session, project_id: UUID, *, measured: bool) -> int:
    """The same for all placed recordings of a project; returns how many changed. What is at rate 1 stays."""
    lock_project(session, project_id)
    changed = 0
    for one in list_recordings(session, project_id):
        judged = one.version_of(one.alignment.map_version_id) if one.alignment else None
        if one.current is None or (measured and judged is None):
            continue
        row = get_recording(session, one.id, lock=True)
        edited = _clock_edit(row, measured).apply(_current(row))
        # A speed that was put right is no clock, and what is so already needs no new version.
        if not alike(edited.time_map, _current(row)):
            _apply(context, session, row, edited)
            changed += 1
    return changed


def _clock_edit(row: RecordingRow, measured: bool) -> UseClock:
    if not measured:
        # A wrong header or a film speed is no clock: what remains of it is the known speed itself.
        speed = nearest_speed(_current(row).rate, row.media.sample_rate_hz or 0)
        return UseClock(steady(speed), "measured clock refused:")
    judged = row.version_of(row.alignment.map_version_id) if row.alignment else None
    if judged is None:
        raise NotNowError("No clock was measured: find the place by its sound first.")
    # Several pieces have one straight clock.
    return UseClock(judged.to_core().pieces[0], "measured clock used:")


def take_candidate(context: Context, session: Session, recording_id: UUID, version: int, index: int) -> RecordingRow:
    """Use one of the places that the search offers."""
    row = _locked(session, recording_id, version)
    candidates = row.alignment.candidates if row.alignment else []
    if not 0 <= index < len(candidates) or row.media.duration_s is None:
        raise NotNowError("This place is not offered any more.")
    chosen = candidates[index]
    judged = row.version_of(row.alignment.map_version_id) if row.alignment else None
    # The judged place itself comes with all its pieces.
    time_map = (
        judged.to_core()
        if index == 0 and judged is not None
        else replace(
            TimeMap.placement(chosen["offset_s"], chosen["rate"], row.media.duration_s),
            polarity=row.alignment.polarity if row.alignment else 1,
        )
    )
    return _apply(context, session, row, Edited(time_map, f"place {index + 1} taken: {chosen['offset_s']:.3f} s"))


def unplace_recording(context: Context, session: Session, recording_id: UUID, version: int) -> RecordingRow:
    """Go back to no place at all."""
    row = _locked(session, recording_id, version)
    return _switch(context, session, row, 0)


def undo_edit(context: Context, session: Session, recording_id: UUID, version: int) -> RecordingRow:
    """Go back to the version before."""
    row = _locked(session, recording_id, version)
    if row.map_number == 0:
        raise NotNowError("There is nothing to undo.")
    return _switch(context, session, row, row.map_number - 1)


def redo_edit(context: Context, session: Session, recording_id: UUID, version: int) -> RecordingRow:
    """Go forward to the version that was undone last."""
    row = _locked(session, recording_id, version)
    if row.map_number >= max((one.number for one in row.map_versions), default=0):
        raise NotNowError("There is nothing to redo.")
    return _switch(context, session, row, row.map_number + 1)


def go_to_version(context: Context, session: Session, recording_id: UUID, version: int, number: int) -> RecordingRow:
    """Go to any step of what was done, back or forth; 0 is before all of it."""
    row = _locked(session, recording_id, version)
    if number != 0 and all(one.number != number for one in row.map_versions):
        raise NotNowError("This step does not exist any more.")
    return _switch(context, session, row, number)


def _locked(session: Session, recording_id: UUID, version: int) -> RecordingRow:
    row = get_recording(session, recording_id, lock=True)
    check_version(row, version)
    return row


def _current(row: RecordingRow) -> TimeMap:
    if row.current is None:
        raise NotNowError("This recording has no place yet: find it by its sound, or type where it starts.")
    return row.current.to_core()


def _apply(context: Context, session: Session, row: RecordingRow, edited: Edited) -> RecordingRow:
    add_map_version(session, row, edited.time_map, edited.sentence)
    return _told(context, session, row)


def _switch(context: Context, session: Session, row: RecordingRow, number: int) -> RecordingRow:
    row.map_number = number
    row.version += 1
    session.flush()
    return _told(context, session, row)


def _told(context: Context, session: Session, row: RecordingRow) -> RecordingRow:
    request_proof(context, session, row)
    announce(session, row.project_id)
    return row
