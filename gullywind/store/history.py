"""What was done to a project, in its order: record, take back, do again."""

from collections.abc import Sequence
from dataclasses import dataclass
from uuid import UUID

from sqlalchemy import ColumnElement, Select, delete, func, or_, select, update
from sqlalchemy.orm import Session, selectinload
from sqlalchemy.orm.attributes import set_committed_value

from gullywind.core.maps.sets import Membership
from gullywind.core.maps.version import Version
from gullywind.store.tables import (
    ChangePartRow,
    ChangeRow,
    PlacingRow,
    ProjectRow,
    RecordingRow,
    VersionRow,
)


@dataclass(frozen=True, slots=True)
class Part:
    """What a change does to one recording: its new version, None for no place, and the words for it.

    `moves_set`: it is in another set from now on, or elsewhere in it; `membership` None: in none. `removes`: it is
    taken out of the project.
    """

    recording: RecordingRow
    version: Version | None
    sentence: str
    membership: Membership | None = None
    moves_set: bool = False
    removes: bool = False


def begin_change(session: Session, project_id: UUID, sentence: str) -> ChangeRow:
    """A new change with no part yet; it is nothing to take back until it has one."""
    last = session.scalar(select(func.max(ChangeRow.number)).where(ChangeRow.project_id == project_id))
    change = ChangeRow(project_id=project_id, number=(last or 0) + 1, sentence=sentence)
    session.add(change)
    session.flush()
    return change


def find_change(session: Session, change_id: UUID) -> ChangeRow | None:
    """A change by its key; None where it was dropped."""
    return session.get(ChangeRow, change_id)


def add_part(session: Session, change: ChangeRow, part: Part) -> VersionRow | None:
    """A recording's new version as part of a change that was begun before; what was taken back of it is dropped.

    Where something newer was done to the recording meanwhile, it becomes a change of its own; what the same change made
    of it before is replaced.
    """
    row = part.recording
    _drop_taken_back(session, change.project_id, [row.id])
    newer = select(func.count()).where(
        ChangeRow.project_id == change.project_id, ChangeRow.number > change.number, _touches(row.id)
    )
    if not change.applied or session.scalar(newer):
        change = begin_change(session, change.project_id, change.sentence)
    before = session.get(ChangePartRow, (change.id, row.id))
    if before is not None:
        row.version_id, replaced = before.before_id, before.after_id
        session.delete(before)
        session.flush()
        session.execute(delete(VersionRow).where(VersionRow.id == replaced))
    return add_parts(session, change, [part])[0]


def add_parts(session: Session, change: ChangeRow, parts: Sequence[Part]) -> list[VersionRow | None]:
    """New versions as parts of a change that nothing came after; of each part the row that it made."""
    made = [_new_version(part) for part in parts]
    session.add_all(one for one in made if one is not None)
    session.flush()
    for part, version in zip(parts, made, strict=True):
        after_id = version.id if version else None
        now = part.recording.membership
        wanted = (part.membership.to_json() if part.membership else None) if part.moves_set else now
        session.add(
            ChangePartRow(
                change_id=change.id,
                recording_id=part.recording.id,
                before_id=part.recording.version_id,
                after_id=after_id,
                moves_set=part.moves_set,
                set_before=now,
                set_after=wanted,
                removes=part.removes,
            )
        )
        if part.removes:
            _take_out(part.recording, removed=True)
        part.recording.membership = wanted
        _point(part.recording, after_id, version)
    session.flush()
    return made


def record_change(session: Session, project_id: UUID, sentence: str, parts: Sequence[Part]) -> ChangeRow:
    """One change of several recordings."""
    _drop_taken_back(session, project_id, [part.recording.id for part in parts])
    change = begin_change(session, project_id, sentence)
    add_parts(session, change, parts)
    return change


