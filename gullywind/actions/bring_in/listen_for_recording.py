"""Listen to a recording's file: as soon as it has arrived, when it is needed, and again where that failed."""

from time import sleep
from uuid import UUID

from gullywind.actions.bring_in.listen_to_media import MediaReport, listen_to_media
from gullywind.actions.context import Context
from gullywind.actions.work.start_work import start_work
from gullywind.core.ground.errors import Cancelled, NotFoundError, NotNowError, UnreadableError
from gullywind.core.ground.units import Checkpoint
from gullywind.store.database import Session, announce
from gullywind.store.recordings import content_of, find_media, get_recording, lock_media, others_waiting_for
from gullywind.store.tables import MediaState, RecordingRow, WorkKind
from gullywind.store.works import open_works

#: How often to ask whether another worker has heard the same file.
AGAIN_AFTER_S = 0.2


def listen_for_recording(context: Context, recording_id: UUID, checkpoint: Checkpoint) -> None:
    """Facts, peaks, features; an unreadable file is named as such in its facts and by the raised error."""
    with context.database.session() as session:
        # Also where it was removed meanwhile: it may come back.
        content_hash = content_of(session, recording_id)
    try:
        ensure_listened(context, content_hash, checkpoint)
    except Cancelled:
        with context.database.session() as session:
            waiting = others_waiting_for(session, content_hash)
            if waiting is not None and waiting.id != recording_id:
                # This one was removed; the same file is still wanted elsewhere.
                start_work(context, session, WorkKind.LISTEN, waiting.project_id, waiting.id)
        raise


def listen_again(context: Context, session: Session, recording_id: UUID) -> RecordingRow:
    """Queue the listening to a file that failed before."""
    row = get_recording(session, recording_id, lock=True)
    if row.media.state not in (MediaState.FAILED, MediaState.STOPPED):
        raise NotNowError("This recording has been listened to already, or is being listened to.")
    row.media.state, row.media.reason = MediaState.WAITING, None
    if not any(w.recording_id == row.id and w.kind == WorkKind.LISTEN for w in open_works(session, row.project_id)):
        start_work(context, session, WorkKind.LISTEN, row.project_id, row.id)
    announce(session, row.project_id)
    return row


def ensure_listened(context: Context, content_hash: str, checkpoint: Checkpoint) -> None:
    """Listen to a file unless that was done; several workers at once do it once.

    Raises
    ------
    UnreadableError : it cannot be used; its facts say so too.
    NotFoundError : nobody needs it any more.
    """
    if _is_ready(context, content_hash):
        return

    def wait() -> None:
        checkpoint(0.0)
        sleep(AGAIN_AFTER_S)

    with context.database.alone(content_hash, wait):
        if _is_ready(context, content_hash):
            return
        try:
            report = listen_to_media(context.media, content_hash, checkpoint=checkpoint)
        except UnreadableError as error:
            _store(context, content_hash, error)
            raise
        _store(context, content_hash, report)


def _is_ready(context: Context, content_hash: str) -> bool:
    with context.database.session() as session:
        media = find_media(session, content_hash)
        if media is None:
            raise NotFoundError("This recording does not exist any more.")
        if media.state == MediaState.FAILED:
            raise UnreadableError(media.reason or "cannot be used")
        return media.state == MediaState.READY


def _store(context: Context, content_hash: str, found: MediaReport | UnreadableError) -> None:
    """Keep what was heard; where the file was removed meanwhile, so is what was derived from it."""
    with context.database.session() as session:
        lock_media(session, content_hash)
        media = find_media(session, content_hash)
        if media is None:
            context.media.delete_derived(content_hash)
            raise NotFoundError("This recording does not exist any more.")
        if isinstance(found, UnreadableError):
            media.state, media.reason = MediaState.FAILED, str(found)
            return
        media.set_facts(found.facts)
        media.state = MediaState.READY
        media.peak_dbfs, media.loudness_lufs = found.peak_dbfs, found.loudness_lufs
        media.true_peak_dbtp = found.true_peak_dbtp
        media.clipped_samples, media.silent = found.clipped_samples, found.silent
        media.set_heard(found.claps, found.timecode)
