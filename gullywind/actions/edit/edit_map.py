"""Edit where a recording lies and how it sounds, by hand; every edit is a change that can be taken back."""

from dataclasses import replace
from uuid import UUID

import numpy as np

from gullywind.actions.context import Context
from gullywind.actions.edit.step_history import go_to, redo, undo
from gullywind.actions.edit.tie_sets import carried_parts, correct_member, set_around
from gullywind.actions.hear.fetch_sound import open_sound
from gullywind.actions.hear.prove_recording import listening_pair, request_proofs
from gullywind.actions.rivals import rival_version
from gullywind.core.ground.errors import InputError, NotNowError
from gullywind.core.ground.speeds import MOST_CLOCK, nearest_speed
from gullywind.core.ground.words import later
from gullywind.core.maps.edits import MapEdit, Meet, MoveTo, Nudge, UseClock, steady
from gullywind.core.maps.piece_edits import Trim
from gullywind.core.maps.push import SetPush
from gullywind.core.maps.sounding_edits import SetChannels, SoundingEdit
from gullywind.core.maps.time_map import TimeMap, alike
from gullywind.core.maps.version import Version
from gullywind.core.measure.evidence import Curve
from gullywind.core.measure.inside_set import MOST_INSIDE_S
from gullywind.core.measure.windows import Line
from gullywind.core.places.settle import settle
from gullywind.core.sound.first_sound import first_sound_s
from gullywind.store.database import Session, announce
from gullywind.store.history import Part, record_change
from gullywind.store.placings import curve_of
from gullywind.store.projects import check_version, get_project, lock_project
from gullywind.store.recordings import get_recording, list_recordings, reference_of
from gullywind.store.tables import RecordingRow

#: A hand that puts a strip down means no place further off, s.
MOST_REACH_S = 10.0
BENT = "It is bent along its ties: take the bend off before its pieces or its clock are changed."
#: What settles by less from where it lay lies there still, s: settling is no more exact.
SAME_PLACE_S = 1e-5


def edit_recording(
    context: Context, session: Session, recording_id: UUID, version: int, edit: MapEdit | SoundingEdit | SetPush
) -> RecordingRow:
    """Make a new version with an edit."""
    row = _locked(session, recording_id, version)
    if row.current is None and isinstance(edit, MoveTo | Meet):
        if row.media.duration_s is None:
            raise NotNowError("This recording has not been listened to yet.")
        edited = edit.apply(TimeMap.placement(0.0, 1.0, row.media.duration_s))
        where = f" at {edit.offset_s:.6f} s" if isinstance(edit, MoveTo) else f": {edited.sentence}"
        return _apply(context, session, row, Version(edited.time_map), f"placed by hand{where}")
    return _apply(context, session, row, *edited_version(row, edit))


def edited_version(row: RecordingRow, edit: MapEdit | SoundingEdit | SetPush) -> tuple[Version, str]:
    """What an edit makes of a recording that has a place, and the words for it. Raises `NotNowError`, `InputError`."""
    now = _current(row)
    if isinstance(edit, SoundingEdit):
        if isinstance(edit, SetChannels) and max(edit.channels or (0,)) >= (row.media.channels or 1):
            raise InputError(f"This recording has {row.media.channels} channels.")
        sounded = edit.apply(now.sounding)
        return replace(now, sounding=sounded.sounding), sounded.sentence
    if isinstance(edit, SetPush):
        pushed = edit.apply(now)
        return pushed.version, pushed.sentence
    # Moments are told as they are heard, with the push.
    edited = edit.apply(now.heard_map)
    if now.bending is None:
        return now.heard_at(edited.time_map), edited.sentence
    if not isinstance(edit, Nudge | MoveTo | Meet):
        raise NotNowError(BENT)
    return now.shifted(edited.time_map.start_ref_s - now.heard_map.start_ref_s), edited.sentence


def trim_piece(
    context: Context, session: Session, recording_id: UUID, version: int, *, index: int, edge: str, t_ref: float
) -> RecordingRow:
    """Move one edge of a piece, outwards at most to the ends of the file."""
    duration_s = get_recording(session, recording_id).media.duration_s or 0.0
    return edit_recording(context, session, recording_id, version, Trim(index, edge, t_ref, duration_s))


