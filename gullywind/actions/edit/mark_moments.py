"""Marks that a person puts at moments of a recording."""

import math
from uuid import UUID

from gullywind.core.ground.errors import InputError, NotNowError
from gullywind.core.ground.units import to_samples, to_seconds
from gullywind.store.database import Session, announce
from gullywind.store.marks import get_mark
from gullywind.store.recordings import get_recording
from gullywind.store.tables import MarkRow

MOST_NAME = 80


def add_mark(session: Session, recording_id: UUID, t_rec: float, name: str) -> MarkRow:
    """A mark at the sample nearest to a moment of the recording, s."""
    recording = get_recording(session, recording_id)
    duration_s = recording.media.duration_s
    if duration_s is None:
        raise NotNowError("This recording has not been listened to yet.")
    if not (math.isfinite(t_rec) and 0 <= t_rec <= duration_s):
        raise InputError(f"A mark must lie within the recording, 0 to {duration_s:.3f} s; got {t_rec:g} s.")
    rate_hz = recording.media.sample_rate_hz or 1
    exact_s = to_seconds(to_samples(t_rec, rate_hz), rate_hz)
    row = MarkRow(recording_id=recording_id, t_rec=exact_s, name=_named(name))
    session.add(row)
    session.flush()
    announce(session, recording.project_id)
    return row


def rename_mark(session: Session, mark_id: UUID, name: str) -> MarkRow:
    """Another name for it."""
    row = get_mark(session, mark_id)
    row.name = _named(name)
    announce(session, get_recording(session, row.recording_id).project_id)
    return row


def remove_mark(session: Session, mark_id: UUID) -> None:
    """Away with it."""
    row = get_mark(session, mark_id)
    project_id = get_recording(session, row.recording_id).project_id
    session.delete(row)
    announce(session, project_id)


def _named(name: str) -> str:
    name = name.strip()
    if len(name) > MOST_NAME:
        raise InputError(f"A mark's name has at most {MOST_NAME} characters.")
    return name
