"""Queries about recordings and their media."""

from collections.abc import Sequence
from dataclasses import dataclass
from uuid import UUID

from sqlalchemy import delete, func, select, text
from sqlalchemy.orm import Session, selectinload

from gullywind.core.ground.errors import NotFoundError
from gullywind.core.maps.time_map import TimeMap
from gullywind.store.projects import lock_project
from gullywind.store.tables import (
    AlignmentRow,
    MapVersionRow,
    MediaRow,
    MediaState,
    ProjectRow,
    ProofRow,
    RecordingRow,
)


def list_recordings(session: Session, project_id: UUID) -> Sequence[RecordingRow]:
    """All recordings of a project, in the order of their arrival."""
    # Whole lists are shown with their judgements and maps; a single recording is often asked for its sound alone.
    parts = (RecordingRow.alignment, RecordingRow.map_versions, RecordingRow.proof)
    together = [selectinload(part) for part in parts]
    query = select(RecordingRow).where(RecordingRow.project_id == project_id).options(*together)
    return session.scalars(query.order_by(RecordingRow.created_at, RecordingRow.name)).all()


def get_recording(session: Session, recording_id: UUID, *, lock: bool = False) -> RecordingRow:
    """One recording; with `lock` nobody else changes it before the session ends. Raises `NotFoundError`."""
    if lock:
        project_id = session.scalar(select(RecordingRow.project_id).where(RecordingRow.id == recording_id))
        if project_id is not None:
            lock_project(session, project_id)
    row = session.get(RecordingRow, recording_id, populate_existing=lock)
    if row is None:
        raise NotFoundError("This recording does not exist any more.")
    return row


def find_media(session: Session, content_hash: str) -> MediaRow | None:
    """Facts of a stored file, if it is known."""
    return session.get(MediaRow, content_hash)


def lock_media(session: Session, content_hash: str) -> None:
    """Nobody else brings in or forgets this file before the session ends, which must be soon."""
    session.execute(text("SELECT pg_advisory_xact_lock(hashtextextended(:hash, 7))"), {"hash": content_hash})


def add_map_version(session: Session, row: RecordingRow, time_map: TimeMap, sentence: str) -> MapVersionRow:
    """Make a new current version; versions that were undone are dropped."""
    session.execute(
        delete(MapVersionRow).where(MapVersionRow.recording_id == row.id, MapVersionRow.number > row.map_number)
    )
    number = row.map_number + 1
    version = MapVersionRow(
        recording_id=row.id,
        number=number,
        sentence=sentence,
        pieces=time_map.to_json(),
        gaps=time_map.gaps,
        pitch=time_map.pitch,
        polarity=time_map.polarity,
    )
    session.add(version)
    row.map_number = number
    row.version += 1
    session.flush()
    session.expire(row, ["map_versions"])
    return version


def replace_alignment(session: Session, recording_id: UUID, alignment: AlignmentRow) -> None:
    """Store the newest judgement in place of the one before."""
    session.execute(delete(AlignmentRow).where(AlignmentRow.recording_id == recording_id))
    session.flush()
    session.expire_all()
    session.add(alignment)
    session.flush()


def replace_proof(session: Session, row: RecordingRow, proof: ProofRow) -> None:
    """Store the newest proof in place of the one before."""
    session.execute(delete(ProofRow).where(ProofRow.recording_id == row.id))
    session.flush()
    session.expire(row, ["proof"])
    session.add(proof)
    session.flush()


def drop_alignments_of_project(session: Session, project_id: UUID) -> None:
    """Forget all judgements and maps of a project: its reference changed, so that they mean nothing now."""
    ids = select(RecordingRow.id).where(RecordingRow.project_id == project_id)
    session.execute(delete(AlignmentRow).where(AlignmentRow.recording_id.in_(ids)))
    session.execute(delete(ProofRow).where(ProofRow.recording_id.in_(ids)))
    session.execute(delete(MapVersionRow).where(MapVersionRow.recording_id.in_(ids)))
    for row in list_recordings(session, project_id):
        row.map_number = 0
        row.version += 1
    session.flush()
    session.expire_all()


def media_in_use(session: Session, content_hash: str) -> bool:
    """Whether any recording still needs a file."""
    query = select(func.count()).select_from(RecordingRow).where(RecordingRow.content_hash == content_hash)
    return bool(session.scalar(query))


def reference_of(session: Session, project: ProjectRow) -> RecordingRow | None:
    """The project's reference, if one was chosen."""
    return session.get(RecordingRow, project.reference_id) if project.reference_id else None


def others_waiting_for(session: Session, content_hash: str) -> RecordingRow | None:
    """A recording whose file has not been listened to, if there is one."""
    query = select(RecordingRow).where(RecordingRow.content_hash == content_hash)
    row = session.scalars(query.order_by(RecordingRow.created_at).limit(1)).first()
    return row if row and row.media.state == MediaState.WAITING else None


def known_media(session: Session) -> set[str]:
    """The content hashes of all files that some recording needs."""
    return set(session.scalars(select(RecordingRow.content_hash).distinct()))


def unused_media(session: Session) -> set[str]:
    """The content hashes of files that are known, but no recording needs."""
    return set(session.scalars(select(MediaRow.content_hash))) - known_media(session)


@dataclass(frozen=True, slots=True)
class RecordingState:
    """What a recording's status follows from."""

    recording_id: UUID
    project_id: UUID
    media_state: str
    has_map: bool
    judged: str | None
    is_untouched: bool


def states_of_all(session: Session) -> list[RecordingState]:
    """Of every recording of every project, in one query."""
    current = (MapVersionRow.recording_id == RecordingRow.id) & (MapVersionRow.number == RecordingRow.map_number)
    query = (
        select(
            RecordingRow.id,
            RecordingRow.project_id,
            MediaRow.state,
            RecordingRow.map_number > 0,
            AlignmentRow.status,
            func.coalesce(AlignmentRow.map_version_id == MapVersionRow.id, False),
        )
        .join(MediaRow, MediaRow.content_hash == RecordingRow.content_hash)
        .outerjoin(AlignmentRow, AlignmentRow.recording_id == RecordingRow.id)
        .outerjoin(MapVersionRow, current)
    )
    return [RecordingState(*row) for row in session.execute(query)]
