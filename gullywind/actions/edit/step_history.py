"""Take back what was done, do it again, go to any step: of the whole project, or from one recording's point of view."""

from collections.abc import Sequence
from uuid import UUID

from gullywind.actions.context import Context
from gullywind.actions.hear.prove_recording import request_proofs
from gullywind.core.ground.errors import NotNowError
from gullywind.store.database import Session, announce
from gullywind.store.history import (
    first_taken_back,
    last_applied,
    list_changes,
    newer_changes,
    recordings_of,
    switch_change,
)
from gullywind.store.projects import get_project
from gullywind.store.tables import ChangeRow, RecordingRow


def undo(context: Context, session: Session, project_id: UUID, recording_id: UUID | None = None) -> None:
    """Take back the last change of a project, or the last that touches a recording; whole in either case."""
    get_project(session, project_id, lock=True)
    change = last_applied(session, project_id, recording_id)
    if change is None:
        raise NotNowError("There is nothing to undo.")
    _switch(context, session, [change], applied=False, from_recording=recording_id)


def redo(context: Context, session: Session, project_id: UUID, recording_id: UUID | None = None) -> None:
    """Do again what was taken back last."""
    get_project(session, project_id, lock=True)
    change = first_taken_back(session, project_id, recording_id)
    if change is None:
        raise NotNowError("There is nothing to redo.")
    _switch(context, session, [change], applied=True, from_recording=recording_id)


def go_to(context: Context, session: Session, project_id: UUID, number: int, recording_id: UUID | None = None) -> None:
    """Go to any step, back or forth; 0 is before all of it."""
    get_project(session, project_id, lock=True)
    changes = list_changes(session, project_id, recording_id)
    if number != 0 and all(one.number != number for one in changes):
        raise NotNowError("This step does not exist any more.")
    back = [one for one in reversed(changes) if one.applied and one.number > number]
    forth = [one for one in changes if not one.applied and one.number <= number]
    _switch(context, session, back, applied=False, from_recording=recording_id)
    _switch(context, session, forth, applied=True, from_recording=recording_id)


def _switch(
    context: Context, session: Session, changes: Sequence[ChangeRow], *, applied: bool, from_recording: UUID | None
) -> None:
    project_id = changes[0].project_id if changes else None
    if project_id is None:
        return
    touched: dict[UUID, RecordingRow] = {}
    for change in changes:
        if from_recording is not None:
            _refuse_others(session, change, from_recording, applied=applied)
        _refuse_locked(session, change)
        touched |= {row.id: row for row in switch_change(session, change, applied=applied)}
    session.flush()
    request_proofs(context, session, project_id, list(touched.values()))
    announce(session, project_id)


def _refuse_locked(session: Session, change: ChangeRow) -> None:
    """What is finished is not changed by a step back either."""
    for row in recordings_of(session, change):
        if row.locked:
            raise NotNowError(f"“{change.sentence}” touches {row.name}, which is locked: unlock it first.")


def _refuse_others(session: Session, change: ChangeRow, recording_id: UUID, *, applied: bool) -> None:
    """From one recording only that is undone or done again which does not overturn what was done to others since."""
    if change.moves_reference:
        raise NotNowError("The reference was changed there. Take that back in the project's own history.")
    if applied:
        before = [
            one
            for other in (part.recording_id for part in change.parts)
            if (one := first_taken_back(session, change.project_id, other)) and one.number < change.number
        ]
        if not before:
            return
        name = _name_of(session, before[0])
        raise NotNowError(f"“{before[0].sentence}” of {name} comes before it. Do that again first.")
    newer = newer_changes(session, change)
    if newer:
        name = _name_of(session, newer[0])
        raise NotNowError(
            f"“{change.sentence}” was done to several recordings, and {name} was changed since: “{newer[0].sentence}”."
            " Take that back first, or go back in the project's own history."
        )


def _name_of(session: Session, change: ChangeRow) -> str:
    rows = recordings_of(session, change)
    return rows[0].name if len(rows) == 1 else f"{len(rows)} recordings"
