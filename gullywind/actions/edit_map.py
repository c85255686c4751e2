"""Edit a recording's time map by hand, with undo and redo over its versions."""

from uuid import UUID

from gullywind.core import edits
from gullywind.core.errors import InputError
from gullywind.core.time_map import TimeMap
from gullywind.store.database import Session, announce
from gullywind.store.projects import check_version
from gullywind.store.recordings import add_map_version, get_recording
from gullywind.store.tables import RecordingRow


def nudge_recording(session: Session, recording_id: UUID, version: int, by_s: float) -> RecordingRow:
    """Move a recording by a time, s; positive: later."""
    row = _locked(session, recording_id, version)
    return _apply(session, row, edits.nudge(_current(row), by_s))


def move_recording(session: Session, recording_id: UUID, version: int, offset_s: float) -> RecordingRow:
    """Let a recording start at a reference time, s; places one that has no place yet."""
    row = _locked(session, recording_id, version)
    if row.current is None:
        if row.media.duration_s is None:
            raise InputError("This recording has not been listened to yet.")
        time_map = TimeMap.placement(offset_s, 1.0, row.media.duration_s)
        return _apply(session, row, edits.Edited(time_map, f"placed by hand at {offset_s:.6f} s"))
    return _apply(session, row, edits.move_to(_current(row), offset_s))


def take_candidate(session: Session, recording_id: UUID, version: int, index: int) -> RecordingRow:
    """Use one of the places that the search offers."""
    row = _locked(session, recording_id, version)
    candidates = row.alignment.candidates if row.alignment else []
    if not 0 <= index < len(candidates) or row.media.duration_s is None:
        raise InputError("This place is not offered any more.")
    chosen = candidates[index]
    judged = next((one for one in row.map_versions if row.alignment and one.number == row.alignment.map_number), None)
    if index == 0 and judged is not None:
        # The judged place itself, with all its pieces.
        return _apply(session, row, edits.Edited(judged.to_core(), f"place 1 taken: {chosen['offset_s']:.3f} s"))
    time_map = TimeMap.placement(chosen["offset_s"], chosen["rate"], row.media.duration_s)
    return _apply(session, row, edits.Edited(time_map, f"place {index + 1} taken: {chosen['offset_s']:.3f} s"))


def unplace_recording(session: Session, recording_id: UUID, version: int) -> RecordingRow:
    """Go back to no place at all."""
    row = _locked(session, recording_id, version)
    return _switch(session, row, 0)


def undo_edit(session: Session, recording_id: UUID, version: int) -> RecordingRow:
    """Go back to the version before."""
    row = _locked(session, recording_id, version)
    if row.map_number == 0:
        raise InputError("There is nothing to undo.")
    return _switch(session, row, row.map_number - 1)


def redo_edit(session: Session, recording_id: UUID, version: int) -> RecordingRow:
    """Go forward to the version that was undone last."""
    row = _locked(session, recording_id, version)
    if row.map_number >= max((one.number for one in row.map_versions), default=0):
        raise InputError("There is nothing to redo.")
    return _switch(session, row, row.map_number + 1)


def _locked(session: Session, recording_id: UUID, version: int) -> RecordingRow:
    row = get_recording(session, recording_id, lock=True)
    check_version(row, version)
    return row


def _current(row: RecordingRow) -> TimeMap:
    if row.current is None:
        raise InputError("This recording has no place yet: find it by its sound, or type where it starts.")
    return row.current.to_core()


def _apply(session: Session, row: RecordingRow, edited: edits.Edited) -> RecordingRow:
    add_map_version(session, row, edited.time_map, edited.sentence)
    announce(session, row.project_id)
    return row


def _switch(session: Session, row: RecordingRow, number: int) -> RecordingRow:
    row.map_number = number
    row.version += 1
    announce(session, row.project_id)
    session.flush()
    return row
