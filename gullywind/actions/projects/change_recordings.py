"""Bring in, name and remove recordings."""

from collections.abc import Sequence
from pathlib import PurePosixPath, PureWindowsPath
from uuid import UUID

from gullywind.actions.context import Context
from gullywind.actions.place.draw_places import keep_decisions
from gullywind.actions.projects.change_projects import clean_name, forget_media
from gullywind.actions.work.start_work import start_work
from gullywind.core.ground.errors import InputError, NotFoundError, NotNowError
from gullywind.store.database import Session, announce
from gullywind.store.files import IncomingFile
from gullywind.store.folders import FileInPlace, allowed
from gullywind.store.history import (
    Part,
    add_parts,
    drop_empty_changes,
    forget_before,
    move_reference,
    point_at_placings,
    record_change,
)
from gullywind.store.projects import check_version, get_project, lock_project
from gullywind.store.recordings import find_media, get_recording, list_recordings, lock_media, removed_for
from gullywind.store.tables import MediaRow, MediaState, RecordingRow, WorkKind
from gullywind.store.works import ask_to_stop, list_deliveries, open_works

#: What was removed can come back for so long.
KEPT_REMOVED_DAYS = 7.0
MOST_REMARK = 2000


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


def describe_recording(
    session: Session, recording_id: UUID, version: int, *, name: str | None = None, remark: str | None = None
) -> RecordingRow:
    """Give a recording another name, or another remark; what is None stays."""
    row = get_recording(session, recording_id, lock=True)
    check_version(row, version)
    if name is not None:
        row.name = clean_name(name)
    if remark is not None:
        row.remark = _clean_remark(remark)
    row.version += 1
    announce(session, row.project_id)
    return row


def _clean_remark(remark: str) -> str:
    """Lines of printable text."""
    if len(remark) > MOST_REMARK:
        raise InputError(f"A note has {MOST_REMARK} characters at most, this one {len(remark)}.")
    lines = ("".join(c for c in line if c.isprintable()).rstrip() for line in remark.splitlines())
    return "\n".join(lines).strip()


def remove_recordings(session: Session, project_id: UUID, recording_ids: Sequence[UUID]) -> int:
    """Take recordings out of their project, as one change that can be undone; returns how many.

    Their files stay until nothing brings them back any more, see `forget_removed`. Without its reference nothing in a
    project has a place. What is locked is refused.
    """
    project = get_project(session, project_id, lock=True)
    here = list_recordings(session, project_id)
    wanted = set(recording_ids)
    rows = [one for one in here if one.id in wanted]
    if not rows:
        raise NotFoundError("This recording does not exist any more.")
    locked = next((one for one in rows if one.locked), None)
    if locked is not None:
        raise NotNowError(f"{locked.name} is locked: unlock it before it is removed.")
    sentence = "removed from the project"
    parts = [Part(one, None, sentence, removes=True) for one in rows]
    if project.reference_id in wanted:
        # Places on a reference that is gone mean nothing; what was decided on them is known all the same.
        keep_decisions(session, project)
        change = move_reference(session, project, None, f"reference removed: {_name_of(rows, project.reference_id)}")
        point_at_placings(session, project_id, None)
        left = [one for one in here if one.id not in wanted and one.version_id is not None]
        add_parts(session, change, [*parts, *(Part(one, None, change.sentence) for one in left)])
    else:
        record_change(session, project_id, sentence, parts)
    for work in open_works(session, project_id):
        # Listening goes on: whoever comes back is heard.
        if work.recording_id in wanted and work.kind in (WorkKind.PLACE, WorkKind.MATCH, WorkKind.PROVE):
            ask_to_stop(session, work)
    announce(session, project_id)
    return len(rows)


def _name_of(rows: Sequence[RecordingRow], recording_id: UUID | None) -> str:
    return next(one.name for one in rows if one.id == recording_id)


def forget_removed(context: Context, *, days: float = KEPT_REMOVED_DAYS) -> int:
    """Delete for good what was removed so long ago, with its files; how many recordings that were."""
    with context.database.session() as session:
        gone = [(one.id, one.project_id) for one in removed_for(session, days=days)]
    for recording_id, project_id in gone:
        _forget(context, recording_id, project_id)
    return len(gone)


def _forget(context: Context, recording_id: UUID, project_id: UUID) -> None:
    with context.database.session() as session:
        lock_project(session, project_id)
        row = session.get(RecordingRow, recording_id, populate_existing=True)
        if row is None or row.removed_at is None:
            # Somebody was quicker, or it came back.
            return
        content_hash = row.content_hash
        deliveries = [
            str(one.work_id) for one in list_deliveries(session, project_id) if one.recording_id == recording_id
        ]
        forget_before(session, recording_id)
        session.delete(row)
        session.flush()
        drop_empty_changes(session, project_id)
        announce(session, project_id)
    for key in deliveries:
        context.media.delete_delivery(key)
    forget_media(context, content_hash)
