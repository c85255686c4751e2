"""Make, change and delete projects."""

from uuid import UUID

from gullywind.actions.context import Context
from gullywind.actions.place.draw_places import change_reference
from gullywind.core.ground import frames
from gullywind.core.ground.errors import InputError
from gullywind.store.database import Session, announce
from gullywind.store.projects import check_version, get_project
from gullywind.store.recordings import (
    contents_of,
    find_media,
    get_recording,
    lock_media,
    media_in_use,
)
from gullywind.store.tables import ProjectRow
from gullywind.store.works import list_deliveries

MOST_NAME = 200


def clean_name(name: str) -> str:
    """A name to show: printable, trimmed, not empty."""
    cleaned = "".join(c for c in name if c.isprintable()).strip()[:MOST_NAME]
    if not cleaned:
        raise InputError("A name needs at least one visible character.")
    return cleaned


def create_project(session: Session, name: str, frame_rate: str) -> ProjectRow:
    """A new, empty project."""
    row = ProjectRow(name=clean_name(name), frame_rate=str(frames.frame_rate(frame_rate)))
    session.add(row)
    session.flush()
    return row


def change_project(
    context: Context,
    session: Session,
    project_id: UUID,
    version: int,
    *,
    name: str | None = None,
    frame_rate: str | None = None,
    reference_id: UUID | None = None,
) -> ProjectRow:
    """Change what is given; with another reference every place is drawn anew from what is known."""
    row = get_project(session, project_id, lock=True)
    check_version(row, version)
    if name is not None:
        row.name = clean_name(name)
    if frame_rate is not None:
        row.frame_rate = str(frames.frame_rate(frame_rate))
    if reference_id is not None and reference_id != row.reference_id:
        reference = get_recording(session, reference_id)
        if reference.project_id != project_id:
            raise InputError("The reference must be a recording of this project.")
        change_reference(context, session, row, reference)
    announce(session, project_id)
    session.flush()
    return row


def delete_project(context: Context, project_id: UUID) -> None:
    """Delete a project with its deliveries; files that no other project uses go too."""
    with context.database.session() as session:
        row = get_project(session, project_id, lock=True)
        hashes = contents_of(session, project_id)
        deliveries = [str(one.work_id) for one in list_deliveries(session, project_id)]
        session.delete(row)
        announce(session, project_id)
    for key in deliveries:
        context.media.delete_delivery(key)
    for content_hash in sorted(hashes):
        forget_media(context, content_hash)


def forget_media(context: Context, content_hash: str) -> None:
    """Delete a stored file that no recording needs any more.

    In a transaction of its own, after the one that removed the recording: none holds one file while it waits for
    another. Bringing in the same content waits for it, or it for that, see `lock_media`.
    """
    with context.database.session() as session:
        lock_media(session, content_hash)
        if media_in_use(session, content_hash):
            return
        media = find_media(session, content_hash)
        if media:
            session.delete(media)
            session.flush()
        context.media.delete(content_hash)
