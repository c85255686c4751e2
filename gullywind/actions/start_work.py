"""Create work rows and queue their jobs in one transaction."""

from uuid import UUID

from gullywind.actions.context import Context
from gullywind.store.database import Session, announce, driver_connection
from gullywind.store.tables import WorkKind, WorkRow

TASKS = {WorkKind.LISTEN: "listen", WorkKind.PLACE: "place", WorkKind.PROVE: "prove", WorkKind.DELIVER: "deliver"}
#: A person who has just moved something waits for its proof; a batch can wait.
PRIORITIES = {WorkKind.PROVE: 10}


def start_work(
    context: Context, session: Session, kind: WorkKind, project_id: UUID, recording_id: UUID | None
) -> WorkRow:
    """A queued job with its row; both vanish if the session rolls back."""
    row = WorkRow(project_id=project_id, recording_id=recording_id, kind=kind)
    session.add(row)
    session.flush()
    row.queue_job_id = context.queue.defer(
        driver_connection(session), TASKS[kind], row.id, priority=PRIORITIES.get(kind, 0)
    )
    announce(session, project_id)
    return row
