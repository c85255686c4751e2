"""Queries about projects."""

from collections.abc import Sequence
from uuid import UUID

from sqlalchemy import func, select, text
from sqlalchemy.orm import Session

from gullywind.core.ground.errors import ConflictError, NotFoundError
from gullywind.store.tables import ProjectRow, RecordingRow


def list_projects(session: Session) -> Sequence[ProjectRow]:
    """All projects, newest first."""
    return session.scalars(select(ProjectRow).order_by(ProjectRow.created_at.desc())).all()


def lock_project(session: Session, project_id: UUID) -> None:
    """Nobody else changes a project, its recordings or the work on it before the session ends, which must be soon.

    Whoever changes any of them asks for this first, so that no two wait for each other. `lock_media` comes after it.
    """
    session.execute(text("SELECT pg_advisory_xact_lock(hashtextextended(:key, 5))"), {"key": str(project_id)})


def get_project(session: Session, project_id: UUID, *, lock: bool = False) -> ProjectRow:
    """One project; with `lock` nobody else changes it or what is in it. Raises `NotFoundError`."""
    if lock:
        lock_project(session, project_id)
    row = session.get(ProjectRow, project_id, populate_existing=lock)
    if row is None:
        raise NotFoundError("This project does not exist any more.")
    return row


def check_version(row: ProjectRow | RecordingRow, version: int) -> None:
    """Refuse an edit that was made on an older state than the stored one."""
    if row.version != version:
        raise ConflictError("This was changed elsewhere meanwhile; it has been loaded again.")


def count_recordings(session: Session) -> dict[UUID, int]:
    """How many recordings each project has."""
    here = select(RecordingRow.project_id, func.count()).where(RecordingRow.removed_at.is_(None))
    rows = session.execute(here.group_by(RecordingRow.project_id))
    return dict(rows)