def first_sound_to(context: Context, session: Session, recording_id: UUID, version: int, t_ref: float) -> RecordingRow:
    """Move a recording so that its first sound is a moment of the reference."""
    row = _locked(session, recording_id, version)
    t_rec = first_sound_s(open_sound(context, row.content_hash))
    if t_rec is None:
        raise NotNowError("This recording has no sound that begins.")
    return edit_recording(context, session, recording_id, version, Meet(t_rec, t_ref))


def settle_recording(
    context: Context, session: Session, recording_id: UUID, version: int, *, by_s: float, reach_s: float
) -> RecordingRow:
    """Move a recording by hand and let it settle where it sounds alike, within reach; else it lies where it was put."""
    # Measured before the project is locked: nobody waits for sound that is read.
    row = get_recording(session, recording_id)
    check_version(row, version)
    put = _current(row).heard_map.shifted(by_s)
    if not 0 < reach_s <= MOST_REACH_S:
        raise InputError(f"A recording settles within {MOST_REACH_S:g} s, not {reach_s:g} s.")
    # Another performance sounds alike nowhere to the sample.
    settles = not row.locked and _current(row).bending is None
    late_s = _settled(context, session, row, put, reach_s) if settles else None
    row = _locked(session, recording_id, version)
    moved_s = by_s + (late_s or 0.0)
    if abs(moved_s) < SAME_PLACE_S:
        # Nothing moved: that is no step of the history.
        return row
    settled = f"moved {later(moved_s)}: settled where it sounds alike"
    lies = _current(row).shifted(moved_s)
    return _apply(context, session, row, lies, settled if late_s is not None else f"moved {later(by_s)}")


def _settled(context: Context, session: Session, row: RecordingRow, put: TimeMap, reach_s: float) -> float | None:
    """By how much later it sounds alike; None where it does not, or runs at a speed that no clock has."""
    reference = reference_of(session, get_project(session, row.project_id))
    if reference is None or abs(put.rate - 1) > MOST_CLOCK:
        return None
    known = curve_of(session, row.placing) if row.placing else None
    curve = None
    if known is not None and known.curve is not None:
        heights = np.frombuffer(known.curve, "<f4")
        curve = Curve(known.curve_start_s or 0.0, known.curve_step_s or 1.0, heights)
    views = listening_pair(context, reference, row)
    # The first piece tells for all: what is broken is moved whole.
    piece = put.pieces[0]
    line = Line(float(piece.reference_along(np.zeros(1))[0]), piece.rate)
    return settle(*views, line, reach_s, curve)


def use_clock(context: Context, session: Session, recording_id: UUID, version: int, *, measured: bool) -> RecordingRow:
    """Apply the clock that was measured, or refuse it."""
    row = _locked(session, recording_id, version)
    now = _current(row)
    if now.bending is not None:
        raise NotNowError(BENT)
    edited = _clock_edit(row, measured).apply(now.time_map)
    return _apply(context, session, row, now.at(edited.time_map), edited.sentence)


def use_clock_of_all(context: Context, session: Session, project_id: UUID, *, measured: bool) -> int:
    """The same for all placed recordings of a project, as one change; returns how many. What is at rate 1 stays."""
    lock_project(session, project_id)
    parts, carried = list[Part](), set[UUID]()
    for row in list_recordings(session, project_id):
        if row.current is None or row.locked or row.id in carried or (measured and _judged(row) is None):
            continue
        now = row.current.value
        if now.bending is not None:
            continue
        edited = _clock_edit(row, measured).apply(now.time_map)
        # A speed that was put right is no clock, and what is so already needs no new version.
        if not alike(edited.time_map, now.time_map):
            version = now.at(edited.time_map)
            parts += [Part(row, version, edited.sentence), *carried_parts(session, row, version, edited.sentence)]
            carried |= {part.recording.id for part in parts}
    if parts:
        record_change(session, project_id, f"measured clocks {'used' if measured else 'refused'}", parts)
        request_proofs(context, session, project_id, [part.recording for part in parts])
        announce(session, project_id)
    return len(parts)


