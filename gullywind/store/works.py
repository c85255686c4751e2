"""Queries about work in progress and deliveries."""

from collections.abc import Sequence
from datetime import datetime
from uuid import UUID

from sqlalchemy import DateTime, cast, func, select, update
from sqlalchemy.orm import Session

from gullywind.core.ground.errors import NotFoundError
from gullywind.store.tables import (
    OPEN_STATES,
    DeliveryRow,
    MediaState,
    RecordingRow,
    WorkKind,
    WorkRow,
    WorkState,
)


def get_work(session: Session, work_id: UUID) -> WorkRow:
    """One piece of work; raises `NotFoundError`."""
    row = session.get(WorkRow, work_id)
    if row is None:
        raise NotFoundError("This work does not exist any more.")
    return row


def find_work(session: Session, work_id: UUID, *, lock: bool = False) -> WorkRow | None:
    """One piece of work, None where its recording or project was deleted; with `lock` it stays as it is meanwhile."""
    return session.get(WorkRow, work_id, with_for_update=lock or None)


def open_works(session: Session, project_id: UUID) -> Sequence[WorkRow]:
    """Queued and running work of a project, oldest first."""
    query = select(WorkRow).where(WorkRow.project_id == project_id, WorkRow.state.in_(OPEN_STATES))
    return session.scalars(query.order_by(WorkRow.created_at)).all()


def hold_queued(session: Session, project_id: UUID, kind: WorkKind, recording_ids: Sequence[UUID]) -> Sequence[WorkRow]:
    """Work of a kind that is queued for some recordings; none of it begins before the session ends.

    Thus it will see what the session changes. What has just begun is not among them.
    """
    query = select(WorkRow).where(
        WorkRow.project_id == project_id,
        WorkRow.kind == kind,
        WorkRow.state == WorkState.QUEUED,
        WorkRow.recording_id.in_(recording_ids),
    )
    # In one order, so that no two sessions wait for each other.
    held = query.order_by(WorkRow.id).with_for_update().execution_options(populate_existing=True)
    return session.scalars(held).all()


def failed_matches(session: Session, project_id: UUID) -> Sequence[WorkRow]:
    """The last matching of each recording, where that came to nothing: its message says why."""
    query = (
        select(WorkRow)
        .where(WorkRow.project_id == project_id, WorkRow.kind == WorkKind.MATCH)
        .distinct(WorkRow.recording_id)
        .order_by(WorkRow.recording_id, WorkRow.created_at.desc())
    )
    return [row for row in session.scalars(query) if row.state == WorkState.FAILED]


def ended_since(session: Session, project_id: UUID, kinds: Sequence[WorkKind], began: datetime) -> tuple[int, float]:
    """How much work of these kinds has ended since a moment, and how long ago that was, s."""
    ended = select(func.count()).where(
        WorkRow.project_id == project_id, WorkRow.kind.in_(kinds), WorkRow.ended_at >= began
    )
    now = session.scalars(select(cast(func.clock_timestamp(), DateTime))).one()
    return session.scalar(ended) or 0, (now - began).total_seconds()


def end_work(session: Session, row: WorkRow, state: WorkState, message: str | None) -> None:
    """Note how work ended; a file that was not listened to its end says so, and can be listened to again."""
    row.state, row.message = state, message or row.message
    row.ended_at = func.clock_timestamp()
    if state is WorkState.DONE:
        row.fraction_done = 1.0
    recording = session.get(RecordingRow, row.recording_id) if row.recording_id else None
    if row.kind == WorkKind.LISTEN and state is not WorkState.DONE and recording is not None:
        media = recording.media
        if media.state == MediaState.WAITING:
            stopped = state is WorkState.CANCELLED
            media.state, media.reason = (MediaState.STOPPED, None) if stopped else (MediaState.FAILED, message)


def ask_to_stop(session: Session, row: WorkRow) -> None:
    """Queued work is cancelled at once; running work stops at its next checkpoint."""
    row.stop_asked = True
    if row.state == WorkState.QUEUED:
        end_work(session, row, WorkState.CANCELLED, None)


def set_progress(session: Session, work_id: UUID, fraction_done: float) -> bool:
    """Note progress; True where the person asked to stop, or the work no longer exists."""
    query = update(WorkRow).where(WorkRow.id == work_id).values(fraction_done=fraction_done)
    return session.scalar(query.returning(WorkRow.stop_asked)) is not False


def get_delivery(session: Session, delivery_id: UUID) -> DeliveryRow:
    """One delivery; raises `NotFoundError`."""
    row = session.get(DeliveryRow, delivery_id)
    if row is None:
        raise NotFoundError("This delivery does not exist any more.")
    return row


def list_deliveries(session: Session, project_id: UUID) -> Sequence[DeliveryRow]:
    """A project's deliveries, newest first."""
    query = select(DeliveryRow).where(DeliveryRow.project_id == project_id)
    return session.scalars(query.order_by(DeliveryRow.created_at.desc())).all()


def delivery_of_work(session: Session, work_id: UUID) -> DeliveryRow:
    """The delivery that a piece of work writes; raises `NotFoundError`."""
    row = session.scalars(select(DeliveryRow).where(DeliveryRow.work_id == work_id)).first()
    if row is None:
        raise NotFoundError("This delivery does not exist any more.")
    return row


def all_delivery_keys(session: Session) -> set[str]:
    """The keys of all deliveries that somebody may still fetch, or that are being written."""
    return {str(key) for key in session.scalars(select(DeliveryRow.work_id))}
