"""Do a piece of queued work with progress and cancel; whatever happens, its row tells the end."""

import threading
from collections.abc import Callable
from time import monotonic
from uuid import UUID

from gullywind.actions.context import Context
from gullywind.core.errors import Cancelled, GullywindError, NotFoundError
from gullywind.core.units import Checkpoint
from gullywind.store.database import announce
from gullywind.store.tables import OPEN_STATES, WorkState
from gullywind.store.works import find_work, set_progress

#: Progress is written at most this often: enough for a smooth bar, little for the database.
PROGRESS_STEP_S = 0.25


def run_work(context: Context, work_id: UUID, do: Callable[[UUID, UUID | None, Checkpoint], None]) -> None:
    """Run `do(project_id, recording_id, checkpoint)` for a work row.

    A row that is finished, cancelled or gone is left alone, so that running twice does no harm. Known errors end the
    work with their sentence; unknown ones too, and are raised for the worker's log.
    """
    with context.database.session() as session:
        row = find_work(session, work_id)
        if row is None or row.state not in OPEN_STATES:
            return
        if row.stop_asked:
            row.state = WorkState.CANCELLED
            announce(session, row.project_id)
            return
        row.state, row.fraction_done = WorkState.RUNNING, 0.0
        project_id, recording_id = row.project_id, row.recording_id
        announce(session, project_id)
    try:
        do(project_id, recording_id, Progress(context, work_id, project_id))
    except Cancelled:
        _end(context, work_id, WorkState.CANCELLED, None)
    except NotFoundError:
        # Its recording or project was deleted meanwhile; the row went with it.
        _end(context, work_id, WorkState.CANCELLED, None)
    except GullywindError as error:
        _end(context, work_id, WorkState.FAILED, str(error))
    except Exception:
        _end(
            context, work_id, WorkState.FAILED, "Something went wrong in the program; the worker's log has the details."
        )
        raise
    else:
        _end(context, work_id, WorkState.DONE, None)


class Progress:
    """A checkpoint that writes progress now and then, and raises `Cancelled` where the person asked to stop."""

    def __init__(self, context: Context, work_id: UUID, project_id: UUID) -> None:
        self._context, self._work_id, self._project_id = context, work_id, project_id
        self._last = 0.0
        self._lock = threading.Lock()

    def __call__(self, fraction_done: float) -> None:
        """Report progress, 0..1."""
        with self._lock:
            if monotonic() - self._last < PROGRESS_STEP_S:
                return
            self._last = monotonic()
            with self._context.database.session() as session:
                stop = set_progress(session, self._work_id, min(max(fraction_done, 0.0), 1.0))
                announce(session, self._project_id)
            if stop:
                raise Cancelled("stopped")


def _end(context: Context, work_id: UUID, state: WorkState, message: str | None) -> None:
    with context.database.session() as session:
        row = find_work(session, work_id)
        if row is not None:
            row.state, row.message = state, message
            if state is WorkState.DONE:
                row.fraction_done = 1.0
            announce(session, row.project_id)