def move_reference(session: Session, project: ProjectRow, reference_id: UUID | None, sentence: str) -> ChangeRow:
    """Another reference, None: none.

    It touches every recording, though it gives only those a part whose place it changes.
    """
    _drop_taken_back(session, project.id, None)
    change = begin_change(session, project.id, sentence)
    change.moves_reference = True
    change.reference_before_id, change.reference_after_id = project.reference_id, reference_id
    project.reference_id = reference_id
    session.flush()
    return change


def last_applied(session: Session, project_id: UUID, recording_id: UUID | None = None) -> ChangeRow | None:
    """What would be taken back next, in the project or in one recording."""
    query = _changes(project_id, recording_id).where(ChangeRow.applied).order_by(ChangeRow.number.desc())
    return session.scalars(query.limit(1)).first()


def first_taken_back(session: Session, project_id: UUID, recording_id: UUID | None = None) -> ChangeRow | None:
    """What would be done again next."""
    query = _changes(project_id, recording_id).where(~ChangeRow.applied).order_by(ChangeRow.number)
    return session.scalars(query.limit(1)).first()


def list_changes(session: Session, project_id: UUID, recording_id: UUID | None = None) -> Sequence[ChangeRow]:
    """All that was done to a project, or to one of its recordings, oldest first, with their parts."""
    parts = selectinload(ChangeRow.parts)
    # The words of one recording's own version are asked for where one is looked at.
    query = _changes(project_id, recording_id).options(
        parts.joinedload(ChangePartRow.after).defer(VersionRow.stored) if recording_id else parts
    )
    return session.scalars(query.order_by(ChangeRow.number)).all()


def newer_changes(session: Session, change: ChangeRow) -> Sequence[ChangeRow]:
    """Applied changes that came after one and touch what it touches, newest first."""
    query = _changes(change.project_id, None).where(ChangeRow.applied, ChangeRow.number > change.number)
    if not change.moves_reference:
        ids = select(ChangePartRow.recording_id).where(ChangePartRow.change_id == change.id)
        others = select(ChangePartRow.change_id).where(ChangePartRow.recording_id.in_(ids))
        query = query.where(or_(ChangeRow.id.in_(others), ChangeRow.moves_reference))
    return session.scalars(query.order_by(ChangeRow.number.desc())).all()


def recordings_of(session: Session, change: ChangeRow) -> Sequence[RecordingRow]:
    """What a change touches, removed or not."""
    return _recordings(session, [part.recording_id for part in change.parts])


def switch_change(session: Session, change: ChangeRow, *, applied: bool) -> list[RecordingRow]:
    """Take a change back whole, or do it again; the recordings that it touches.

    It must be the last that is applied, or the first that is not, for each of them.
    """
    change.applied = applied
    parts = session.scalars(select(ChangePartRow).where(ChangePartRow.change_id == change.id)).all()
    if change.moves_reference:
        wanted = change.reference_after_id if applied else change.reference_before_id
        session.execute(update(ProjectRow).where(ProjectRow.id == change.project_id).values(reference_id=wanted))
        # The project in hand, if any, must not write its old reference back.
        session.expire(session.get_one(ProjectRow, change.project_id))
        point_at_placings(session, change.project_id, wanted)
    rows = {one.id: one for one in _recordings(session, [part.recording_id for part in parts])}
    wanted_ids = {part.recording_id: part.after_id if applied else part.before_id for part in parts}
    asked = select(VersionRow).where(VersionRow.id.in_([one for one in wanted_ids.values() if one]))
    versions = {one.id: one for one in session.scalars(asked)}
    for part in parts:
        if part.removes:
            _take_out(rows[part.recording_id], removed=applied)
        if part.moves_set:
            rows[part.recording_id].membership = part.set_after if applied else part.set_before
    for recording_id, version_id in wanted_ids.items():
        _point(rows[recording_id], version_id, versions.get(version_id) if version_id else None)
    session.flush()
    return list(rows.values())


