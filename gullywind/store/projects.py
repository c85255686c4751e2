"""Queries about projects."""

from collections.abc import Sequence
from uuid import UUID

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from gullywind.core.errors import ConflictError, NotFoundError
from gullywind.store.tables import ProjectRow, RecordingRow


def list_projects(session: Session) -> Sequence[ProjectRow]:
    """All projects, newest first."""
    return session.scalars(select(ProjectRow).order_by(ProjectRow.created_at.desc())).all()


def get_project(session: Session, project_id: UUID) -> ProjectRow:
    """One project; raises `NotFoundError`."""
    row = session.get(ProjectRow, project_id)
    if row is None:
        raise NotFoundError("This project does not exist any more.")
    return row


def check_version(row: ProjectRow | RecordingRow, version: int) -> None:
    """Refuse an edit that was made on an older state than the stored one."""
    if row.version != version:
        raise ConflictError("This was changed elsewhere meanwhile; it has been loaded again.")


def count_recordings(session: Session) -> dict[UUID, int]:
    """How many recordings each project has."""
    rows = session.execute(select(RecordingRow.project_id, func.count()).group_by(RecordingRow.project_id))
    return dict(rows)
