"""Sets: tie recordings of one recorder, take a set apart, and carry what is done to one member to all."""

from collections.abc import Sequence
from dataclasses import replace
from uuid import UUID, uuid4

from gullywind.actions.context import Context
from gullywind.actions.hear.prove_recording import request_proofs
from gullywind.core.ground.errors import InputError, NotFoundError, NotNowError
from gullywind.core.maps.sets import Member, Membership, carried
from gullywind.core.maps.time_map import TimeMap, alike
from gullywind.core.maps.version import Sounding, Version
from gullywind.core.sound.set_signs import FileSigns, OfferedSet, offered_sets
from gullywind.store.database import Session, announce
from gullywind.store.history import Part, record_change
from gullywind.store.projects import get_project, lock_project
from gullywind.store.recordings import list_recordings
from gullywind.store.sets import sets_of
from gullywind.store.tables import MediaState, ProjectRow, RecordingRow

#: What is said of a member that is carried along.
WITH_ITS_SET = "with its set: "


def offers_of(project: ProjectRow, rows: Sequence[RecordingRow]) -> list[OfferedSet]:
    """Sets that look meant, of recordings that are in none, but for those that a person refused."""
    tied = {row.id for some in sets_of(rows).values() for row in some}
    signs = [
        FileSigns(row.id, row.name, row.media.to_facts())
        for row in rows
        if row.id not in tied and row.media.state == MediaState.READY
    ]
    refused = {frozenset(one) for one in project.refused_sets}
    return [one for one in offered_sets(signs) if frozenset(map(str, one.keys)) not in refused]


def refuse_offer(session: Session, project_id: UUID, recording_ids: Sequence[UUID]) -> None:
    """Recordings that look like a set are none; it stays said."""
    project = get_project(session, project_id, lock=True)
    project.refused_sets = [*project.refused_sets, sorted(str(one) for one in recording_ids)]
    announce(session, project_id)


def tie_set(
    context: Context, session: Session, project_id: UUID, recording_ids: Sequence[UUID], *, one_after_another: bool
) -> UUID:
    """Tie recordings as microphones of one recorder, or as the parts of its split file in the order given.

    Those that have a place lie from now on as the first of them does that has one, or as the reference does.
    """
    project = get_project(session, project_id, lock=True)
    known = {row.id: row for row in list_recordings(session, project_id)}
    rows = [known[one] for one in dict.fromkeys(recording_ids) if one in known]
    if len(rows) < 2 or len(rows) < len(recording_ids):
        raise InputError("A set has two or more recordings of one project.")
    tied = {row.id for some in sets_of(list(known.values())).values() for row in some}
    for row in rows:
        if row.media.duration_s is None:
            raise NotNowError(f"{row.name} has not been listened to yet.")
        if row.id in tied:
            raise NotNowError(f"{row.name} is in a set already: take that apart first.")
        _refuse_locked(row)
    set_id, at_s = uuid4(), 0.0
    members = dict[UUID, Member]()
    for row in rows:
        duration_s = row.media.duration_s or 0.0
        members[row.id] = Member(Membership(set_id, at_s if one_after_another else 0.0), duration_s)
        at_s += duration_s
    leader = next((row for row in rows if row.id == project.reference_id), None)
    leader = leader or next((row for row in rows if row.current is not None), None)
    parts = []
    for row in rows:
        version = row.current.value if row.current else None
        if leader is not None and row.id != leader.id:
            version = _lying_with(_map_of(leader, project), members[leader.id], members[row.id], row)
        what = "parts of one file" if one_after_another else "microphones of one recorder"
        parts.append(Part(row, version, f"tied as {what}", members[row.id].membership, moves_set=True))
    record_change(session, project_id, f"{len(rows)} recordings tied as a set", parts)
    request_proofs(context, session, project_id, rows)
    announce(session, project_id)
    return set_id


