"""Queries about what is known of any two contents, and about the judgements drawn from it."""

from collections.abc import Sequence
from datetime import timedelta
from uuid import UUID, uuid4

from sqlalchemy import delete, func, or_, select
from sqlalchemy.orm import Session

from gullywind.store.tables import MeasurementRow, PlacingRow, RecordingRow


def keep_measurement(session: Session, row: MeasurementRow) -> MeasurementRow:
    """Store what is known of two contents in place of what was known by the same way."""
    same = (
        MeasurementRow.timeline_hash == row.timeline_hash,
        MeasurementRow.recording_hash == row.recording_hash,
        MeasurementRow.way == row.way,
        MeasurementRow.project_id.is_not_distinct_from(row.project_id),
    )
    # In place, under its key: judgements in other projects rest on it.
    row.id = session.scalar(select(MeasurementRow.id).where(*same)) or uuid4()
    kept = session.merge(row)
    session.flush()
    return kept


def measurements_of(session: Session, project_id: UUID, content_hashes: Sequence[str]) -> Sequence[MeasurementRow]:
    """All that is known of any of these contents, oldest first: what was measured, and what the project decided."""
    query = select(MeasurementRow).where(
        or_(MeasurementRow.timeline_hash.in_(content_hashes), MeasurementRow.recording_hash.in_(content_hashes)),
        or_(MeasurementRow.project_id.is_(None), MeasurementRow.project_id == project_id),
    )
    return session.scalars(query.order_by(MeasurementRow.created_at)).all()


def keep_placing(session: Session, recording: RecordingRow, placing: PlacingRow) -> None:
    """Store the judgement against a reference in place of the one before; the recording shows it from now on."""
    placing.recording_id = recording.id
    same = PlacingRow.recording_id == recording.id, PlacingRow.reference_id == placing.reference_id
    placing.id = session.scalar(select(PlacingRow.id).where(*same)) or uuid4()
    recording.placing_id = session.merge(placing).id
    session.flush()
    session.expire(recording, ["placing"])


def drop_unused_measurements(session: Session, *, days: int) -> int:
    """Delete what was measured so long ago of contents that no recording has now; how many there were."""
    used = select(RecordingRow.content_hash)
    query = delete(MeasurementRow).where(
        MeasurementRow.timeline_hash.not_in(used),
        MeasurementRow.recording_hash.not_in(used),
        MeasurementRow.created_at < func.now() - timedelta(days=days),
    )
    return len(session.scalars(query.returning(MeasurementRow.id)).all())
