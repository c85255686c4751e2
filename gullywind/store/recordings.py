"""Queries about recordings and their media."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import timedelta
from uuid import UUID

from sqlalchemy import delete, func, select, text
from sqlalchemy.orm import Session, selectinload

from gullywind.core.ground.errors import NotFoundError
from gullywind.store.projects import lock_project
from gullywind.store.tables import (
    MediaRow,
    MediaState,
    PlacingRow,
    ProjectRow,
    ProofRow,
    RecordingRow,
    VersionRow,
)


def list_recordings(session: Session, project_id: UUID, *, with_places: bool = True) -> Sequence[RecordingRow]:
    """All recordings of a project, in the order of their arrival; not those that were removed.

    `with_places`: together with their judgements, places and proofs, which are fetched one by one otherwise.
    """
    parts = (RecordingRow.placing, RecordingRow.current, RecordingRow.proof) if with_places else ()
    together = [selectinload(part) for part in parts]
    here = RecordingRow.project_id == project_id, RecordingRow.removed_at.is_(None)
    query = select(RecordingRow).where(*here).options(*together)
    return session.scalars(query.order_by(RecordingRow.created_at, RecordingRow.name)).all()


def get_recording(session: Session, recording_id: UUID, *, lock: bool = False) -> RecordingRow:
    """One recording; with `lock` nobody else changes it before the session ends.

    Raises `NotFoundError`, also where it was removed.
    """
    if lock:
        project_id = session.scalar(select(RecordingRow.project_id).where(RecordingRow.id == recording_id))
        if project_id is not None:
            lock_project(session, project_id)
    row = session.get(RecordingRow, recording_id, populate_existing=lock)
    if row is None or row.removed_at is not None:
        raise NotFoundError("This recording does not exist any more.")
    return row


def content_of(session: Session, recording_id: UUID) -> str:
    """The content of a recording, in its project or removed from it. Raises `NotFoundError`."""
    content_hash = session.scalar(select(RecordingRow.content_hash).where(RecordingRow.id == recording_id))
    if content_hash is None:
        raise NotFoundError("This recording does not exist any more.")
    return content_hash


def contents_of(session: Session, project_id: UUID) -> set[str]:
    """The contents of all recordings of a project, those that were removed among them."""
    return set(session.scalars(select(RecordingRow.content_hash).where(RecordingRow.project_id == project_id)))


def names_of(session: Session, project_id: UUID) -> dict[UUID, str]:
    """The names of all recordings of a project, those that were removed among them."""
    query = select(RecordingRow.id, RecordingRow.name).where(RecordingRow.project_id == project_id)
    return dict(session.execute(query).tuples().all())


def removed_for(session: Session, *, days: float) -> Sequence[RecordingRow]:
    """Recordings that were taken out of their projects so long ago."""
    before = func.clock_timestamp() - timedelta(days=days)
    return session.scalars(select(RecordingRow).where(RecordingRow.removed_at <= before)).all()


def contents_removed(session: Session) -> set[str]:
    """The contents that only removed recordings still have."""
    here = select(RecordingRow.content_hash).where(RecordingRow.removed_at.is_(None))
    gone = select(RecordingRow.content_hash).where(RecordingRow.removed_at.is_not(None))
    return set(session.scalars(gone.where(RecordingRow.content_hash.not_in(here))))


def find_media(session: Session, content_hash: str) -> MediaRow | None:
    """Facts of a stored file, if it is known."""
    return session.get(MediaRow, content_hash)


def lock_media(session: Session, content_hash: str) -> None:
    """Nobody else brings in or forgets this file before the session ends, which must be soon."""
    session.execute(text("SELECT pg_advisory_xact_lock(hashtextextended(:hash, 7))"), {"hash": content_hash})


def find_version(session: Session, version_id: UUID, recording_id: UUID | None = None) -> VersionRow | None:
    """A version by its key; None where it was dropped, or belongs to another recording than the one given."""
    row = session.get(VersionRow, version_id)
    return row if row is not None and recording_id in (None, row.recording_id) else None


def replace_proof(session: Session, row: RecordingRow, proof: ProofRow) -> None:
    """Store the newest proof in place of the one before."""
    session.execute(delete(ProofRow).where(ProofRow.recording_id == row.id))
    session.flush()
    session.expire(row, ["proof"])
    session.add(proof)
    session.flush()


def media_in_use(session: Session, content_hash: str) -> bool:
    """Whether any recording still needs a file, those among them that were removed and may come back."""
    query = select(func.count()).select_from(RecordingRow).where(RecordingRow.content_hash == content_hash)
    return bool(session.scalar(query))


def reference_of(session: Session, project: ProjectRow) -> RecordingRow | None:
    """The project's reference, if one was chosen."""
    return session.get(RecordingRow, project.reference_id) if project.reference_id else None


def others_waiting_for(session: Session, content_hash: str) -> RecordingRow | None:
    """A recording whose file has not been listened to, if there is one."""
    here = RecordingRow.content_hash == content_hash, RecordingRow.removed_at.is_(None)
    query = select(RecordingRow).where(*here)
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
    has_place: bool
    judged: str | None
    is_untouched: bool
    set_aside: bool


def states_of_all(session: Session) -> list[RecordingState]:
    """Of every recording of every project, in one query."""
    query = (
        select(
            RecordingRow.id,
            RecordingRow.project_id,
            MediaRow.state,
            RecordingRow.version_id.is_not(None),
            PlacingRow.status,
            func.coalesce(PlacingRow.version_id == RecordingRow.version_id, False),
            RecordingRow.set_aside,
        )
        .join(MediaRow, MediaRow.content_hash == RecordingRow.content_hash)
        .outerjoin(PlacingRow, PlacingRow.id == RecordingRow.placing_id)
        .where(RecordingRow.removed_at.is_(None))
    )
    return [RecordingState(*row) for row in session.execute(query)]