def untie_set(session: Session, project_id: UUID, set_id: UUID) -> None:
    """Take a set apart: its members stay where they lie, and go their own ways."""
    lock_project(session, project_id)
    rows = sets_of(list_recordings(session, project_id)).get(set_id)
    if rows is None:
        raise NotFoundError("This set does not exist any more.")
    words = "set taken apart"
    parts = [Part(row, row.current.value if row.current else None, words, None, moves_set=True) for row in rows]
    record_change(session, project_id, words, parts)
    announce(session, project_id)


def correct_member(
    context: Context, session: Session, row: RecordingRow, corrected_s: float, sentence: str
) -> RecordingRow:
    """Draw a member earlier within its set by a constant: 0 lays it as it was recorded."""
    member = row.member
    rows = set_around(session, row)
    if member is None or not rows:
        raise NotNowError("This recording is in no set.")
    project = get_project(session, row.project_id)
    if row.id == project.reference_id:
        raise NotNowError("It is the reference: take the delay out of the other microphone.")
    leader = next((one for one in rows if one.id == project.reference_id), None)
    leader = leader or next((one for one in rows if one.id != row.id and one.current is not None), None)
    membership = member.membership.with_correction(corrected_s)
    version = row.current.value if row.current else None
    if leader is not None and leader.member is not None and version is not None:
        moved = Member(membership, member.duration_s)
        version = _lying_with(_map_of(leader, project), leader.member, moved, row)
    record_change(session, row.project_id, sentence, [Part(row, version, sentence, membership, moves_set=True)])
    request_proofs(context, session, row.project_id, [row])
    announce(session, row.project_id)
    return row


def carried_parts(session: Session, row: RecordingRow, version: Version | None, sentence: str) -> list[Part]:
    """What a new version of one member does to the others of its set; empty where nothing moves.

    Raises `NotNowError` where one of them does not move: the reference, or what is locked.
    """
    now = row.current.value if row.current else None
    if now is not None and version is not None:
        if alike(now.time_map, version.time_map) and now.push_s == version.push_s:
            return []
    elif now is None and version is None:
        return []
    others = [one for one in set_around(session, row) if one.id != row.id]
    if not others:
        return []
    project = get_project(session, row.project_id)
    parts = []
    for other in others:
        if other.id == project.reference_id:
            raise NotNowError(f"It lies where {other.name} does, of the same set, and that is the reference.")
        _refuse_locked(other)
        if other.is_bent:
            raise NotNowError(f"It lies where {other.name} does, of the same set, and that is bent: change that one.")
        words = WITH_ITS_SET + sentence
        assert row.member is not None and other.member is not None
        lies = _lying_with(version.time_map, row.member, other.member, other) if version else None
        if version is not None and lies is not None:
            parts.append(Part(other, replace(lies, push_s=version.push_s), words))
        elif other.current is not None:
            # Taken off its place with the other, or cut down to what the other alone has.
            parts.append(Part(other, None, words))
    return parts


def set_around(session: Session, row: RecordingRow) -> list[RecordingRow]:
    """All members of a recording's set, itself among them; empty where it is in none."""
    if row.membership is None:
        return []
    return next(
        (
            some
            for some in sets_of(list_recordings(session, row.project_id)).values()
            if any(one.id == row.id for one in some)
        ),
        [],
    )


def _map_of(leader: RecordingRow, project: ProjectRow) -> TimeMap:
    """Where the one lies by which the others do; the reference lies at its own start."""
    if leader.id == project.reference_id:
        return TimeMap.placement(0.0, 1.0, leader.media.duration_s or 0.0)
    assert leader.current is not None
    return leader.current.value.time_map


def _lying_with(time_map: TimeMap, of: Member, to: Member, row: RecordingRow) -> Version | None:
    """A member's version where another lies by a map; sounding as before. None where nothing of it is left."""
    there = carried(time_map, of, to)
    if there is None:
        return None
    fresh = Version(there, sounding=Sounding(channels=row.media.sounding_channels))
    return row.current.value.at(there) if row.current else fresh


def _refuse_locked(row: RecordingRow) -> None:
    if row.locked:
        raise NotNowError(f"{row.name} is locked: unlock it before it is moved.")
