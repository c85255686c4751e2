"""Create work rows and queue their jobs in one transaction; queue again what lost its job."""

from collections.abc import Sequence
from uuid import UUID

from gullywind.actions.context import Context
from gullywind.actions.work.run_work import MOST_ATTEMPTS, give_up
from gullywind.store.database import Session, announce, driver_connection
from gullywind.store.queue import works_without_job
from gullywind.store.tables import WorkKind, WorkRow, WorkState
from gullywind.store.works import get_work

TASKS = {kind: str(kind) for kind in WorkKind}
#: A person who has just moved something waits for its proof; a batch can wait. What is to be placed is listened to on
#: the way, so that the first places are seen while others are not heard yet.
PRIORITIES = {WorkKind.PROVE: 10, WorkKind.PLACE: 5, WorkKind.MATCH: 5}


def start_work(
    context: Context,
    session: Session,
    kind: WorkKind,
    project_id: UUID,
    recording_id: UUID | None,
    *,
    change_id: UUID | None = None,
) -> WorkRow:
    """A queued job with its row; both vanish if the session rolls back."""
    return start_works(context, session, kind, project_id, [recording_id], change_id=change_id)[0]


def start_works(
    context: Context,
    session: Session,
    kind: WorkKind,
    project_id: UUID,
    recording_ids: Sequence[UUID | None],
    *,
    change_id: UUID | None = None,
    stretch_s: tuple[float, float] | None = None,
) -> list[WorkRow]:
    """The same for several recordings; `stretch_s`: for that much of the reference only."""
    start_s, end_s = stretch_s or (None, None)
    what = {"project_id": project_id, "kind": kind, "change_id": change_id, "start_s": start_s, "end_s": end_s}
    rows = [WorkRow(recording_id=one, **what) for one in recording_ids]
    session.add_all(rows)
    session.flush()
    for row in rows:
        _queue(context, session, row)
    session.flush()
    if rows:
        announce(session, project_id)
    return rows


def take_up_lost_work(context: Context) -> int:
    """Queue again all open work that no job will do, or give it up where that was done too often; how many there were.

    Called when a worker starts and regularly after; any number may do so at once.
    """
    with context.database.session() as session:
        lost = works_without_job(session)
        for work_id in lost:
            row = get_work(session, work_id)
            if row.stop_asked or row.attempts >= MOST_ATTEMPTS:
                give_up(session, row)
                announce(session, row.project_id)
                continue
            row.state, row.fraction_done = WorkState.QUEUED, 0.0
            _queue(context, session, row)
            announce(session, row.project_id)
        return len(lost)


def _queue(context: Context, session: Session, row: WorkRow) -> None:
    kind = WorkKind(row.kind)
    row.queue_job_id = context.queue.defer(
        driver_connection(session), TASKS[kind], row.id, priority=PRIORITIES.get(kind, 0)
    )
