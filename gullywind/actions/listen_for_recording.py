"""Listen to a recording's file as soon as it has arrived."""

from uuid import UUID

from gullywind.actions.context import Context
from gullywind.actions.place_recording import ensure_listened
from gullywind.core.units import Checkpoint
from gullywind.store.recordings import get_recording


def listen_for_recording(context: Context, recording_id: UUID, checkpoint: Checkpoint) -> None:
    """Facts, peaks, features; an unreadable file is named as such in its facts and by the raised error."""
    with context.database.session() as session:
        content_hash = get_recording(session, recording_id).content_hash
    ensure_listened(context, content_hash, checkpoint)
