"""Bring in, name and remove recordings."""

from pathlib import PurePosixPath, PureWindowsPath
from uuid import UUID

from gullywind.actions.context import Context
from gullywind.actions.place.draw_places import keep_decisions
from gullywind.actions.projects.change_projects import clean_name, forget_media
from gullywind.actions.work.start_work import start_work
from gullywind.core.ground.errors import InputError
from gullywind.store.database import Session, announce
from gullywind.store.files import IncomingFile
from gullywind.store.folders import FileInPlace, allowed
from gullywind.store.history import drop_empty_changes, forget_history
from gullywind.store.projects import check_version, get_project
from gullywind.store.recordings import find_media, get_recording, lock_media
from gullywind.store.tables import MediaRow, MediaState, RecordingRow, WorkKind
from gullywind.store.works import list_deliveries


def add_recording(
    context: Context, session: Session, project_id: UUID, file_name: str, incoming: IncomingFile | FileInPlace
) -> RecordingRow:
    """Keep an upload and make a recording of it; the same content is stored once."""
    get_project(session, project_id, lock=True)
    if incoming.size_bytes == 0:
        raise InputError("The file is empty: 0 bytes.")
    name = base_name(file_name)
    content_hash = incoming.content_hash
    # Before the file takes its place: whoever forgets the same content must not delete this one.
    lock_media(session, content_hash)
    incoming.keep()
    media = find_media(session, content_hash)
    if media is None:
        media = MediaRow(content_hash=content_hash, size_bytes=incoming.size_bytes)
        session.add(media)
        session.flush()
    row = RecordingRow(
        project_id=project_id, content_hash=content_hash, name=clean_name(PurePosixPath(name).stem), file_name=name
    )
    session.add(row)
    session.flush()
    if media.state == MediaState.WAITING:
        start_work(context, session, WorkKind.LISTEN, project_id, row.id)
    announce(session, project_id)
    return row


def take_in(context: Context, project_id: UUID, path: str) -> UUID:
    """Make a recording of a file that stays where it lies, in one of the folders that are allowed; its id."""
    with context.database.session() as session:
        get_project(session, project_id)
    # Read with no transaction open: it may be long.
    file = FileInPlace(context.media, allowed(context.folders, path))
    file.share()
    with context.database.session() as session:
        return add_recording(context, session, project_id, PurePosixPath(path).name, file).id


def base_name(file_name: str) -> str:
    """The last part of whatever path a browser sent, made safe to show and to write."""
    name = PureWindowsPath(PurePosixPath(file_name).name).name
    name = "".join(c for c in name if c.isprintable()).strip().lstrip(".")
    return name[:200] or "recording"


def rename_recording(session: Session, recording_id: UUID, version: int, name: str) -> RecordingRow:
    """Give a recording another name."""
    row = get_recording(session, recording_id, lock=True)
    check_version(row, version)
    row.name = clean_name(name)
    row.version += 1
    announce(session, row.project_id)
    return row


def remove_recording(context: Context, recording_id: UUID) -> None:
    """Take a recording out of its project; its file goes too unless another recording uses it."""
    with context.database.session() as session:
        row = get_recording(session, recording_id, lock=True)
        project_id, content_hash = row.project_id, row.content_hash
        project = get_project(session, project_id)
        deliveries = [str(one.work_id) for one in list_deliveries(session, project_id) if one.recording_id == row.id]
        if project.reference_id == recording_id:
            # Places on a reference that is gone mean nothing; what was decided on them is known all the same.
            keep_decisions(session, project)
            forget_history(session, project_id)
            project = get_project(session, project_id)
            project.reference_id = None
            session.flush()
            row = get_recording(session, recording_id)
        session.delete(row)
        session.flush()
        drop_empty_changes(session, project_id)
        announce(session, project_id)
    for key in deliveries:
        context.media.delete_delivery(key)
    forget_media(context, content_hash)
