"""Stored rows as the interface sees them, with all that they are shown with."""

from uuid import UUID

from gullywind.actions.words import change_words
from gullywind.actions.work.batch import batch_of
from gullywind.api.models.projects import ProjectOut
from gullywind.api.models.recordings import RecordingOut
from gullywind.store.database import Session
from gullywind.store.ends import ends_of
from gullywind.store.history import first_taken_back, last_applied
from gullywind.store.projects import get_project
from gullywind.store.recordings import get_recording, list_recordings, names_of
from gullywind.store.works import failed_matches, open_works


def recording_out(session: Session, recording_id: UUID) -> RecordingOut:
    """A recording as it is now."""
    session.flush()
    row = get_recording(session, recording_id)
    return RecordingOut.of(row, ends_of(session, row.project_id, row.id).get(row.id))


def project_out(session: Session, project_id: UUID) -> ProjectOut:
    """A project as it is now."""
    session.flush()
    row = get_project(session, project_id)
    works = list(open_works(session, project_id))
    ends = ends_of(session, project_id)
    recordings = [RecordingOut.of(one, ends.get(one.id)) for one in list_recordings(session, project_id)]
    names = names_of(session, project_id)
    undo, redo = (
        change_words(one, names) if one else None
        for one in (last_applied(session, project_id), first_taken_back(session, project_id))
    )
    told = [*works, *failed_matches(session, project_id)]
    return ProjectOut.of(row, recordings, told, batch_of(session, works), undo=undo, redo=redo)