def point_at_placings(session: Session, project_id: UUID, reference_id: UUID | None) -> None:
    """Every recording shows the judgement against this reference, if it has one."""
    session.flush()
    judged = (
        select(PlacingRow.id)
        .where(PlacingRow.recording_id == RecordingRow.id, PlacingRow.reference_id == reference_id)
        .scalar_subquery()
    )
    changed = update(RecordingRow).where(RecordingRow.project_id == project_id).values(placing_id=judged)
    session.execute(changed, execution_options={"synchronize_session": False})
    session.expire_all()


def forget_before(session: Session, reference_id: UUID) -> None:
    """What was done up to the last change that names a reference which goes for good: it cannot be gone back to."""
    named = or_(ChangeRow.reference_before_id == reference_id, ChangeRow.reference_after_id == reference_id)
    for project_id, last in session.execute(
        select(ChangeRow.project_id, func.max(ChangeRow.number)).where(named).group_by(ChangeRow.project_id)
    ):
        session.execute(delete(ChangeRow).where(ChangeRow.project_id == project_id, ChangeRow.number <= last))


def drop_empty_changes(session: Session, project_id: UUID) -> None:
    """Those whose recordings were all removed."""
    full = select(ChangePartRow.change_id)
    session.execute(
        delete(ChangeRow).where(
            ChangeRow.project_id == project_id, ~ChangeRow.moves_reference, ChangeRow.id.not_in(full)
        )
    )


def _changes(project_id: UUID, recording_id: UUID | None) -> Select[ChangeRow]:
    """Those that did something: a batch that has found nothing yet did not."""
    return select(ChangeRow).where(ChangeRow.project_id == project_id, _touches(recording_id))


def _touches(recording_id: UUID | None) -> ColumnElement[bool]:
    """Whether a change touches a recording; None: any."""
    parts = select(ChangePartRow.change_id).where(ChangePartRow.change_id == ChangeRow.id)
    if recording_id is not None:
        parts = parts.where(ChangePartRow.recording_id == recording_id)
    return or_(ChangeRow.moves_reference, parts.exists())


def _recordings(session: Session, ids: Sequence[UUID]) -> Sequence[RecordingRow]:
    query = select(RecordingRow).where(RecordingRow.id.in_(ids)).options(selectinload(RecordingRow.proof))
    return session.scalars(query).all()


def _new_version(part: Part) -> VersionRow | None:
    if part.version is None:
        return None
    return VersionRow.of(part.recording.id, part.version, part.sentence)


def _point(row: RecordingRow, version_id: UUID | None, version: VersionRow | None) -> None:
    """`version`: the row, where it is at hand or there is none."""
    row.version_id = version_id
    row.version += 1
    set_committed_value(row, "current", version)


def _take_out(row: RecordingRow, *, removed: bool) -> None:
    row.removed_at = func.clock_timestamp() if removed else None


def _drop_taken_back(session: Session, project_id: UUID, recording_ids: Sequence[UUID] | None) -> None:
    """Changes that were taken back and touch some recordings (None: any), with the versions that they had made.

    What follows on a dropped one goes with it.
    """
    parts = select(ChangePartRow.change_id, ChangePartRow.recording_id)
    waiting = session.scalars(_changes(project_id, None).where(~ChangeRow.applied).order_by(ChangeRow.number)).all()
    touched: dict[UUID, set[UUID]] = {one.id: set() for one in waiting}
    for change_id, recording_id in session.execute(parts.where(ChangePartRow.change_id.in_(touched))):
        touched[change_id].add(recording_id)
    gone, dropped, all_gone = set(recording_ids or ()), list[UUID](), recording_ids is None
    for change in waiting:
        if all_gone or change.moves_reference or touched[change.id] & gone:
            dropped.append(change.id)
            gone |= touched[change.id]
            all_gone = all_gone or change.moves_reference
    if not dropped:
        return
    made = session.scalars(select(ChangePartRow.after_id).where(ChangePartRow.change_id.in_(dropped))).all()
    session.execute(delete(ChangeRow).where(ChangeRow.id.in_(dropped)))
    session.execute(delete(VersionRow).where(VersionRow.id.in_([one for one in made if one is not None])))
    session.expire_all()
