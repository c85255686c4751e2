"""Do a piece of queued work with progress and cancel; whatever happens, its row tells the end."""

import threading
from collections.abc import Callable
from time import monotonic
from uuid import UUID

from gullywind.actions.context import Context
from gullywind.core.ground.errors import Cancelled, GullywindError, Interrupted, NotFoundError
from gullywind.core.ground.units import Checkpoint
from gullywind.store.database import DatabaseGoneError, Session, announce
from gullywind.store.tables import OPEN_STATES, WorkRow, WorkState
from gullywind.store.works import end_work, find_work, set_progress

#: Progress is written at most this often: enough for a smooth bar, little for the database.
PROGRESS_STEP_S = 0.25
#: Work that was begun this often and never came to an end is given up: a file may end the process that reads it.
MOST_ATTEMPTS = 5
GIVEN_UP = "This was begun several times and each time ended the program; the file may be damaged."
IN_THE_LOG = "Something went wrong in the program; the worker's log has the details."


def run_work(
    context: Context,
    work_id: UUID,
    do: Callable[[UUID, UUID | None, Checkpoint], None],
    *,
    stopping: threading.Event | None = None,
) -> None:
    """Run `do(project_id, recording_id, checkpoint)` for a work row.

    A row that is finished, cancelled or gone is left alone, so that running twice does no harm. Known errors end the
    work with their sentence; unknown ones too, and are raised for the worker's log. Where `stopping` is set, the work
    is put back, to be taken up again.
    """
    with context.database.session() as session:
        row = find_work(session, work_id, lock=True)
        if row is None or row.state not in OPEN_STATES:
            return
        if row.stop_asked or row.attempts >= MOST_ATTEMPTS:
            give_up(session, row)
            announce(session, row.project_id)
            return
        row.state, row.fraction_done, row.attempts = WorkState.RUNNING, 0.0, row.attempts + 1
        project_id, recording_id = row.project_id, row.recording_id
        announce(session, project_id)
    try:
        do(project_id, recording_id, Progress(context, work_id, project_id, stopping))
    except Interrupted:
        _put_back(context, work_id)
    except (Cancelled, NotFoundError):
        # Not found: its recording or project was deleted meanwhile; the row went with it.
        _end(context, work_id, WorkState.CANCELLED, None)
    except DatabaseGoneError:
        # The row cannot be told; the queue's job fails as well, and both are taken up again.
        raise
    except GullywindError as error:
        _end(context, work_id, WorkState.FAILED, str(error))
    except Exception:
        _end(context, work_id, WorkState.FAILED, IN_THE_LOG)
        raise
    else:
        _end(context, work_id, WorkState.DONE, None)


class Progress:
    """A checkpoint that writes progress now and then.

    Raises `Cancelled` where the person asked to stop, `Interrupted` where the program is being stopped.
    """

    def __init__(
        self, context: Context, work_id: UUID, project_id: UUID, stopping: threading.Event | None = None
    ) -> None:
        self._context, self._work_id, self._project_id = context, work_id, project_id
        self._stopping = stopping
        # Whether to stop was looked at a moment ago, and what is over by then needs no bar.
        self._last = monotonic()
        self._lock = threading.Lock()

    def __call__(self, fraction_done: float) -> None:
        """Report progress, 0..1."""
        if self._stopping is not None and self._stopping.is_set():
            raise Interrupted("The program is being stopped.")
        with self._lock:
            if monotonic() - self._last < PROGRESS_STEP_S:
                return
            self._last = monotonic()
            with self._context.database.session() as session:
                stop = set_progress(session, self._work_id, min(max(fraction_done, 0.0), 1.0))
                announce(session, self._project_id)
            if stop:
                raise Cancelled("stopped")


def give_up(session: Session, row: WorkRow) -> None:
    """End open work that is not to be begun again: a person asked to stop it, or it was begun too often."""
    if row.stop_asked:
        end_work(session, row, WorkState.CANCELLED, None)
    else:
        end_work(session, row, WorkState.FAILED, GIVEN_UP)


def _put_back(context: Context, work_id: UUID) -> None:
    """As if it had not been begun; whoever looks for work without a job queues it again."""
    with context.database.session() as session:
        row = find_work(session, work_id, lock=True)
        if row is not None and row.state == WorkState.RUNNING:
            row.state, row.fraction_done, row.attempts = WorkState.QUEUED, 0.0, max(0, row.attempts - 1)
            announce(session, row.project_id)


def _end(context: Context, work_id: UUID, state: WorkState, message: str | None) -> None:
    with context.database.session() as session:
        row = find_work(session, work_id, lock=True)
        if row is not None:
            end_work(session, row, state, message)
            announce(session, row.project_id)
