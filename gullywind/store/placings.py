"""Queries about what is known of any two contents, and about the judgements drawn from it."""

from collections.abc import Iterable, Sequence
from datetime import timedelta
from uuid import UUID, uuid4

from sqlalchemy import delete, func, inspect, or_, select
from sqlalchemy.orm import Session
from sqlalchemy.orm.attributes import set_committed_value

from gullywind.core.measure.evidence import Way
from gullywind.store.tables import Base, MeasurementRow, MediaRow, PlacingRow, RecordingRow


def keep_measurement(session: Session, row: MeasurementRow) -> MeasurementRow:
    """Store what is known of two contents in place of what was known by the same way."""
    return keep_measurements(session, [row])[0]


def keep_measurements(session: Session, rows: Sequence[MeasurementRow]) -> list[MeasurementRow]:
    """The same for several."""

    def key(one: MeasurementRow) -> tuple[str, str, str, UUID | None]:
        return one.timeline_hash, one.recording_hash, one.way, one.project_id

    hashes = {one.recording_hash for one in rows}
    known = session.scalars(select(MeasurementRow).where(MeasurementRow.recording_hash.in_(hashes))).all()
    there = {key(one): one for one in known}
    kept = []
    for row in rows:
        # In place, under its key: judgements in other projects rest on it.
        old = there.get(key(row))
        if old is None:
            session.add(row)
        else:
            _take_over(old, row, but={"id", "created_at"})
            old.created_at = func.clock_timestamp()
        kept.append(old or row)
    session.flush()
    return kept


def measurements_of(session: Session, project_id: UUID, content_hashes: Sequence[str]) -> Sequence[MeasurementRow]:
    """All that is known of any of these contents, oldest first: what was measured, and what the project decided."""
    query = select(MeasurementRow).where(
        or_(MeasurementRow.timeline_hash.in_(content_hashes), MeasurementRow.recording_hash.in_(content_hashes)),
        or_(MeasurementRow.project_id.is_(None), MeasurementRow.project_id == project_id),
    )
    return session.scalars(query.order_by(MeasurementRow.created_at)).all()


def curve_of(session: Session, placing: PlacingRow) -> MeasurementRow | None:
    """The measurement whose match curve a judgement is shown with: that of the sound, whichever way placed it."""
    own = placing.measurement
    if own is None or own.curve is not None:
        return own
    query = select(MeasurementRow).where(
        MeasurementRow.timeline_hash == own.timeline_hash,
        MeasurementRow.recording_hash == own.recording_hash,
        MeasurementRow.way == Way.SOUND,
    )
    return session.scalars(query).first()


def durations_of(session: Session, content_hashes: Iterable[str]) -> dict[str, float]:
    """How long the contents are, s; without those that are gone or were not listened to."""
    rows = session.scalars(select(MediaRow).where(MediaRow.content_hash.in_(set(content_hashes))))
    return {one.content_hash: one.duration_s for one in rows if one.duration_s is not None}


def keep_placings(session: Session, reference_id: UUID, placings: Sequence[tuple[RecordingRow, PlacingRow]]) -> None:
    """Store judgements against a reference in place of those before; the recordings show them from now on."""
    ids = [recording.id for recording, _ in placings]
    query = select(PlacingRow).where(PlacingRow.reference_id == reference_id, PlacingRow.recording_id.in_(ids))
    there = {one.recording_id: one for one in session.scalars(query)}
    for recording, placing in placings:
        old = there.get(recording.id)
        placing.id, placing.recording_id, placing.reference_id = uuid4(), recording.id, reference_id
        if old is None:
            session.add(placing)
        else:
            _take_over(old, placing, but={"id"})
    session.flush()
    for recording, placing in placings:
        kept = there.get(recording.id, placing)
        recording.placing_id = kept.id
        set_committed_value(recording, "placing", kept)
    session.flush()


def _take_over(old: Base, new: Base, *, but: set[str]) -> None:
    """Every column of a row that is not stored, into one that is."""
    for column in inspect(type(old)).column_attrs:
        if column.key not in but:
            setattr(old, column.key, getattr(new, column.key))


def drop_unused_measurements(session: Session, *, days: int) -> int:
    """Delete what was measured so long ago of contents that no recording has now; how many there were."""
    used = select(RecordingRow.content_hash)
    query = delete(MeasurementRow).where(
        MeasurementRow.timeline_hash.not_in(used),
        MeasurementRow.recording_hash.not_in(used),
        MeasurementRow.created_at < func.now() - timedelta(days=days),
    )
    return len(session.scalars(query.returning(MeasurementRow.id)).all())
