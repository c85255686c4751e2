"""The job queue (Procrastinate) on the same PostgreSQL; jobs are queued on the connection of the caller's session."""

from typing import Any
from uuid import UUID

import procrastinate


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
