"""The job queue (Procrastinate) on the same PostgreSQL; jobs are queued on the connection of the caller's session."""

from typing import Any
from uuid import UUID

import procrastinate
from sqlalchemy import text
from sqlalchemy.orm import Session


def sync_app(url: str) -> procrastinate.App:
    """A queue for those who only put jobs in."""
    return procrastinate.App(connector=procrastinate.SyncPsycopgConnector(conninfo=driver_url(url)))


def driver_url(url: str) -> str:
    """SQLAlchemy's URL as the driver wants it."""
    return url.replace("postgresql+psycopg://", "postgresql://", 1)


class JobQueue:
    """Puts jobs into the queue."""

    def __init__(self, url: str) -> None:
        self._app = sync_app(url)
        self._app.open()

    def defer(self, connection: Any, task: str, work_id: UUID, *, priority: int = 0) -> int:
        """Queue `task` for a piece of work, before all of lower priority; returns the job's number."""
        deferrer = self._app.configure_task(name=task, queue="work", connection=connection, priority=priority)
        return int(deferrer.defer(work_id=str(work_id)))

    def close(self) -> None:
        """Close the connections."""
        self._app.close()


def works_without_job(session: Session) -> list[UUID]:
    """Open work that no job will do: its job failed, was aborted or is gone. Locked until the session ends.

    Work and job end together in two steps; where the program or the database dies between them, they drift apart.
    """
    query = text(
        "SELECT work.id FROM work LEFT JOIN procrastinate_jobs job ON job.id = work.queue_job_id"
        " WHERE work.state IN ('queued', 'running') AND (job.id IS NULL OR job.status NOT IN ('todo', 'doing'))"
        " FOR UPDATE OF work SKIP LOCKED"
    )
    return list(session.scalars(query))