def take_candidate(context: Context, session: Session, recording_id: UUID, version: int, index: int) -> RecordingRow:
    """Use one of the places that the search offers."""
    row = _locked(session, recording_id, version)
    taken, judged = rival_version(row, index), _judged(row)
    words = f"place {index + 1} taken: {taken.time_map.offset_s:.3f} s"
    # The judged place itself comes with all its pieces.
    return _apply(context, session, row, taken.at(judged.time_map) if index == 0 and judged else taken, words)


def unplace_recording(context: Context, session: Session, recording_id: UUID, version: int) -> RecordingRow:
    """Take the recording off its place; it is somewhere or nowhere, but nothing is forgotten."""
    row = _locked(session, recording_id, version)
    _current(row)
    row.set_aside = False
    return _apply(context, session, row, None, "taken off its place")


def set_aside(context: Context, session: Session, recording_id: UUID, version: int, *, aside: bool) -> RecordingRow:
    """Say that a recording does not belong, or that it may after all; it stays said whatever is looked for."""
    row = _locked(session, recording_id, version)
    row.set_aside = aside
    if aside and row.current is not None:
        return _apply(context, session, row, None, "set aside: it does not belong")
    row.version += 1
    announce(session, row.project_id)
    return row


def lock_recording(session: Session, recording_id: UUID, version: int, *, locked: bool) -> RecordingRow:
    """Say that a recording is finished, so that nothing changes it any more, or that it is not; and its whole set."""
    row = get_recording(session, recording_id, lock=True)
    check_version(row, version)
    for one in set_around(session, row) or [row]:
        one.locked = locked
        one.version += 1
    announce(session, row.project_id)
    return row


def correct_in_set(
    context: Context, session: Session, recording_id: UUID, version: int, corrected_s: float
) -> RecordingRow:
    """Draw a microphone earlier within its set by its delay; 0: as it was recorded."""
    row = _locked(session, recording_id, version)
    if not abs(corrected_s) <= MOST_INSIDE_S:
        raise InputError(f"Within a set a microphone is moved by {MOST_INSIDE_S * 1e3:.0f} ms at most.")
    words = f"moved {later(-corrected_s)} within its set" if corrected_s else "as recorded within its set"
    return correct_member(context, session, row, corrected_s, words)


def step(context: Context, session: Session, recording_id: UUID, version: int, kind: str) -> RecordingRow:
    """`undo` or `redo` what was done to a recording last."""
    row = _locked(session, recording_id, version)
    (undo if kind == "undo" else redo)(context, session, row.project_id, recording_id)
    return get_recording(session, recording_id)


def go_to_step(context: Context, session: Session, recording_id: UUID, version: int, number: int) -> RecordingRow:
    """Go to any change that touches a recording, back or forth; 0 is before all of them."""
    row = _locked(session, recording_id, version)
    go_to(context, session, row.project_id, number, recording_id)
    return get_recording(session, recording_id)


def _clock_edit(row: RecordingRow, measured: bool) -> UseClock:
    if not measured:
        # A wrong header or a film speed is no clock: what remains of it is the known speed itself.
        speed = nearest_speed(_current(row).time_map.rate, row.media.sample_rate_hz or 0)
        return UseClock(steady(speed), "measured clock refused:")
    judged = _judged(row)
    if judged is None:
        raise NotNowError("No clock was measured: find the place by its sound first.")
    # Several pieces have one straight clock.
    return UseClock(judged.time_map.pieces[0], "measured clock used:")


def _judged(row: RecordingRow) -> Version | None:
    return row.placing.judged if row.placing else None


def _locked(session: Session, recording_id: UUID, version: int) -> RecordingRow:
    row = get_recording(session, recording_id, lock=True)
    check_version(row, version)
    if row.locked:
        raise NotNowError(f"{row.name} is locked: unlock it before it is changed.")
    return row


def _current(row: RecordingRow) -> Version:
    if row.current is None:
        raise NotNowError("This recording has no place yet: find it by its sound, or type where it starts.")
    return row.current.value


def _apply(
    context: Context, session: Session, row: RecordingRow, version: Version | None, sentence: str
) -> RecordingRow:
    parts = [Part(row, version, sentence), *carried_parts(session, row, version, sentence)]
    record_change(session, row.project_id, sentence, parts)
    request_proofs(context, session, row.project_id, [part.recording for part in parts])
    announce(session, row.project_id)
    return row
