"""Queries about marks: those of a person, and the sharp sounds that were found."""

from collections.abc import Sequence
from uuid import UUID

from sqlalchemy import ColumnElement, select

from gullywind.core.ground.errors import NotFoundError
from gullywind.store.database import Session
from gullywind.store.tables import MarkRow, MediaRow, RecordingRow


def marks_of_project(session: Session, project_id: UUID) -> Sequence[MarkRow]:
    """What a person marked in all recordings of a project, in the order of time."""
    query = select(MarkRow).join(RecordingRow, RecordingRow.id == MarkRow.recording_id)
    return session.scalars(query.where(*_in_project(project_id)).order_by(MarkRow.t_rec)).all()


def claps_of_project(session: Session, project_id: UUID) -> dict[UUID, list[list[float]]]:
    """The sharp sounds of a project's recordings, `[t_rec in s, certainty]`; none where nobody listened for them."""
    query = select(RecordingRow.id, MediaRow.claps).join(MediaRow, MediaRow.content_hash == RecordingRow.content_hash)
    rows = session.execute(query.where(*_in_project(project_id)))
    return {recording_id: claps or [] for recording_id, claps in rows}


def _in_project(project_id: UUID) -> tuple[ColumnElement[bool], ...]:
    return RecordingRow.project_id == project_id, RecordingRow.removed_at.is_(None)


def get_mark(session: Session, mark_id: UUID) -> MarkRow:
    """One mark; raises `NotFoundError`."""
    row = session.get(MarkRow, mark_id)
    if row is None:
        raise NotFoundError("This mark does not exist any more.")
    return row
