"""What actions need from outside, handed to them by the entry points."""

from dataclasses import dataclass
from pathlib import Path
from typing import Protocol
from uuid import UUID

from gullywind.store.database import Database
from gullywind.store.files import MediaFolder


class Queue(Protocol):
    """Queues a job by its task's name on a connection, so that it commits or vanishes with the caller's rows."""

    def defer(self, connection: object, task: str, work_id: UUID, *, priority: int = 0) -> int:
        """Returns the job's number in the queue."""
        ...

    def close(self) -> None:
        """Let go of its connection."""
        ...


@dataclass(frozen=True)
class Context:
    """The application's parts. `folders`: files in these may be taken in by their path."""

    database: Database
    media: MediaFolder
    queue: Queue
    folders: tuple[Path, ...] = ()
